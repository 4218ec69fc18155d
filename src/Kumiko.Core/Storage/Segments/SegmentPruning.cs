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
    private static readonly HashSet<string> NotInFilter = new(StringComparer.Ordinal)
    {
        "time",
        "observed",
        "severity_text",
        "body",
        "source",
        "pattern",
        SpanFields.Duration,
        SpanFields.Status,
        SpanFields.Failed,
    };

    /// <summary>False for segments of which no row inside a window can pass.</summary>
    /// <exception cref="DamagedSegmentException">What is known of the segment cannot be read.</exception>
    public delegate bool MayMatch(SegmentBatch batch, Window window);

    /// <summary>What can be told of segments for a condition; made once for all of them.</summary>
    public static MayMatch Of(Expr condition)
    {
        switch (condition)
        {
            case And and:
                var all = and.Items.Select(Of).ToArray();
                return (batch, window) => Array.TrueForAll(all, item => item(batch, window));
            case Or or:
                var any = or.Items.Select(Of).ToArray();
                return (batch, window) => Array.Exists(any, item => item(batch, window));
            case Term term when term.Quoted || !term.Text.AsSpan().ContainsAny('*', '\\'):
                return (batch, _) => batch.Facts().MayHaveTokens(term.Text);
            case Compare { Left: Field { Name: "level" or SpanFields.Status } graded, Right: Literal literal } compare:
                var bands = Bands(
                    new LiteralTest(literal),
                    compare.Op,
                    graded.Name == SpanFields.Status ? SpanFields.StatusValue : Value.Level
                );
                return (batch, window) =>
                    (batch.Segment.SeverityMask & bands) != 0
                    && (IsWhole(batch, window) || batch.Facts().Counts.Any(c => (bands & (1 << c.Band)) != 0 && IsIn(c, window)));
            case Compare { Left: Field field, Op: CompareOp.Equal, Right: Literal literal }:
                return (batch, window) => MayEqual(field, literal, batch, window);
            case InList { Left: Field { Name: not "level" } field } list:
                return (batch, window) => list.Items.Any(item => MayEqual(field, item, batch, window));
            default:
                return (_, _) => true;
        }
    }

    /// <summary>A bit for each severity band in which some severity holds.</summary>
    private static int Bands(LiteralTest test, CompareOp op, Func<int, Value> valueOf)
    {
        var bands = 0;
        for (var number = 0; number <= 24; number++)
            if (test.Holds(op, valueOf(number)))
                bands |= 1 << Severity.Band(number);
        return bands;
    }

    private static bool IsWhole(SegmentBatch batch, Window window) => window.From <= batch.MinTime && batch.MaxTime < window.To;

    private static bool IsIn(MinuteCount count, Window window) =>
        count.Minute < window.To
        && (window.From < long.MinValue + Instants.Minute || count.Minute > window.From - Instants.Minute);

    private static bool MayEqual(Field field, Literal literal, SegmentBatch batch, Window window)
    {
        if (NotInFilter.Contains(field.Name) || literal.Text.Length == 0)
            return true;
        // What spells a number equals other spellings of it; a star or a backslash means something else.
        if (!literal.Quoted && (literal.Text.AsSpan().ContainsAny('*', '\\') || !literal.ToValue().IsText))
            return true;
        if (!batch.Facts().MayHaveValue(literal.Text))
            return false;
        return field.Name != "service"
            || IsWhole(batch, window)
            || batch.Facts().Counts.Any(c => c.Service == literal.Text && IsIn(c, window));
    }
}
