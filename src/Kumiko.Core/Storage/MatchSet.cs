using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Storage;

/// <summary>The records of a snapshot that passed a test: places in batches, not copies.</summary>
public sealed class MatchSet
{
    /// <param name="Batch">Where they are.</param>
    /// <param name="First">The first place looked at.</param>
    /// <param name="End">Behind the last place looked at.</param>
    /// <param name="Found">The places that passed, rising; null when all did.</param>
    internal sealed record Part(RecordBatch Batch, int First, int End, int[]? Found)
    {
        public int Count => Found?.Length ?? End - First;
        public int this[int index] => Found?[index] ?? First + index;

        /// <summary>Its rows; null where the segment turned out to be damaged, which the store has told.</summary>
        public IRecordRows? TryOpen(bool records)
        {
            try
            {
                return Batch.Open(records);
            }
            catch (DamagedSegmentException)
            {
                return null;
            }
        }
    }

    private readonly Part[] _parts;

    /// <summary>Held so that its segments stay.</summary>
    private readonly Snapshot _snapshot;

    internal MatchSet(Part[] parts, Snapshot snapshot)
    {
        (_parts, _snapshot) = (parts, snapshot);
        Count = parts.Sum(p => (long)p.Count);
    }

    public long Count { get; }

    public long CountIn(Window window) =>
        _parts.Sum(part =>
        {
            var (first, end) = Within(part, window);
            return (long)(end - first);
        });

    /// <summary>Those that pass a further test, on two workers.</summary>
    public MatchSet Filter(Func<LogRecord, bool> test, CancellationToken cancel)
    {
        var parts = new Part[_parts.Length];
        Parallel.For(0, _parts.Length, new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel }, i =>
        {
            var part = _parts[i];
            var found = new List<int>();
            if (part.Count > 0 && part.TryOpen(records: true) is { } rows)
                for (var n = 0; n < part.Count; n++)
                    if (test(rows[part[n]]))
                        found.Add(part[n]);
            parts[i] = part with { Found = [.. found] };
        });
        return new MatchSet(parts, _snapshot);
    }

    /// <summary>The matching records of a window, batch by batch; in time order within a batch.</summary>
    public IEnumerable<LogRecord> In(Window window)
    {
        foreach (var part in _parts)
        {
            var (first, end) = Within(part, window);
            if (first == end || part.TryOpen(records: true) is not { } rows)
                continue;
            for (var i = first; i < end; i++)
                yield return rows[part[i]];
        }
    }

    /// <summary>What lies in a window, batch by batch; parts with nothing in it are left out.</summary>
    internal IEnumerable<Part> PartsIn(Window window)
    {
        foreach (var part in _parts)
        {
            var (first, end) = Within(part, window);
            if (first < end)
                yield return part.Found is null
                    ? part with
                    {
                        First = part.First + first,
                        End = part.First + end,
                    }
                    : part with
                    {
                        Found = part.Found[first..end],
                    };
        }
    }

    /// <summary>Counts by step and severity band: seven numbers for each step, the window's first step first.</summary>
    public long[] Counts(Window window, long step)
    {
        var steps = (int)((window.Length + step - 1) / step);
        var counts = new long[steps * 7];
        foreach (var part in _parts)
        {
            var (first, end) = Within(part, window);
            if (first == end || part.TryOpen(records: false) is not { } rows)
                continue;
            var times = rows.Times;
            var bands = rows.Bands;
            for (var i = first; i < end; i++)
            {
                var place = part[i];
                counts[((times[place] - window.From) / step * 7) + bands[place]]++;
            }
        }
        return counts;
    }

    /// <summary>Sorted times of all matches.</summary>
    public long[] Times()
    {
        var times = new long[Count];
        var at = 0;
        foreach (var part in _parts)
        {
            if (part.Count == 0 || part.TryOpen(records: false) is not { } rows)
                continue;
            var all = rows.Times;
            for (var i = 0; i < part.Count; i++)
                times[at++] = all[part[i]];
        }
        Array.Sort(times, 0, at);
        return at == times.Length ? times : times[..at];
    }

    private static (int First, int End) Within(Part part, Window window)
    {
        if (part.Count == 0)
            return (0, 0);
        if (window.From <= part.Batch.MinTime && part.Batch.MaxTime < window.To)
            return (0, part.Count);
        if (part.TryOpen(records: false) is not { } rows)
            return (0, 0);
        return (LowerBound(part, rows.Times, window.From), LowerBound(part, rows.Times, window.To));
    }

    private static int LowerBound(Part part, ReadOnlySpan<long> times, long time)
    {
        var (low, high) = (0, part.Count);
        while (low < high)
        {
            var middle = (low + high) >>> 1;
            if (times[part[middle]] < time)
                low = middle + 1;
            else
                high = middle;
        }
        return low;
    }
}
