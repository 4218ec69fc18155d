using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

public enum GapFill
{
    Last,
    Line,
    Zero,
}

/// <summary>Fills empty steps, at most so many in a row; null for all.</summary>
public sealed record Gaps(GapFill Fill, long? Most) : PipelineStage
{
    public static readonly StageKind Kind = new("gaps", "gaps as last · line · 0", "fills empty steps of time", Read)
    {
        Keywords = ["as", "last", "line", "up", "to", "steps"],
    };

    private static Gaps? Read(QueryParser parser)
    {
        const string Usage = "Write gaps as last, gaps as line or gaps as 0, and up to 3 steps where wanted.";
        if (!parser.TakeKeyword("as"))
            return parser.Wrong<Gaps>(Usage);
        parser.Begin();
        GapFill fill;
        if (parser.TakeKeyword("last"))
            fill = GapFill.Last;
        else if (parser.TakeKeyword("line"))
            fill = GapFill.Line;
        else if (parser.Number() is { Text: "0" })
            fill = GapFill.Zero;
        else
            return parser.Wrong<Gaps>(Usage);
        if (!parser.TakeKeyword("up"))
            return new Gaps(fill, null);
        if (!parser.TakeKeyword("to") || parser.WholeNumber(Usage) is not { } most)
            return parser.Wrong<Gaps>(Usage);
        if (!parser.TakeKeyword("steps"))
            parser.TakeKeyword("step");
        return new Gaps(fill, most);
    }

    public override string Print() =>
        "gaps as "
        + Fill switch
        {
            GapFill.Last => "last",
            GapFill.Line => "line",
            _ => "0",
        }
        + (Most is { } most ? FormattableString.Invariant($" up to {most} steps") : "");

    public override void Check(StageChecks checks)
    {
        if (!checks.IsPerStep)
            checks.Error(Span, "gaps fills empty steps. Write it behind a group with per.");
    }

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var (columns, step) = (builder.ColumnsFor("gaps"), builder.Schema.Step);
        builder.Step(rows => GapFilling.Fill(this, rows, columns, step));
    }
}
