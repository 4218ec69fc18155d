using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>A segment of samples: chunks by series, of one UTC day. Closed ones hold all of a series' day, with levels
/// beside.</summary>
/// <param name="Day">Where the day begins, UTC nanoseconds.</param>
/// <param name="Series">Numbers of its series, rising.</param>
/// <param name="Offsets">For each part where the chunk of each series begins, and where the last ends; empty where there is no
/// such part.</param>
/// <param name="Parts">Which parts are there, a bit for each grain.</param>
public sealed record MetricSegment(
    long Id,
    long Day,
    bool IsClosed,
    long MinTime,
    long MaxTime,
    long Samples,
    long Bytes,
    int[] Series,
    int[][] Offsets,
    int Parts
)
{
    /// <summary>Whether the samples themselves are still there.</summary>
    public bool HasSamples => Has(Grains.Samples);

    public bool Has(int grain) => (Parts & (1 << grain)) != 0;

    /// <summary>Where the series from one number to another stand: first place and the place behind the last.</summary>
    public (int First, int End) Places(int fromSeries, int toSeries) => (Place(fromSeries), Place(toSeries + 1));

    private int Place(int series)
    {
        var at = Array.BinarySearch(Series, series);
        return at < 0 ? ~at : at;
    }

    internal byte[] Directory()
    {
        using var to = new ByteWriter();
        to.Number(Series.Length);
        PackedLongs.Write(to, Array.ConvertAll(Series, s => (long)s));
        foreach (var offsets in Offsets)
        {
            to.Number(offsets.Length);
            PackedLongs.Write(to, Array.ConvertAll(offsets, o => (long)o));
        }
        return to.ToArray();
    }

    /// <exception cref="InvalidDataException">The bytes are damaged.</exception>
    internal static (int[] Series, int[][] Offsets) ReadDirectory(ReadOnlySpan<byte> directory)
    {
        var from = new ByteReader(directory);
        var series = Ints(ref from, from.Count(MetricSegmentWriter.MostSamples));
        var offsets = new int[Grains.Count][];
        for (var i = 0; i < offsets.Length; i++)
            offsets[i] = Ints(ref from, from.Count(MetricSegmentWriter.MostSamples));
        return (series, offsets);
    }

    private static int[] Ints(ref ByteReader from, int count)
    {
        var values = new long[count];
        PackedLongs.Read(ref from, values);
        return Array.ConvertAll(values, v => (int)v);
    }

    /// <summary>The start of the UTC day of a time.</summary>
    public static long DayOf(long time) => time - ((time % Instants.Day + Instants.Day) % Instants.Day);
}

/// <summary>A segment made ready to be inserted: its catalogue row with id 0, and its parts.</summary>
internal sealed record EncodedMetricSegment(MetricSegment Segment, byte[]?[] Parts);
