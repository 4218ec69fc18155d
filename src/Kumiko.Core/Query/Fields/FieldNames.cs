using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Fields;

/// <summary>Which fields records have: segments tell by their lists of fields, and no value is read.</summary>
internal static class FieldNames
{
    /// <summary>What every span has.</summary>
    private static readonly string[] Always = ["operation", "status", "failed", "duration", "span_id"];

    public static IReadOnlyList<FieldPresence> Of(IEnumerable<MatchSet.Part> parts, CancellationToken cancel)
    {
        var counts = new Dictionary<string, long>(StringComparer.Ordinal);
        long total = 0;
        var isSpans = false;
        void Add(string name, long times)
        {
            if (times > 0)
                counts[name] = counts.GetValueOrDefault(name) + times;
        }
        foreach (var part in parts)
        {
            cancel.ThrowIfCancellationRequested();
            total += part.Count;
            isSpans |= part.Batch.Signal == Signal.Spans;
            // A damaged segment is set aside by the store, which says so; the rest goes on.
            try
            {
                if (part.Batch is SegmentBatch segment)
                    segment.Scan(null, scan =>
                    {
                        OfSegment(scan, part, Add);
                        return 0;
                    });
                else if (part.TryOpen(records: true) is { } rows)
                    OfRows(rows, part, Add);
            }
            catch (DamagedSegmentException) { }
        }
        if (isSpans)
        {
            counts = counts.ToDictionary(c => SpanFields.Asked(c.Key), c => c.Value, StringComparer.Ordinal);
            foreach (var name in Always)
                Add(name, total);
        }
        else
            Add("level", total);
        return
        [
            .. counts
                .Select(c => new FieldPresence(c.Key, c.Value, total))
                .OrderByDescending(f => f.Present)
                .ThenBy(f => f.Name, StringComparer.Ordinal),
        ];
    }

    /// <summary>Which fields counted rows have.</summary>
    public static IReadOnlyList<FieldPresence> Of(FieldCounts counts) =>
        [
            .. counts
                .Fields.Select(f => new FieldPresence(f.Key, f.Value.Present, counts.Total))
                .OrderByDescending(f => f.Present)
                .ThenBy(f => f.Name, StringComparer.Ordinal),
        ];

    private static void OfRows(IRecordRows rows, MatchSet.Part part, Action<string, long> add)
    {
        for (var i = 0; i < part.Count; i++)
        {
            var record = rows[part[i]];
            foreach (var name in record.Attributes.Names)
                add(name, 1);
            OfResource(record.Resource, 1, add);
            if (record.TraceId is not null)
                add("trace_id", 1);
        }
    }

    private static void OfResource(Records.Resource resource, long times, Action<string, long> add)
    {
        foreach (var name in resource.Attributes.Names)
            add(
                name switch
                {
                    "service.name" => "service",
                    "host.name" => "host",
                    _ => name,
                },
                times
            );
    }

    private static void OfSegment(SegmentScan scan, MatchSet.Part part, Action<string, long> add)
    {
        var fields = scan.Attributes;
        var (ofShape, ofResource) = (new long[fields.Shapes.Length], new long[scan.Resources.Length]);
        var shapes = fields.ShapeOfRow;
        var resources = scan.ResourceOfRow;
        var traces = scan.TraceId.Texts.Count > 0 ? scan.TraceId.Places : null;
        long traced = 0;
        for (var i = 0; i < part.Count; i++)
        {
            var row = part[i];
            ofShape[shapes[row]]++;
            ofResource[resources[row]]++;
            if (traces is not null && traces[row] >= 0)
                traced++;
        }
        for (var s = 0; s < ofShape.Length; s++)
            foreach (var name in fields.Shapes[s].Names)
                add(name, ofShape[s]);
        for (var r = 0; r < ofResource.Length; r++)
            OfResource(scan.Resources[r], ofResource[r], add);
        add("trace_id", traced);
        if (fields.RestOfRow is not { } rest)
            return;
        for (var i = 0; i < part.Count; i++)
            if (rest[part[i]] is >= 0)
                foreach (var name in fields.Of(part[i]).Names.ToArray().Except(fields.Shapes[fields.ShapeOfRow[part[i]]].Names))
                    add(name, 1);
    }
}
