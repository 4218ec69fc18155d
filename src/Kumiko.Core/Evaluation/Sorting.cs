using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>How rows are sorted: equal ones stay in their order, missing last in either direction; text that spells a quantity
/// sorts as one.</summary>
/// <param name="Keys">What is looked at, first things first.</param>
/// <param name="Most">Only so many are wanted; null for all.</param>
/// <param name="Field">The one field that is looked at; null where it is another expression, or several.</param>
public sealed record Sorting((Func<Row, Value> Value, bool Descending)[] Keys, int? Most, Limits Limits, string? Field = null)
{
    private readonly record struct Keyed(Row Row, Value[] Keys, long Order);

    /// <summary>Whether so few are wanted that the others need not be held.</summary>
    public bool WantsFew => Most <= Limits.Sorted;

    /// <summary>What a row is sorted by.</summary>
    public Value[] KeysOf(Row row)
    {
        var keys = new Value[Keys.Length];
        for (var i = 0; i < keys.Length; i++)
            keys[i] = Key(Keys[i].Value(row));
        return keys;
    }

    private static Value Key(Value value) =>
        value.IsText && Language.Literals.ReadQuantity(value.AsText) is { IsMissing: false } quantity ? quantity : value;

    /// <summary>Which of two comes first, by their keys alone.</summary>
    public int Compare(Value[] a, Value[] b)
    {
        for (var i = 0; i < Keys.Length; i++)
        {
            var (x, y) = (a[i], b[i]);
            var order = x.IsMissing || y.IsMissing || !Keys[i].Descending ? Comparison.Sort(x, y) : Comparison.Sort(y, x);
            if (order != 0)
                return order;
        }
        return 0;
    }

    /// <exception cref="QueryRefusedException">There are too many to hold.</exception>
    public IEnumerable<Row> Sort(IEnumerable<Row> rows)
    {
        var comparer = Comparer<Keyed>.Create(
            (a, b) => Compare(a.Keys, b.Keys) is var order && order != 0 ? order : a.Order.CompareTo(b.Order)
        );
        if (Most == 0)
            yield break;
        var all = new List<Keyed>();
        // The worst of those kept is on top, ready to go.
        var best = new PriorityQueue<Keyed, Keyed>(Comparer<Keyed>.Create((a, b) => comparer.Compare(b, a)));
        var count = 0L;
        foreach (var row in rows)
        {
            var keyed = new Keyed(row, KeysOf(row), count++);
            if (!WantsFew)
            {
                if (all.Count >= Limits.Sorted)
                    throw new QueryRefusedException(
                        $"More than {Limits.Sorted:N0} rows to sort. Narrow the search, group first, or write limit behind order by."
                    );
                all.Add(keyed);
            }
            else if (best.Count < Most)
                best.Enqueue(keyed, keyed);
            else if (comparer.Compare(keyed, best.Peek()) < 0)
                best.EnqueueDequeue(keyed, keyed);
        }
        if (WantsFew)
            all = [.. best.UnorderedItems.Select(i => i.Element)];
        all.Sort(comparer);
        foreach (var keyed in all)
            yield return keyed.Row;
    }
}
