using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Appends rows of another set.</summary>
public sealed record Union(string Right) : PipelineStage
{
    public static readonly StageKind Kind = new("union", "union set", "appends rows of another set", Read)
    {
        TakesSet = true,
        TakesExpressions = false,
    };

    public TextSpan RightSpan { get; init; }

    private static Union? Read(QueryParser parser) =>
        parser.SetName("union") is { } right ? new Union(right.Name) { RightSpan = right.Span } : null;

    public override string Print() => "union " + Keywords.Name(Right, match: false);

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var right = builder.Other(Right);
        if (builder.Scope is RecordScope left && right.Scope is RecordScope other)
        {
            if (left.Signal != other.Signal)
                throw new QueryRefusedException($"{Right} has other records than the rows before union. Write select in both.");
            var (l, r) = (left, other);
            var merged = new RecordScope(builder.Context.Fields, left.Signal);
            string[] added = [.. l.Added.Union(r.Added, StringComparer.Ordinal)];
            var first = builder.NewSlots(added.Length + 1);
            for (var i = 0; i < added.Length; i++)
                merged = merged.With(added[i], first + i);
            var (fromLeft, fromRight) = (added.Select(l.Bind).ToArray(), added.Select(r.Bind).ToArray());
            var length = builder.Slots;
            Row Take(Row row, Func<Row, Value>[] values)
            {
                var slots = new Value[length];
                Array.Fill(slots, Value.Missing);
                for (var i = 0; i < values.Length; i++)
                    slots[first + i] = values[i](row);
                return row with { Slots = slots };
            }
            builder.Step(rows =>
                Merge(rows.Select(row => Take(row, fromLeft)), builder.Context.Answer(right).Select(row => Take(row, fromRight)))
            );
            builder.Scope = merged;
            return;
        }
        if (builder.Scope is RecordScope)
            throw new QueryRefusedException(
                $"union {Right} has columns and the rows before it are records. Write group or select before it."
            );
        var columns = ((ColumnScope)builder.Scope).Columns;
        if (right.IsRecords)
            throw new QueryRefusedException(
                $"{Right} has records and the rows before union have columns. Write group or select in it."
            );
        var more = right.Schema.Columns;
        IReadOnlyList<Column> all = [.. columns, .. more.Where(c => columns.All(known => known.Name != c.Name))];
        var placesLeft = all.Select(c => IndexOf(columns, c.Name)).ToArray();
        var placesRight = all.Select(c => IndexOf(more, c.Name)).ToArray();
        var time = IndexOf(all, "time");
        builder.Step(rows =>
        {
            var both = rows.Select(row => Arranged(row, placesLeft))
                .Concat(builder.Context.Answer(right).Select(row => Arranged(row, placesRight)));
            return time < 0 ? both : both.OrderBy(row => row.Slots[time], Comparer<Value>.Create(Comparison.Sort));
        });
        builder.Scope = new ColumnScope(all);
        if (right.Schema.Step != builder.Schema.Step)
            builder.Schema = builder.Schema with { Step = null };
    }

    private static Row Arranged(Row row, int[] places) =>
        row with
        {
            Slots = Array.ConvertAll(places, at => at < 0 ? Value.Missing : row.Slots[at]),
        };

    private static int IndexOf(IReadOnlyList<Column> columns, string name)
    {
        for (var i = 0; i < columns.Count; i++)
            if (columns[i].Name == name)
                return i;
        return -1;
    }

    /// <summary>Two streams, each newest first, as one.</summary>
    private static IEnumerable<Row> Merge(IEnumerable<Row> left, IEnumerable<Row> right)
    {
        using var a = left.GetEnumerator();
        using var b = right.GetEnumerator();
        var (hasA, hasB) = (a.MoveNext(), b.MoveNext());
        while (hasA || hasB)
        {
            if (!hasB || (hasA && a.Current.Id >= b.Current.Id))
            {
                yield return a.Current;
                hasA = a.MoveNext();
            }
            else
            {
                yield return b.Current;
                hasB = b.MoveNext();
            }
        }
    }
}
