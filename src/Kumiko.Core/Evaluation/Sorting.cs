using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Sorts rows: equal ones stay in their order, missing last in either direction; text that spells a quantity sorts as
/// one.</summary>
internal static class Sorting
{
    private readonly record struct Keyed(Row Row, Value[] Keys, long Order);

    private static Value Key(Value value) =>
        value.IsText && Language.Literals.ReadQuantity(value.AsText) is { IsMissing: false } quantity ? quantity : value;

    /// <param name="most">Only so many are wanted; null for all.</param>
    /// <exception cref="QueryRefusedException">There are too many to hold.</exception>
    public static IEnumerable<Row> Sort(
        IEnumerable<Row> rows,
        (Func<Row, Value> Value, bool Descending)[] keys,
        int? most,
        Limits limits
    )
    {
        var comparer = Comparer<Keyed>.Create(
            (a, b) =>
            {
                for (var i = 0; i < keys.Length; i++)
                {
                    var (x, y) = (a.Keys[i], b.Keys[i]);
                    var order = x.IsMissing || y.IsMissing || !keys[i].Descending ? Comparison.Sort(x, y) : Comparison.Sort(y, x);
                    if (order != 0)
                        return order;
                }
                return a.Order.CompareTo(b.Order);
            }
        );
        var few = most <= limits.Sorted;
        if (most == 0)
            yield break;
        var all = new List<Keyed>();
        // The worst of those kept is on top, ready to go.
        var best = new PriorityQueue<Keyed, Keyed>(Comparer<Keyed>.Create((a, b) => comparer.Compare(b, a)));
        var count = 0L;
        foreach (var row in rows)
        {
            var keyed = new Keyed(row, Array.ConvertAll(keys, k => Key(k.Value(row))), count++);
            if (!few)
            {
                if (all.Count >= limits.Sorted)
                    throw new QueryRefusedException(
                        $"More than {limits.Sorted:N0} rows to sort. Narrow the search, group first, or write limit behind order by."
                    );
                all.Add(keyed);
            }
            else if (best.Count < most)
                best.Enqueue(keyed, keyed);
            else if (comparer.Compare(keyed, best.Peek()) < 0)
                best.EnqueueDequeue(keyed, keyed);
        }
        if (few)
            all = [.. best.UnorderedItems.Select(i => i.Element)];
        all.Sort(comparer);
        foreach (var keyed in all)
            yield return keyed.Row;
    }
}
