using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>Records of one minute, service and severity band.</summary>
/// <param name="Minute">Its start, UTC nanoseconds.</param>
/// <param name="Service">Empty where the records have none.</param>
/// <param name="Band">0 for unspecified, then trace to fatal.</param>
public readonly record struct MinuteCount(long Minute, string Service, int Band, int Count);

/// <summary>How many records a segment has by minute, service and severity band: counting over time reads no other
/// column.</summary>
public static class MinuteCounts
{
    private const int Bands = 7;

    /// <param name="records">In the order of time.</param>
    internal static void Write(ByteWriter to, RecordBlock records)
    {
        var services = new Dictionary<string, int>(StringComparer.Ordinal);
        var serviceOf = new int[records.Resources.Length];
        for (var i = 0; i < serviceOf.Length; i++)
        {
            var service = ServiceOf(records.Resources[i]);
            if (!services.TryGetValue(service, out serviceOf[i]))
                services.Add(service, serviceOf[i] = services.Count);
        }
        to.Number(services.Count);
        foreach (var service in services.Keys)
            to.Text(service);
        var counts = new int[services.Count * Bands];
        var last = 0L;
        for (var i = 0; i < records.Count; )
        {
            var minute = MinuteOf(records.TimeOf[i]);
            for (; i < records.Count && MinuteOf(records.TimeOf[i]) == minute; i++)
                counts[(serviceOf[records.ResourceOf[i]] * Bands) + Severity.Band(records.SeverityOf[i])]++;
            to.Signed(minute - last);
            last = minute;
            to.Number(counts.Count(c => c > 0));
            for (var k = 0; k < counts.Length; k++)
            {
                if (counts[k] == 0)
                    continue;
                to.Number(k);
                to.Number(counts[k]);
            }
            Array.Clear(counts);
        }
    }

    /// <summary>In the order of time.</summary>
    /// <exception cref="InvalidDataException">The bytes cannot be right.</exception>
    public static List<MinuteCount> Read(ReadOnlySpan<byte> content)
    {
        var from = new ByteReader(content);
        var services = new string[from.Count(from.Left)];
        for (var i = 0; i < services.Length; i++)
            services[i] = from.Text();
        var counts = new List<MinuteCount>();
        var minute = 0L;
        while (from.Left > 0)
        {
            minute += from.Signed();
            for (var cells = from.Count(from.Left); cells > 0; cells--)
            {
                var (service, band) = Math.DivRem(from.Count((services.Length * Bands) - 1), Bands);
                counts.Add(
                    new MinuteCount(
                        (long)Int128.Max((Int128)minute * Instants.Minute, long.MinValue),
                        services[service],
                        band,
                        from.Count(int.MaxValue)
                    )
                );
            }
        }
        return counts;
    }

    private static string ServiceOf(Resource resource) => resource.Service is { IsText: true } service ? service.AsText : "";

    private static long MinuteOf(long time) => Math.DivRem(time, Instants.Minute, out var rest) - (rest < 0 ? 1 : 0);
}
