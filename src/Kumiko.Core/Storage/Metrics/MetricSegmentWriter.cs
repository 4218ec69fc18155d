using System.IO.Hashing;
using System.Runtime.InteropServices;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>Makes segments of runs of samples.</summary>
internal static class MetricSegmentWriter
{
    /// <summary>A segment ends at so many; a chunk has at most so many too.</summary>
    public const int MostSamples = 1 << 20;

    /// <param name="runs">By rising number of series; each of one UTC day.</param>
    /// <param name="closed">Whether the runs are all of the day, to be kept with levels.</param>
    public static EncodedMetricSegment Write(IReadOnlyList<(MetricSeries Series, SampleRun Run)> runs, long day, bool closed)
    {
        using var content = new ByteWriter(1 << 16);
        var shared = SharedTimes(runs, content);
        var offsets = new int[Grains.Count][];
        var parts = new byte[]?[Grains.Count];
        offsets[Grains.Samples] = new int[runs.Count + 1];
        var digits = new int?[runs.Count];
        for (var i = 0; i < runs.Count; i++)
        {
            offsets[Grains.Samples][i] = content.Length;
            digits[i] = SampleChunk.Write(content, runs[i].Run, shared[i]);
        }
        offsets[Grains.Samples][runs.Count] = content.Length;
        parts[Grains.Samples] = content.ToArray();
        for (var grain = Grains.Minutes; grain < Grains.Count; grain++)
            (parts[grain], offsets[grain]) = closed ? WriteLevels(runs, day, grain, digits) : (null, []);
        var present = 0;
        for (var i = 0; i < parts.Length; i++)
            if (parts[i] is not null)
                present |= 1 << i;
        var segment = new MetricSegment(
            0,
            day,
            closed,
            runs.Min(r => r.Run.Times[0]),
            runs.Max(r => r.Run.Times[^1]),
            runs.Sum(r => (long)r.Run.Count),
            parts.Sum(p => p?.Length ?? 0),
            [.. runs.Select(r => r.Series.Id)],
            offsets,
            present
        );
        return new EncodedMetricSegment(segment, parts);
    }

    /// <summary>Writes times that several series have once, and answers where those of each series begin; null for times of its
    /// own.</summary>
    private static int?[] SharedTimes(IReadOnlyList<(MetricSeries Series, SampleRun Run)> runs, ByteWriter content)
    {
        var hashes = new ulong[runs.Count];
        var users = new Dictionary<ulong, int>();
        for (var i = 0; i < runs.Count; i++)
        {
            hashes[i] = XxHash3.HashToUInt64(MemoryMarshal.AsBytes<long>(runs[i].Run.Times));
            users[hashes[i]] = users.GetValueOrDefault(hashes[i]) + 1;
        }
        var written = new Dictionary<ulong, (int At, int Run)>();
        var places = new int?[runs.Count];
        for (var i = 0; i < runs.Count; i++)
        {
            if (users[hashes[i]] < 2)
                continue;
            if (!written.TryGetValue(hashes[i], out var first))
            {
                written.Add(hashes[i], first = (content.Length, i));
                SampleChunk.WriteTimes(content, runs[i].Run.Times);
                SampleChunk.Seal(content, first.At);
            }
            else if (!runs[first.Run].Run.Times.AsSpan().SequenceEqual(runs[i].Run.Times))
                continue;
            places[i] = first.At;
        }
        return places;
    }

    private static (byte[]? Part, int[] Offsets) WriteLevels(
        IReadOnlyList<(MetricSeries Series, SampleRun Run)> runs,
        long day,
        int grain,
        int?[] digits
    )
    {
        using var content = new ByteWriter(1 << 14);
        var offsets = new int[runs.Count + 1];
        for (var i = 0; i < runs.Count; i++)
        {
            offsets[i] = content.Length;
            Level.Of(runs[i].Series, runs[i].Run, day, grain, digits[i])?.Write(content);
        }
        offsets[runs.Count] = content.Length;
        return content.Length == 0 ? (null, []) : (content.ToArray(), offsets);
    }
}
