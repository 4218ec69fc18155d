using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>Keeps rows that meet a condition.</summary>
public sealed record Where(Expr Condition) : PipelineStage
{
    public static readonly StageKind Kind = new("where", "where condition", "keeps rows that meet a condition", Read)
    {
        Keywords = ["and", "or", "not", "in"],
    };

    private static Stage? Read(QueryParser parser) => parser.Expression() is { } condition ? new Where(condition) : null;

    public override string Print() => "where " + QueryPrinter.Print(Condition);

    public override IEnumerable<Expr> Expressions => [Condition];

    public override Stage Rewrite(Func<Expr, Expr> visit) => this with { Condition = visit(Condition) };

    public override bool IsRowByRow => true;

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next) => builder.Filter(Condition);
}
