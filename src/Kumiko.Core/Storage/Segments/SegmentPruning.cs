using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// Which segments cannot hold a record that a condition takes: told by severities, by the counts of a minute, by the
/// filter of tokens and values, and by the constant text of the templates. Where it is not sure, it says that they can.
/// </summary>
public static class SegmentPruning
{
    private static readonly HashSet<string> NotInFilter = new(StringComparer.Ordinal) { "time", "observed", "severity_text", "body", "source", "pattern" };

    /// <summary>False where no row of the segment inside the window can pass.</summary>
    /// <exception cref="DamagedSegmentException">What is known of the segment cannot be read.</exception>
    public static bool MayMatch(Expr condition, SegmentBatch batch, Window window) => condition switch
    {
        And and => and.Items.All(item => MayMatch(item, batch, window)),
        Or or => or.Items.Any(item => MayMatch(item, batch, window)),
        Term term => term.Quoted || !term.Text.AsSpan().ContainsAny('*', '\\') ? batch.Facts().MayHaveTokens(term.Text) : true,
        Compare { Left: Field { Name: "level" }, Right: Literal literal } compare => MayHaveLevel(batch, new LiteralTest(literal), compare.Op, window),
        Compare { Left: Field field, Op: CompareOp.Equal, Right: Literal literal } => MayEqual(field, literal, batch, window),
        InList { Left: Field { Name: not "level" } field } list => list.Items.Any(item => MayEqual(field, item, batch, window)),
        _ => true,
    };

    private static bool MayHaveLevel(SegmentBatch batch, LiteralTest test, CompareOp op, Window window)
    {
        var bands = 0;
        for (var number = 0; number <= 24; number++)
            if (test.Holds(op, Value.Level(number))) bands |= 1 << Severity.Band(number);
        if ((batch.Segment.SeverityMask & bands) == 0) return false;
        return IsWhole(batch, window) || batch.Facts().Counts.Any(c => (bands & (1 << c.Band)) != 0 && IsIn(c, window));
    }

    private static bool IsWhole(SegmentBatch batch, Window window) => window.From <= batch.MinTime && batch.MaxTime < window.To;

    private static bool IsIn(MinuteCount count, Window window) =>
        count.Minute < window.To && (window.From < long.MinValue + Instants.Minute || count.Minute > window.From - Instants.Minute);

    private static bool MayEqual(Field field, Literal literal, SegmentBatch batch, Window window)
    {
        if (NotInFilter.Contains(field.Name) || literal.Text.Length == 0) return true;
        // What spells a number equals other spellings of it; a star or a backslash means something else.
        if (!literal.Quoted && (literal.Text.AsSpan().ContainsAny('*', '\\') || !literal.ToValue().IsText)) return true;
        if (!batch.Facts().MayHaveValue(literal.Text)) return false;
        return field.Name != "service" || IsWhole(batch, window) || batch.Facts().Counts.Any(c => c.Service == literal.Text && IsIn(c, window));
    }
}
