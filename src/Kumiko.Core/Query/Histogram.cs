using Kumiko.Core.Frames;

namespace Kumiko.Core.Query;

/// <summary>Counts of records by step and severity band (0 for unspecified, then trace to fatal).</summary>
/// <param name="Window">What it spans; the first step starts at its beginning.</param>
/// <param name="Step">Nanoseconds.</param>
public sealed record Histogram(Window Window, long Step, long[] Counts)
{
    public const int Bands = 7;

    public int Steps => Counts.Length / Bands;

    public long this[int step, int band] => Counts[(step * Bands) + band];

    public long Total(int step)
    {
        long total = 0;
        foreach (var count in Counts.AsSpan(step * Bands, Bands))
            total += count;
        return total;
    }
}
