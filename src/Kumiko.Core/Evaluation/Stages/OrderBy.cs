using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

public sealed record OrderItem(Expr Expr, bool Descending) : Node;

/// <summary>Sorts rows.</summary>
public sealed record OrderBy(Seq<OrderItem> Items) : PipelineStage
{
    public static readonly StageKind Kind = new("order", "order by field desc", "sorts rows", Read)
    {
        Named = "order by",
        Keywords = ["by", "asc", "desc"],
        TakesExpressions = false,
    };

    private static OrderBy? Read(QueryParser parser)
    {
        if (!parser.TakeKeyword("by"))
            return parser.Wrong<OrderBy>("Write order by, then a field.");
        var items = new List<OrderItem>();
        do
        {
            var start = parser.Begin();
            if (parser.Expression() is not { } expression)
                return null;
            var descending = parser.TakeKeyword("desc");
            if (!descending)
                parser.TakeKeyword("asc");
            items.Add(new OrderItem(expression, descending) { Span = parser.Since(start) });
        } while (parser.Take(','));
        return new OrderBy(new Seq<OrderItem>(items));
    }

    public override string Print() =>
        "order by " + string.Join(", ", Items.Select(i => QueryPrinter.Print(i.Expr) + (i.Descending ? " desc" : "")));

    public override IEnumerable<Expr> Expressions => Items.Select(i => i.Expr);

    public override Stage Rewrite(Func<Expr, Expr> visit) =>
        this with
        {
            Items = new Seq<OrderItem>(Items.Select(i => i with { Expr = visit(i.Expr) })),
        };

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var keys = Items.Select(item => (Value: builder.Compiler.Value(item.Expr), item.Descending)).ToArray();
        // With a limit behind it only so many rows need to be held.
        var most = next is Limit { By.Count: 0 } limit ? (int?)Math.Min(limit.Count, int.MaxValue) : null;
        var limits = builder.Context.Limits;
        builder.Step(new Sorting(keys, most, limits, Items is [{ Expr: Field field }] ? field.Name : null));
    }
}
