using Kumiko.Core.Frames;
using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>Adds or replaces fields: each name with its expression, the later seeing the earlier.</summary>
public sealed record SetFields(Seq<Named> Items) : PipelineStage
{
    public static readonly StageKind Kind = new("set", "set name = expression", "adds a computed field", Read)
    {
        Keywords = ["and", "or", "not"],
    };

    private static SetFields? Read(QueryParser parser)
    {
        var items = new List<Named>();
        do
        {
            var start = parser.Begin();
            if (parser.Name("After set comes a name, then = and what it is.") is not { } name)
                return null;
            if (!parser.Take('='))
                return parser.Wrong<SetFields>($"After {name} comes =, then what it is.");
            if (parser.Expression() is not { } expression)
                return null;
            items.Add(new Named(expression, name) { Span = parser.Since(start) });
        } while (parser.Take(','));
        return new SetFields(new Seq<Named>(items));
    }

    public override string Print() =>
        "set " + string.Join(", ", Items.Select(i => Keywords.Name(i.Name, match: false) + " = " + QueryPrinter.Print(i.Expr)));

    public override IEnumerable<Expr> Expressions => Items.Select(i => i.Expr);

    public override Stage Rewrite(Func<Expr, Expr> visit) => this with { Items = Rewritten(Items, visit) };

    public override void Check(StageChecks checks) => checks.Columns?.UnionWith(Makes);

    public override IEnumerable<string> Makes => Items.Select(i => i.Name);

    public override bool IsRowByRow => true;

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        foreach (var item in Items)
            Add(builder, item.Name, builder.Compiler.Value(item.Expr), builder.ColumnLike(item));
    }

    private static void Add(PipelineBuilder builder, string name, Func<Row, Records.Value> value, Column? like)
    {
        if (builder.Scope is RecordScope records)
        {
            var slot = builder.NewSlots(1);
            builder.Scope = records.With(name, slot);
            builder.Step(
                row =>
                {
                    row.Slots[slot] = value(row);
                    return true;
                },
                drops: false
            );
            return;
        }
        var scope = (ColumnScope)builder.Scope;
        var columns = scope.Columns;
        var at = scope.IndexOf(name);
        var column = like is null ? new Column(name, ColumnRole.Value) : like with { Name = name };
        if (at >= 0 && columns[at].Role == ColumnRole.Key)
            column = column with { Role = ColumnRole.Key };
        builder.Scope = new ColumnScope(at < 0 ? [.. columns, column] : [.. columns.Select((c, i) => i == at ? column : c)]);
        builder.Step(rows =>
            rows.Select(row =>
            {
                var slots = new Records.Value[at < 0 ? row.Slots.Length + 1 : row.Slots.Length];
                row.Slots.CopyTo(slots, 0);
                slots[at < 0 ? ^1 : at] = value(row);
                return row with { Slots = slots };
            })
        );
    }
}
