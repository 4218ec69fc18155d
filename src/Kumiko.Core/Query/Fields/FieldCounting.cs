using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Fields;

/// <summary>The fields of some records, counted.</summary>
internal sealed record FieldCounts(IReadOnlyDictionary<string, FieldCounter> Fields, long Total);

/// <summary>What a query computes for each record, to be counted beside what records hold.</summary>
/// <param name="RowOf">A row of a source with its slots filled; null where a step drops it.</param>
/// <param name="Values">Names and values computed for a row.</param>
/// <param name="Names">Names that hide stored fields of the same name.</param>
internal sealed record ComputedFields(
    Func<RowSource, int, Row?> RowOf,
    Func<Row, IEnumerable<(string Name, Value Value)>> Values,
    IReadOnlySet<string> Names
);

/// <summary>
/// Counts the values of fields over matching records. Segments are counted by column: each text of a dictionary
/// once, and no record is put together.
/// </summary>
internal sealed class FieldCounting(int mostValues, string? only, ComputedFields? computed, CancellationToken cancel)
{
    private const int MostFields = 2_000;

    private readonly Dictionary<string, FieldCounter> _fields = new(StringComparer.Ordinal);

    /// <summary>Whether what is counted now are spans, whose fields have other names in the store.</summary>
    private bool _isSpans;

    /// <param name="what">Matches, each with the window that counts.</param>
    /// <param name="mostValues">So many different values of a field are told apart.</param>
    /// <param name="only">Counts this field alone; null for all.</param>
    /// <param name="computed">Null where the query computes nothing.</param>
    public static FieldCounts Count(
        IEnumerable<(MatchSet Matches, Window Window)> what,
        int mostValues,
        string? only,
        ComputedFields? computed,
        CancellationToken cancel
    )
    {
        var parts = what.SelectMany(w => w.Matches.PartsIn(w.Window)).OrderByDescending(p => p.Count).ToArray();
        var workers = new ConcurrentBag<FieldCounting>();
        var next = -1;
        Parallel.For(
            0,
            Math.Min(2, parts.Length),
            new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel },
            _ =>
            {
                var worker = new FieldCounting(mostValues, only, computed, cancel);
                workers.Add(worker);
                for (var i = Interlocked.Increment(ref next); i < parts.Length; i = Interlocked.Increment(ref next))
                {
                    cancel.ThrowIfCancellationRequested();
                    worker.Add(parts[i]);
                }
            }
        );
        var all = workers.ToList();
        if (all.Count == 0)
            return new FieldCounts(new Dictionary<string, FieldCounter>(), 0);
        foreach (var more in all.Skip(1))
        foreach (var (name, counter) in more._fields)
            if (all[0]._fields.TryGetValue(name, out var into))
                into.Merge(counter);
            else
                all[0]._fields.Add(name, counter);
        return new FieldCounts(all[0]._fields, parts.Sum(p => (long)p.Count));
    }

    /// <summary>The fields of rows that have columns; times are no field that one counts.</summary>
    public static FieldCounts Count(
        IReadOnlyList<Column> columns,
        IEnumerable<Row> rows,
        int mostValues,
        string? only,
        CancellationToken cancel
    )
    {
        var counting = new FieldCounting(mostValues, only, null, cancel);
        var counted = Enumerable
            .Range(0, columns.Count)
            .Where(i => columns[i].Role != ColumnRole.Time && (only is null || columns[i].Name == only))
            .ToArray();
        long total = 0;
        foreach (var row in rows)
        {
            if (total++ % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            foreach (var i in counted)
                counting.Add(columns[i].Name, row.Slots[i]);
        }
        return new FieldCounts(counting._fields, total);
    }

    private FieldCounter? Counter(string name)
    {
        if (_fields.TryGetValue(name, out var known))
            return known;
        if ((only is not null && only != name) || _fields.Count >= MostFields)
            return null;
        _fields.Add(name, known = new FieldCounter(mostValues));
        return known;
    }

    /// <summary>The counter of a field that records hold; null where it is not counted.</summary>
    private FieldCounter? Stored(string name) => computed is not null && computed.Names.Contains(name) ? null : Counter(name);

    private void Add(string name, in Value value, long times = 1) =>
        Add(times == 0 || value.IsMissing ? null : Stored(name), value, times);

    private static void Add(FieldCounter? counter, in Value value, long times)
    {
        if (counter is null)
            return;
        counter.Add(value, times);
        if (value.IsQuantity)
        {
            for (var i = 0L; i < Math.Min(times, 1024); i++)
                counter.Sample(value.Kind, value.AsDouble);
        }
        else
            counter.Note(value.Kind);
    }

    private string Asked(string stored) => _isSpans ? SpanFields.Asked(stored) : stored;

    private void Add(MatchSet.Part part)
    {
        _isSpans = part.Batch.Signal == Signal.Spans;
        if (part.Batch is SegmentBatch segment)
        {
            // A damaged segment is set aside by the store, which says so; the rest goes on.
            try
            {
                segment.Scan(null, scan =>
                {
                    Add(scan, part);
                    AddComputed(scan, part, i => part[i]);
                    return 0;
                });
            }
            catch (DamagedSegmentException) { }
            return;
        }
        if (part.TryOpen(records: true) is not { } rows)
            return;
        for (var i = 0; i < part.Count; i++)
        {
            if (i % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            var record = rows[part[i]];
            Add(record);
            AddComputed(RowSource.Of(record), part with { First = 0, End = 1, Found = null }, _ => 0);
        }
    }

    private void AddComputed(RowSource source, MatchSet.Part part, Func<int, int> place)
    {
        if (computed is null)
            return;
        for (var i = 0; i < part.Count; i++)
        {
            if (i % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            if (computed.RowOf(source, place(i)) is not { } row)
                continue;
            foreach (var (name, value) in computed.Values(row))
                if (!value.IsMissing)
                    Add(Counter(name), value, 1);
        }
    }

    private void Add(LogRecord record)
    {
        if (_isSpans)
        {
            Add("status", SpanFields.StatusValue(record.SeverityNumber));
            Add("operation", Value.Of(record.Body));
            Add("duration", SpanFields.DurationOf(record));
            Add("span_id", Value.Of(record.SpanId));
        }
        else if (record.SeverityNumber > 0)
            Add("level", Banded(record.SeverityNumber));
        AddResource(record.Resource, 1);
        if (record.TraceId is { } trace)
            Add("trace_id", Value.Of(trace));
        var names = record.Attributes.Names;
        for (var i = 0; i < names.Length; i++)
            Add(Asked(names[i]), record.Attributes.Values[i]);
    }

    private void AddResource(Resource resource, long times)
    {
        Add("service", resource.Service, times);
        Add("host", resource.Host, times);
        var names = resource.Attributes.Names;
        for (var i = 0; i < names.Length; i++)
            if (names[i] is not ("service.name" or "host.name"))
                Add(names[i], resource.Attributes.Values[i], times);
    }

    /// <summary>A level by the first number of its band, so that info and info2 are counted as one.</summary>
    private static Value Banded(int severity) => Value.Level(((Severity.Band(severity) - 1) * 4) + 1);

    private void Add(SegmentScan scan, MatchSet.Part part)
    {
        var whole = part.Found is null && part.First == 0 && part.End == scan.Count;
        if (only is null or "level" or "status")
        {
            Span<long> levels = stackalloc long[256];
            levels.Clear();
            var severities = scan.Severities;
            if (whole)
                foreach (var severity in severities)
                    levels[severity]++;
            else
                for (var i = 0; i < part.Count; i++)
                    levels[severities[part[i]]]++;
            for (var severity = _isSpans ? 0 : 1; severity < levels.Length; severity++)
                if (_isSpans)
                    Add("status", SpanFields.StatusValue(severity), levels[severity]);
                else
                    Add("level", Banded(severity), levels[severity]);
        }
        var ofResource = new long[scan.Resources.Length];
        var resources = scan.ResourceOfRow;
        if (whole)
            foreach (var resource in resources)
                ofResource[resource]++;
        else
            for (var i = 0; i < part.Count; i++)
                ofResource[resources[part[i]]]++;
        for (var r = 0; r < ofResource.Length; r++)
            if (ofResource[r] > 0)
                AddResource(scan.Resources[r], ofResource[r]);
        cancel.ThrowIfCancellationRequested();
        if (only is null or "trace_id")
            AddIds(scan.TraceId, "trace_id", part);
        if (_isSpans)
            AddOfSpans(scan, part);
        AddAttributes(scan, part, whole);
    }

    /// <summary>What every span has.</summary>
    private void AddOfSpans(SegmentScan scan, MatchSet.Part part)
    {
        if (only is null or "span_id")
            AddIds(scan.SpanId, "span_id", part);
        if (only is null or "operation" && Stored("operation") is { } operations)
        {
            // Most names have no gaps, and are counted by their template.
            var templates = scan.Bodies.Templates;
            var ofRow = scan.Bodies.TemplateOfRow;
            var counts = new long[templates.Length];
            for (var i = 0; i < part.Count; i++)
                if (HasGaps(templates[ofRow[part[i]]]))
                    Add(operations, Value.Of(scan.Bodies.Text(part[i])), 1);
                else
                    counts[ofRow[part[i]]]++;
            for (var t = 0; t < counts.Length; t++)
                if (counts[t] > 0)
                    Add(operations, Value.Of(templates[t].Text), counts[t]);
        }
        if (only is null or "duration" && Stored("duration") is { } durations)
            for (var i = 0; i < part.Count; i++)
                Add(durations, Value.Duration(scan.Durations[part[i]]), 1);

        static bool HasGaps(SegmentTemplate template) => template.Text.Contains('\0');
    }

    private void AddIds((int[] Places, TextVector Texts) ids, string name, MatchSet.Part part)
    {
        var (places, texts) = ids;
        if (texts.Count == 0 || Stored(name) is not { } counter)
            return;
        long closed = 0;
        for (var i = 0; i < part.Count; i++)
        {
            if (places[part[i]] is not (var place and >= 0))
                continue;
            if (counter.IsClosed)
                closed++;
            else
                counter.Add(Value.Of(texts.Text(place)), 1);
        }
        counter.AddClosed(closed);
        counter.Note(ValueKind.Text);
    }

    private void AddAttributes(SegmentScan scan, MatchSet.Part part, bool whole)
    {
        var fields = scan.Attributes;
        if (only is not null && !fields.Names.Any(n => Asked(n) == only))
            return;
        if (whole)
        {
            for (var c = 0; c < fields.Keys.Length; c++)
                if (fields.CountOf(c) > 0)
                    AddColumn(fields, c, 0, null, fields.CountOf(c));
        }
        else
        {
            var shapeOfRow = fields.ShapeOfRow;
            var ranks = fields.Ranks;
            var counts = new int[fields.Shapes.Length];
            for (var i = 0; i < part.Count; i++)
                counts[shapeOfRow[part[i]]]++;
            var ofShape = new int[counts.Length][];
            for (var s = 0; s < counts.Length; s++)
                ofShape[s] = counts[s] == 0 ? [] : new int[counts[s]];
            Array.Clear(counts);
            for (var i = 0; i < part.Count; i++)
            {
                var row = part[i];
                var shape = shapeOfRow[row];
                ofShape[shape][counts[shape]++] = ranks[row];
            }
            for (var s = 0; s < ofShape.Length; s++)
            {
                if (ofShape[s].Length == 0)
                    continue;
                var shape = fields.Shapes[s];
                for (var f = 0; f < shape.Fields.Length; f++)
                    AddColumn(fields, shape.Fields[f], shape.Bases[f], ofShape[s], ofShape[s].Length);
            }
        }
        if (fields.RestOfRow is not { } rest)
            return;
        for (var i = 0; i < part.Count; i++)
        {
            var row = part[i];
            if (rest[row] < 0)
                continue;
            var known = fields.Shapes[fields.ShapeOfRow[row]].Names;
            var attributes = fields.Of(row);
            for (var n = 0; n < attributes.Count; n++)
                if (Array.IndexOf(known, attributes.Names[n]) < 0)
                    Add(Asked(attributes.Names[n]), attributes.Values[n]);
        }
    }

    /// <summary>Counts values of a column: those at a base and ranks behind it, or all.</summary>
    private void AddColumn(SegmentFields fields, int column, int first, int[]? ranks, int count)
    {
        var key = fields.Keys[column];
        if (key.Kind == ValueKind.Missing || Stored(Asked(key.Name)) is not { } counter)
            return;
        cancel.ThrowIfCancellationRequested();
        var vector = fields.Column(column);
        if (vector.Texts is { Entries: > 0 } dictionary)
        {
            counter.Note(key.Kind);
            var times = new int[dictionary.Entries];
            var places = dictionary.Places;
            if (ranks is null)
                for (var i = 0; i < count; i++)
                    times[places[i]]++;
            else
                foreach (var rank in ranks)
                    times[places[first + rank]]++;
            for (var e = 0; e < times.Length; e++)
            {
                if (times[e] == 0)
                    continue;
                if (counter.IsClosed)
                    counter.AddClosed(times[e]);
                else
                    counter.Add(Value.Of(dictionary.EntryText(e)), times[e]);
            }
            return;
        }
        var numbers = key.Kind is ValueKind.Integer or ValueKind.Decimal or ValueKind.Duration or ValueKind.Size;
        if (!numbers)
            counter.Note(key.Kind);
        var wholes = vector.Wholes;
        var decimals = vector.Decimals;
        long closed = 0;
        for (var i = 0; i < count; i++)
        {
            var at = ranks is null ? i : first + ranks[i];
            if (numbers)
                counter.Sample(key.Kind, wholes.IsEmpty ? decimals[at] : wholes[at]);
            if (counter.IsClosed)
                closed++;
            else if (vector[at] is { IsMissing: false } value)
                counter.Add(value, 1);
        }
        counter.AddClosed(closed);
    }
}
