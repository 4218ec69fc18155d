using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>A value axis from a round number to a round number.</summary>
/// <param name="Ticks">Rising, from Min to Max.</param>
public sealed record ValueAxis(double Min, double Max, IReadOnlyList<double> Ticks, ValueKind Kind)
{
    private static readonly double[] Seconds = [1e9, 2e9, 5e9, 10e9, 15e9, 30e9, 60e9, 120e9, 300e9, 600e9, 900e9, 1800e9, 3600e9, 7200e9, 14400e9, 21600e9, 43200e9, 86400e9];

    /// <summary>
    /// The shortest axis of round steps that holds the values. It starts at zero unless values lie below, as
    /// a length that is cut off at its foot misleads.
    /// </summary>
    public static ValueAxis For(double min, double max, ValueKind kind, int most)
    {
        min = Math.Min(0, min);
        max = Math.Max(0, max);
        if (max - min <= 0) max = kind is ValueKind.Duration ? 1e9 : 1;
        var step = Step((max - min) / Math.Max(1, most), kind);
        var (first, last) = (Math.Floor(min / step), Math.Ceiling(max / step));
        var ticks = new List<double>();
        for (var i = first; i <= last; i++) ticks.Add(i * step);
        return new ValueAxis(first * step, last * step, ticks, kind);
    }

    private static double Step(double least, ValueKind kind)
    {
        if (kind == ValueKind.Duration && least > 0.5e9)
            foreach (var second in Seconds) if (second >= least) return second;
        // Counts have no halves.
        if (kind == ValueKind.Integer && least < 1) return 1;
        var size = Math.Pow(10, Math.Floor(Math.Log10(least)));
        foreach (var factor in new[] { 1, 2, 5, 10 })
            if (factor * size >= least * 0.999999) return factor * size;
        return 10 * size;
    }

    public string Label(double tick) => Format.Quantity(tick, Kind);

    /// <summary>Where a value stands between the foot (0) and the top (1).</summary>
    public double Share(double value) => (value - Min) / (Max - Min);
}
