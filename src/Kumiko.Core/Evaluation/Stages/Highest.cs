using System.Globalization;
using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>Keeps the keys with the highest figure over the whole window; stands right behind a group, which does it.</summary>
/// <param name="Key">A key of the group.</param>
/// <param name="By">An aggregate of the group.</param>
/// <param name="Rest">Whether all other keys are merged into one.</param>
public sealed record Highest(long Count, Expr Key, Expr By, bool Rest) : PipelineStage
{
    public static readonly StageKind Kind = new(
        "highest",
        "highest n field by aggregate",
        "the highest groups, behind a group; with rest merges the others",
        Read
    )
    {
        Keywords = ["by", "with", "rest"],
        FormerWord = "top",
        TakesAggregates = true,
    };

    private static Highest? Read(QueryParser parser)
    {
        if (parser.WholeNumber("After highest comes a whole number, such as 10.") is not { } count)
            return null;
        if (parser.Expression() is not { } key)
            return null;
        if (!parser.TakeKeyword("by"))
            return parser.Wrong<Highest>("Write highest 10, a key of the group, by, and one of its aggregates.");
        if (parser.Expression() is not { } by)
            return null;
        var rest = parser.TakeKeyword("with");
        if (rest && !parser.TakeKeyword("rest"))
            return parser.Wrong<Highest>("After with comes rest: all other keys as one.");
        return new Highest(count, key, by, rest);
    }

    public override string Print() =>
        $"highest {Count.ToString(CultureInfo.InvariantCulture)} {QueryPrinter.Print(Key)} by {QueryPrinter.Print(By)}"
        + (Rest ? " with rest" : "");

    public override bool TakesConstants => false;

    public override Stage Rewrite(Func<Expr, Expr> visit) => this with { Key = visit(Key), By = visit(By) };

    public override void Check(StageChecks checks)
    {
        if (checks.Before is not Group group)
            checks.Error(Span, "highest stands right behind a group.");
        else if (!group.By.Any(b => b.Expr == Key || (Key is Field key && key.Name == b.Name)))
            checks.Error(Key.Span, "highest ranks a key of the group before it. Name one of its keys here.");
        else if (!group.Aggregates.Any(a => a.Expr == By || (By is Field by && by.Name == a.Name)))
            checks.Error(By.Span, "highest ranks by an aggregate of the group before it. Name one of them here.");
    }

    // It was taken into the group before it.
    public override void Build(PipelineBuilder builder, Stage? next) { }
}
