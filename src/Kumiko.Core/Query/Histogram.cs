using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>Counts of records by step and severity band (0 for unspecified, then trace to fatal).</summary>
public sealed class Histogram
{
    public const int Bands = 7;

    private readonly long[] _counts;

    /// <param name="window">What it spans; the first step starts at its beginning.</param>
    /// <param name="step">Nanoseconds.</param>
    public Histogram(Window window, long step)
    {
        (Window, Step) = (window, step);
        Steps = (int)((window.Length + step - 1) / step);
        _counts = new long[Steps * Bands];
    }

    public Window Window { get; }
    public long Step { get; }
    public int Steps { get; }

    public long this[int step, int band] => _counts[(step * Bands) + band];
    public long Total(int step) => _counts.AsSpan(step * Bands, Bands).ToArray().Sum();

    public static Histogram Of(MatchSet matches, Window window, long step)
    {
        var histogram = new Histogram(window, step);
        foreach (var record in matches.In(window)) histogram.Add(record);
        return histogram;
    }

    private void Add(LogRecord record) =>
        _counts[((record.Time - Window.From) / Step * Bands) + Severity.Band(record.SeverityNumber)]++;
}
