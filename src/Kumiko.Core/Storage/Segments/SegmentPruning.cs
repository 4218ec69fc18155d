using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// Which segments cannot hold a record that a condition takes: told by severities, by the filter of tokens and
/// values, and by the constant text of the templates. Where it is not sure, it says that they can.
/// </summary>
public static class SegmentPruning
{
    private static readonly HashSet<string> NotInFilter = new(StringComparer.Ordinal) { "time", "observed", "severity_text", "body", "source" };

    /// <summary>False where no row of the segment can pass.</summary>
    /// <exception cref="DamagedSegmentException">What is known of the segment cannot be read.</exception>
    public static bool MayMatch(Expr condition, SegmentBatch batch) => condition switch
    {
        And and => and.Items.All(item => MayMatch(item, batch)),
        Or or => or.Items.Any(item => MayMatch(item, batch)),
        Term term => term.Quoted || !term.Text.AsSpan().ContainsAny('*', '\\') ? batch.Words().MayHaveTokens(term.Text) : true,
        Compare { Left: Field { Name: "level" }, Right: Literal literal } compare => MayHaveLevel(batch.Segment, new LiteralTest(literal), compare.Op),
        Compare { Left: Field field, Op: CompareOp.Equal, Right: Literal literal } => MayEqual(field, literal, batch),
        InList { Left: Field { Name: not "level" } field } list => list.Items.Any(item => MayEqual(field, item, batch)),
        _ => true,
    };

    private static bool MayHaveLevel(Segment segment, LiteralTest test, CompareOp op)
    {
        for (var number = 0; number <= 24; number++)
            if ((segment.SeverityMask & (1 << Severity.Band(number))) != 0 && test.Holds(op, Value.Level(number))) return true;
        return false;
    }

    private static bool MayEqual(Field field, Literal literal, SegmentBatch batch)
    {
        if (NotInFilter.Contains(field.Name) || literal.Text.Length == 0) return true;
        // What spells a number equals other spellings of it; a star or a backslash means something else.
        if (!literal.Quoted && (literal.Text.AsSpan().ContainsAny('*', '\\') || !literal.ToValue().IsText)) return true;
        return batch.Words().MayHaveValue(literal.Text);
    }
}
