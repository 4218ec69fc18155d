using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>Statistics of a series over the focus: measured steps that lie in it whole. Null where there is none.</summary>
/// <param name="Steps">How many steps they are of.</param>
public sealed record SeriesFigures(double? Last, double? Min, double? Mean, double? Max, double? P95, double? Sum, int Steps)
{
    public static SeriesFigures Of(Series series, IReadOnlyList<long> times, long step, Window focus, long now)
    {
        double[] values =
        [
            .. series
                .Finished(i => times[i] < focus.From || times[i] + step > Math.Min(focus.To, now))
                .Select(i => series.Values[i]!.Value),
        ];
        if (values.Length == 0)
            return new SeriesFigures(null, null, null, null, null, null, 0);
        var last = values[^1];
        Array.Sort(values);
        return new SeriesFigures(
            last,
            values[0],
            values.Average(),
            values[^1],
            Peers.Percentile(values, 0.95),
            values.Sum(),
            values.Length
        );
    }
}
