using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Keeps some columns, in this order.</summary>
public sealed record Select(Seq<Named> Columns) : PipelineStage
{
    public static readonly StageKind Kind = new("select", "select fields", "keeps these columns, in this order", Read)
    {
        Keywords = ["all", "except", "as"],
    };

    private static Stage? Read(QueryParser parser)
    {
        var start = parser.Position;
        if (parser.TakeKeyword("all"))
        {
            if (parser.TakeKeyword("except"))
                return parser.FieldList() is { } except ? new SelectAll(except) : null;
            if (parser.IsAtEndOfStage)
                return new SelectAll(Seq<Field>.Empty);
            parser.Position = start;
        }
        return parser.NamedList(aggregates: false) is { } columns ? new Select(columns) : null;
    }

    public override string Print()
    {
        var list = QueryPrinter.List(Columns);
        // “select all” alone means every column.
        return Columns[0].Expr is Field { Name: var first } && Keywords.Is(first, "all")
            ? $"select `{first}`{list[first.Length..]}"
            : "select " + list;
    }

    public override IEnumerable<Expr> Expressions => Columns.Select(c => c.Expr);

    public override Stage Rewrite(Func<Expr, Expr> visit) => this with { Columns = Rewritten(Columns, visit) };

    public override void Check(StageChecks checks)
    {
        checks.Columns = checks.Distinct(Columns, []);
        checks.IsPerStep &= checks.Columns.Contains("time");
    }

    public override IEnumerable<string> Makes => Columns.Select(c => c.Name);

    public override bool HidesOthers => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var scope = builder.Scope;
        var columns = Columns
            .Select(item =>
                builder.ColumnLike(item) is { } like
                    ? like with
                    {
                        Name = item.Name,
                    }
                    : new Column(
                        item.Name,
                        scope is ColumnScope ? ColumnRole.Value : ColumnRole.Detail,
                        scope is RecordScope && item.Expr is Field { Name: "time" } ? ValueKind.Time : ValueKind.Text
                    )
            )
            .ToList();
        var values = Columns.Select(item => builder.Compiler.Value(item.Expr)).ToArray();
        builder.Step(rows =>
            rows.Select((row, i) => new Row(RowSource.Columns, i, Array.ConvertAll(values, value => value(row))))
        );
        builder.Scope = new ColumnScope(columns);
        if (!columns.Exists(c => c.Role == ColumnRole.Time))
            builder.Schema = builder.Schema with { Step = null };
    }
}

/// <summary>All columns but some.</summary>
public sealed record SelectAll(Seq<Field> Except) : PipelineStage
{
    public override string Print() => "select all" + (Except.Count > 0 ? " except " + QueryPrinter.Names(Except) : "");

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var names = Except.Select(f => f.Name).ToHashSet(StringComparer.Ordinal);
        if (builder.Scope is RecordScope records)
        {
            builder.Scope = names.Aggregate(records, (scope, name) => scope.Without(name));
            builder.Step(_ => true, drops: false);
            return;
        }
        var columns = ((ColumnScope)builder.Scope).Columns;
        var kept = Enumerable.Range(0, columns.Count).Where(i => !names.Contains(columns[i].Name)).ToArray();
        builder.Step(rows => rows.Select(row => row with { Slots = Array.ConvertAll(kept, i => row.Slots[i]) }));
        builder.Scope = new ColumnScope([.. kept.Select(i => columns[i])]);
        if (names.Contains("time"))
            builder.Schema = builder.Schema with { Step = null };
    }
}
