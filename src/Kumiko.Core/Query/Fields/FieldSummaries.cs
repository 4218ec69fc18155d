using Kumiko.Core.Analysis;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Fields;

/// <summary>Makes summaries of counted fields, against a baseline.</summary>
internal static class FieldSummaries
{
    /// <summary>Values shown of each field in a list of fields.</summary>
    public const int TopValues = 5;

    /// <summary>Different values of a field that are told apart in a list of fields, and where one field is looked at
    /// alone.</summary>
    public const int MostValues = 5_000;
    public const int MostValuesAlone = 100_000;

    public static IReadOnlyList<FieldSummary> Of(FieldCounts now, FieldCounts? then, int values)
    {
        if (then?.Total == 0)
            then = null;
        return
        [
            .. now
                .Fields.Where(f => f.Value.Present > 0)
                .Select(f => Of(f.Key, f.Value, now.Total, then?.Fields.GetValueOrDefault(f.Key), then?.Total ?? 0, values))
                .OrderBy(f => f.IsScattered)
                .ThenByDescending(f => f.BiggestShift)
                .ThenByDescending(f => f.Present)
                .ThenBy(f => f.Name, StringComparer.Ordinal),
        ];
    }

    public static FieldSummary Of(string name, FieldCounter now, long total, FieldCounter? then, long thenTotal, int values)
    {
        ValueShare Shared(Value value, long count) =>
            Share(value, count, total, then?.Values.GetValueOrDefault(value) ?? 0, thenTotal);
        var byCount = now.Values.OrderByDescending(v => v.Value).ThenBy(v => v.Key.ToText(), StringComparer.Ordinal).ToList();
        // A share can be judged where the values were told apart on both sides.
        var judged = thenTotal > 0 && !now.More && then?.More != true;
        var shifted = !judged
            ? []
            : byCount
                .Select(v => v.Key)
                .Concat(then?.Values.Keys.Where(v => !now.Values.ContainsKey(v)) ?? [])
                .Select(v => Shared(v, now.Values.GetValueOrDefault(v)))
                .Where(v => v.Clear)
                .OrderByDescending(v => Math.Abs(v.Shift ?? 0))
                .ThenBy(v => v.Value.ToText(), StringComparer.Ordinal)
                .Take(values)
                .ToList();
        return new FieldSummary(
            name,
            now.Present,
            total,
            now.Values.Count,
            now.More,
            [.. byCount.Take(values).Select(v => Shared(v.Key, v.Value))]
        )
        {
            Rarest = [.. byCount.AsEnumerable().Reverse().Take(values).Select(v => Shared(v.Key, v.Value))],
            Shifted = shifted,
            Numbers = NumberSummaries.Of(now, then),
            BaselinePresence = thenTotal == 0 ? null : (double)(then?.Present ?? 0) / thenTotal,
        };
    }

    private static ValueShare Share(Value value, long count, long total, long before, long thenTotal)
    {
        var share = (double)count / total;
        if (thenTotal == 0)
            return new ValueShare(value, count, share, null, false);
        var baseline = (double)before / thenTotal;
        return new ValueShare(value, count, share, baseline, IsClear(count, total, before, thenTotal));
    }

    /// <summary>
    /// Whether two shares differ by more than chance would, once in some 370 times: two proportions with a pooled share (Fleiss,
    /// Levin and
    /// Paik, Statistical Methods for Rates and Proportions, 2003, 3.1) where both sides would have five and more, else exactly.
    /// </summary>
    internal static bool IsClear(long count, long total, long before, long thenTotal)
    {
        const double Deviations = 3;
        const double Chance = 0.0027;
        const double Few = 5;
        var both = count + before;
        if (both * (double)Math.Min(total, thenTotal) / (total + thenTotal) < Few)
            return ShareShift.Probability(count, total, before, thenTotal) < Chance;
        var pooled = (double)both / (total + thenTotal);
        var error = Math.Sqrt(pooled * (1 - pooled) * ((1.0 / total) + (1.0 / thenTotal)));
        return error > 0 && Math.Abs(((double)count / total) - ((double)before / thenTotal)) / error >= Deviations;
    }
}
