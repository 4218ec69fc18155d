namespace Kumiko.Core.Analysis;

/// <summary>What one part of a formula did to its change.</summary>
/// <param name="Before">The part's own value before.</param>
/// <param name="After">And after.</param>
/// <param name="Effect">How much of the change it accounts for, in the formula's unit.</param>
/// <param name="Share">The same as a share of the change; the shares of all parts add up to 1. Null where nothing
/// changed.</param>
public sealed record PartMoved(string Name, double Before, double After, double Effect, double? Share);

/// <summary>Which part of a formula moved it.</summary>
public static class Attribution
{
    /// <summary>More parts than this would take too many trials.</summary>
    public const int MostParts = 12;

    /// <summary>
    /// The change of a formula shared out among its parts: the mean effect of moving each from before to after, over all orders
    /// in which
    /// they can be moved (Shapley: A value for n-person games, 1953; for parts of a figure Shorrocks: Decomposition procedures,
    /// 2013).
    /// </summary>
    /// <param name="parts">Names with values before and after.</param>
    /// <param name="formula">The figure for values of the parts in their order; null where it has none.</param>
    /// <returns>The largest effect first; null where the formula has no value for some mixture of before and after, or parts are
    /// too many.</returns>
    public static IReadOnlyList<PartMoved>? Of(
        IReadOnlyList<(string Name, double Before, double After)> parts,
        Func<double[], double?> formula
    )
    {
        var n = parts.Count;
        if (n is 0 or > MostParts)
            return null;
        var figures = new double[1 << n];
        for (var moved = 0; moved < figures.Length; moved++)
        {
            var values = new double[n];
            for (var i = 0; i < n; i++)
                values[i] = (moved >> i & 1) != 0 ? parts[i].After : parts[i].Before;
            if (formula(values) is not { } figure || !double.IsFinite(figure))
                return null;
            figures[moved] = figure;
        }
        var total = figures[^1] - figures[0];
        var weights = Weights(n);
        var found = new List<PartMoved>(n);
        for (var i = 0; i < n; i++)
        {
            var effect = 0.0;
            for (var moved = 0; moved < figures.Length; moved++)
                if ((moved >> i & 1) == 0)
                    effect +=
                        weights[System.Numerics.BitOperations.PopCount((uint)moved)] * (figures[moved | 1 << i] - figures[moved]);
            found.Add(new PartMoved(parts[i].Name, parts[i].Before, parts[i].After, effect, total == 0 ? null : effect / total));
        }
        return [.. found.OrderByDescending(p => Math.Abs(p.Effect)).ThenBy(p => p.Name, StringComparer.Ordinal)];
    }

    /// <summary>By how many have moved already: the share of orders in which just these go before a given part.</summary>
    private static double[] Weights(int n)
    {
        var weights = new double[n];
        weights[0] = 1.0 / n;
        for (var moved = 1; moved < n; moved++)
            weights[moved] = weights[moved - 1] * moved / (n - moved);
        return weights;
    }
}
