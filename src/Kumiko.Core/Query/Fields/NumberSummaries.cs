using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Fields;

/// <summary>Quantiles and bins of a field's numbers.</summary>
internal static class NumberSummaries
{
    private const int MostBins = 24;

    /// <summary>Numbers that spread over more than this ratio are put into bins that grow.</summary>
    private const double WideRatio = 100;

    public static NumberSummary? Of(FieldCounter now, FieldCounter? then)
    {
        if (Numbers(now) is not var (kind, weighted, exact) || weighted.Count == 0)
            return null;
        weighted.Sort((a, b) => a.Number.CompareTo(b.Number));
        var (min, max) = Ends(now, weighted);
        var edges = Edges(kind, min, max, Quantile(weighted, 0.5), now.Values.Count);
        var before =
            then is not null && Numbers(then) is var (thenKind, earlier, _) && thenKind == kind && earlier.Count > 0
                ? Shares(earlier, edges)
                : null;
        return new NumberSummary(
            kind,
            min,
            max,
            [.. NumberSummary.Levels.Select(l => Quantile(weighted, l))],
            edges,
            Shares(weighted, edges),
            before,
            !exact
        );
    }

    /// <summary>All numbers with weights, where every value is a quantity of one kind.</summary>
    private static (ValueKind Kind, List<(double Number, double Weight)> Weighted, bool Exact)? Numbers(FieldCounter counter)
    {
        if (!counter.More)
        {
            var (kind, all) = (ValueKind.Missing, new List<(double, double)>(counter.Values.Count));
            foreach (var (value, times) in counter.Values)
            {
                var quantity = value.IsText ? Literals.ReadQuantity(value.AsText) : value;
                if (!quantity.IsQuantity)
                    return null;
                var its = quantity.Kind;
                if (kind == ValueKind.Missing || (kind == ValueKind.Integer && its == ValueKind.Decimal))
                    kind = its;
                else if (its != kind && !(kind == ValueKind.Decimal && its == ValueKind.Integer))
                    return null;
                all.Add((quantity.AsDouble, times));
            }
            return (kind, all, true);
        }
        if (counter.NumberKind == ValueKind.Missing || counter.Samples.Count == 0)
            return null;
        return (counter.NumberKind, [.. counter.Samples.SelectMany(s => s.Weighted())], counter.Samples.All(s => s.IsAll));
    }

    private static (double Min, double Max) Ends(FieldCounter counter, List<(double Number, double Weight)> sorted) =>
        counter.More && counter.Samples.Count > 0
            ? (counter.Samples.Min(s => s.Min), counter.Samples.Max(s => s.Max))
            : (sorted[0].Number, sorted[^1].Number);

    /// <summary>The smallest number that at least this share of the weight does not exceed (type 1 of Hyndman and Fan,
    /// 1996).</summary>
    internal static double Quantile(List<(double Number, double Weight)> sorted, double share)
    {
        var total = sorted.Sum(s => s.Weight);
        double passed = 0;
        foreach (var (number, weight) in sorted)
        {
            passed += weight;
            if (passed >= share * total)
                return number;
        }
        return sorted[^1].Number;
    }

    private static double[] Edges(ValueKind kind, double min, double max, double median, int distinct)
    {
        if (max <= min)
            return [min, min];
        var bins = Math.Clamp(distinct, 2, MostBins);
        if (kind == ValueKind.Integer && max - min < bins)
            bins = Math.Max(1, (int)(max - min));
        var grows = min > 0 && max / min > WideRatio && median < min + ((max - min) / 8);
        var edges = new double[bins + 1];
        for (var i = 0; i <= bins; i++)
            edges[i] = grows ? min * Math.Pow(max / min, (double)i / bins) : min + ((max - min) * i / bins);
        (edges[0], edges[bins]) = (min, max);
        return edges;
    }

    private static double[] Shares(List<(double Number, double Weight)> numbers, double[] edges)
    {
        var bins = new double[edges.Length - 1];
        double total = 0;
        foreach (var (number, weight) in numbers)
        {
            total += weight;
            if (number < edges[0] || number > edges[^1])
                continue;
            var at = Array.BinarySearch(edges, number);
            bins[Math.Clamp(at >= 0 ? at : ~at - 1, 0, bins.Length - 1)] += weight;
        }
        for (var i = 0; i < bins.Length; i++)
            bins[i] /= Math.Max(1, total);
        return bins;
    }
}
