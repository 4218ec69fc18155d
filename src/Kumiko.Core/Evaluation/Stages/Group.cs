using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Figures of groups of rows, by keys and by steps of time.</summary>
/// <param name="Aggregates">At least one.</param>
/// <param name="By">Keys; empty for one row over all.</param>
/// <param name="Per">The step as it was spelled (<c>5m</c>, <c>auto</c>), or null.</param>
public sealed record Group(Seq<Named> Aggregates, Seq<Named> By, string? Per) : PipelineStage
{
    public static readonly StageKind Kind = new(
        "group",
        "group aggregates by fields per step",
        "counts and measures, by fields and over time",
        Read
    )
    {
        Keywords = ["by", "per", "as"],
        TakesAggregates = true,
        PrefersAggregates = true,
    };

    public TextSpan PerSpan { get; init; }

    private static Group? Read(QueryParser parser)
    {
        if (parser.NamedList(aggregates: true) is not { } aggregates)
            return null;
        var by = new Seq<Named>([]);
        if (parser.TakeKeyword("by"))
        {
            if (parser.NamedList(aggregates: false) is not { } keys)
                return null;
            by = keys;
        }
        var start = parser.Begin();
        if (!parser.TakeKeyword("per") && !(parser.TakeKeyword("every") && parser.Renamed("per", start)))
            return new Group(aggregates, by, null);
        start = parser.Begin();
        if (parser.TakeKeyword("auto"))
            return new Group(aggregates, by, "auto") { PerSpan = parser.Since(start) };
        var step = parser.Number();
        if (step is not null && step.ToValue() is { Kind: ValueKind.Duration, AsLong: > 0 })
            return new Group(aggregates, by, step.Text) { PerSpan = step.Span };
        parser.Error(parser.SinceOrOne(start), "After per comes a length of time, such as 5m, or auto.");
        return null;
    }

    public override string Print() =>
        "group "
        + QueryPrinter.List(Aggregates)
        + (By.Count > 0 ? " by " + QueryPrinter.List(By) : "")
        + (Per is { } step ? " per " + step : "");

    public override IEnumerable<Expr> Expressions =>
        By.Select(b => b.Expr).Concat(Aggregates.SelectMany(a => ((Call)a.Expr).Arguments));

    public override IEnumerable<Expr> AllExpressions => Expressions.Concat(Aggregates.Select(a => a.Expr));

    public override Stage Rewrite(Func<Expr, Expr> visit) =>
        this with
        {
            Aggregates = Rewritten(Aggregates, visit),
            By = Rewritten(By, visit),
        };

    public override void Check(StageChecks checks)
    {
        checks.Columns = checks.Distinct(By.Concat(Aggregates), Per is null ? [] : ["time"]);
        (checks.IsGrouped, checks.IsPerStep) = (true, Per is not null);
    }

    public override IEnumerable<string> Makes =>
        [.. Per is null ? [] : new[] { "time" }, .. By.Select(b => b.Name), .. Aggregates.Select(a => a.Name)];

    public override bool HidesOthers => true;

    public override void Build(PipelineBuilder builder, Stage? next) => builder.Grouped(this, next as Highest);
}
