using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>Times of samples, which series that were measured together share.</summary>
/// <param name="Times">UTC nanoseconds, rising.</param>
public sealed record TimeBlock(long[] Times)
{
    /// <summary>What a reader made of these times, kept for the next series that shares them.</summary>
    internal object? Cut { get; set; }
}

/// <summary>Samples of one series, each at a time of its own, in order of time.</summary>
/// <param name="Values">NaN where a sender said that there is none; the means of distributions.</param>
/// <param name="Starts">Since when each counts, 0 where not said; null where none says.</param>
/// <param name="Distributions">Null for series of numbers.</param>
public sealed record SampleRun(TimeBlock Block, double[] Values, long[]? Starts, Distribution[]? Distributions)
{
    public static readonly SampleRun Empty = new(new TimeBlock([]), [], null, null);

    public long[] Times => Block.Times;
    public int Count => Times.Length;

    /// <summary>As they came, in any order; of several at one time the last stands.</summary>
    public static SampleRun Of(
        ReadOnlySpan<long> times,
        ReadOnlySpan<double> values,
        ReadOnlySpan<long> starts,
        ReadOnlySpan<Distribution> distributions
    )
    {
        if (Stretches(times) is { } stretches)
            return new SampleRun(
                new TimeBlock(Joined(times, stretches)),
                Joined(values, stretches),
                starts.IsEmpty ? null : Joined(starts, stretches),
                distributions.IsEmpty ? null : Joined(distributions, stretches)
            );
        var (order, sorted) = (new int[times.Length], times.ToArray());
        for (var i = 0; i < order.Length; i++)
            order[i] = i;
        // Equal times in the order of arrival.
        Array.Sort(sorted, order);
        for (int i = 0, end; i < order.Length; i = end)
        {
            for (end = i + 1; end < order.Length && sorted[end] == sorted[i]; end++) { }
            if (end > i + 1)
                Array.Sort(order, i, end - i);
        }
        var kept = new List<int>(order.Length);
        for (var i = 0; i < order.Length; i++)
            if (i + 1 == order.Length || sorted[i + 1] != sorted[i])
                kept.Add(order[i]);
        return new SampleRun(
            new TimeBlock(Pick(times, kept)),
            Pick(values, kept),
            starts.IsEmpty ? null : Pick(starts, kept),
            distributions.IsEmpty ? null : Pick(distributions, kept)
        );
    }

    /// <summary>
    /// Rising stretches that follow each other once they are in order, as batches of several senders do; null where they
    /// are many or overlap.
    /// </summary>
    private static List<Range>? Stretches(ReadOnlySpan<long> times)
    {
        const int MeanLength = 8;
        var stretches = new List<(long From, long To, Range Range)>();
        for (int first = 0, end; first < times.Length; first = end)
        {
            for (end = first + 1; end < times.Length && times[end] > times[end - 1]; end++) { }
            if (stretches.Count > times.Length / MeanLength)
                return null;
            stretches.Add((times[first], times[end - 1], first..end));
        }
        stretches.Sort((a, b) => a.From.CompareTo(b.From));
        for (var i = 1; i < stretches.Count; i++)
            if (stretches[i].From <= stretches[i - 1].To)
                return null;
        return stretches.ConvertAll(s => s.Range);
    }

    private static T[] Joined<T>(ReadOnlySpan<T> from, List<Range> stretches)
    {
        var joined = new T[from.Length];
        var at = 0;
        foreach (var stretch in stretches)
        {
            from[stretch].CopyTo(joined.AsSpan(at));
            at += from[stretch].Length;
        }
        return joined;
    }

    private static T[] Pick<T>(ReadOnlySpan<T> from, List<int> places)
    {
        var picked = new T[places.Count];
        for (var i = 0; i < picked.Length; i++)
            picked[i] = from[places[i]];
        return picked;
    }

    /// <summary>Several runs as one; where two have a sample at one time, the later run's stands.</summary>
    public static SampleRun Merge(IReadOnlyList<SampleRun> runs)
    {
        if (runs.Count == 1)
            return runs[0];
        var count = runs.Sum(r => r.Count);
        var (times, values) = (new long[count], new double[count]);
        var starts = runs.Any(r => r.Starts is not null) ? new long[count] : null;
        var distributions = runs.Any(r => r.Distributions is not null) ? new Distribution[count] : null;
        var at = 0;
        foreach (var run in runs)
        {
            run.Times.CopyTo(times, at);
            run.Values.CopyTo(values, at);
            run.Starts?.CopyTo(starts!, at);
            run.Distributions?.CopyTo(distributions!, at);
            at += run.Count;
        }
        return Of(times, values, starts, distributions);
    }

    /// <summary>The samples of a stretch of time.</summary>
    public (int First, int End) Range(long from, long to) => (First(from), First(to));

    private int First(long time)
    {
        var at = Array.BinarySearch(Times, time);
        return at < 0 ? ~at : at;
    }
}
