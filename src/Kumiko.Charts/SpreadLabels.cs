namespace Kumiko.Charts;

/// <summary>Moves labels apart that would lie on each other.</summary>
internal static class SpreadLabels
{
    /// <summary>Places at least so far apart, each as near to where it wants to be as its neighbours and the edges let it, in
    /// their order.</summary>
    /// <param name="wanted">In any order.</param>
    /// <returns>A place for each, in the order of <paramref name="wanted"/>; closer than asked where there is no room for
    /// all.</returns>
    public static double[] Apart(IReadOnlyList<double> wanted, double least, double top, double bottom)
    {
        var order = Enumerable.Range(0, wanted.Count).OrderBy(i => wanted[i]).ThenBy(i => i).ToArray();
        var places = wanted.ToArray();
        if (order.Length > 1)
            least = Math.Min(least, Math.Max(0, bottom - top) / (order.Length - 1));
        // Up first: a label stands above its line, and lower it would lie on it.
        for (var (i, to) = (order.Length - 1, bottom); i >= 0; to = places[order[i--]] - least)
            places[order[i]] = Math.Min(places[order[i]], to);
        for (var (i, from) = (0, top); i < order.Length; from = places[order[i++]] + least)
            places[order[i]] = Math.Max(places[order[i]], from);
        return places;
    }
}
