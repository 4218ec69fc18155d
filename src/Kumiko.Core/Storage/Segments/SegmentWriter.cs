using System.Buffers;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Segments;

/// <summary>Turns sorted records into the columns of a segment. Not for several threads; several writers may share a miner.</summary>
public sealed class SegmentWriter(TemplateMiner miner) : IDisposable
{
    /// <summary>Rows and raw bytes at which a segment ends when sealed, and when merged.</summary>
    public const int SealedRows = 16_384, MergedRows = 65_536;
    public const long SealedBytes = 8L << 20, MergedBytes = 32L << 20;

    private readonly ByteWriter _text = new(1 << 20), _column = new(1 << 18);
    private readonly List<Slice> _slices = [];
    private readonly TokenSet _tokens = new();

    /// <param name="records">At least one, sorted by id, all of one day.</param>
    /// <param name="merges">How often they were rewritten.</param>
    public EncodedSegment Write(LogRecord[] records, string? source, int merges)
    {
        using var columns = new ColumnGatherer(merges == 0 ? Codec.Lz4 : Codec.Zstd);
        var names = new NameTable();
        _tokens.Clear();
        WriteNumbers(columns, records);
        WriteTexts(columns, records);
        WriteBodies(columns, records);
        WriteResources(columns, records, names);
        var firstSeen = WriteFields(columns, records, names);
        MinuteCounts.Write(_column, records);
        columns.Add(SegmentColumn.Counts, _column);
        TokenFilter.Write(_column, _tokens);
        columns.Add(SegmentColumn.Filter, _column);
        var done = columns.Finish();
        return new EncodedSegment(Catalogue(records, source, merges) with { Bytes = done.Sum(c => (long)c.Content.Length) }, done, firstSeen);
    }

    private static Segment Catalogue(LogRecord[] records, string? source, int merges)
    {
        var (observed, least, most, mask, raw) = (long.MinValue, long.MaxValue, long.MinValue, 0, 0L);
        foreach (var record in records)
        {
            observed = Math.Max(observed, record.Observed);
            least = Math.Min(least, record.Sequence);
            most = Math.Max(most, record.Sequence);
            mask |= 1 << Severity.Band(record.SeverityNumber);
            raw += RecordSize.Of(record);
        }
        return new Segment
        {
            Id = 0,
            Source = source,
            MinTime = records[0].Time,
            MaxTime = records[^1].Time,
            MaxObserved = observed,
            MinSequence = least,
            MaxSequence = most,
            Rows = records.Length,
            SeverityMask = mask,
            RawBytes = raw,
            Bytes = 0,
            Merges = merges,
        };
    }

    private void WriteNumbers(ColumnGatherer columns, LogRecord[] records)
    {
        // One look at each record for all four: records lie far apart in memory, and that is what costs.
        var count = records.Length;
        var numbers = ArrayPool<long>.Shared.Rent(count * 4);
        for (var i = 0; i < count; i++)
        {
            var record = records[i];
            numbers[i] = record.Time;
            numbers[count + i] = record.Observed - record.Time;
            numbers[(2 * count) + i] = record.Sequence;
            numbers[(3 * count) + i] = record.SeverityNumber;
        }
        foreach (var (place, column) in new[] { SegmentColumn.Time, SegmentColumn.Observed, SegmentColumn.Sequence, SegmentColumn.Severity }.Index())
        {
            LongColumn.Write(_column, numbers.AsSpan(place * count, count));
            columns.Add(column, _column);
        }
        ArrayPool<long>.Shared.Return(numbers);
    }

    private void WriteTexts(ColumnGatherer columns, LogRecord[] records)
    {
        Optional(SegmentColumn.SeverityText, static r => r.SeverityText, null);
        Optional(SegmentColumn.TraceId, static r => r.TraceId, _tokens);
        Optional(SegmentColumn.SpanId, static r => r.SpanId, _tokens);
        Optional(SegmentColumn.Source, static r => r.Source, null);

        void Optional(SegmentColumn column, Func<LogRecord, string?> of, TokenSet? seen)
        {
            var present = ArrayPool<long>.Shared.Rent(records.Length);
            BeginTexts();
            for (var i = 0; i < records.Length; i++)
            {
                var text = of(records[i]);
                present[i] = text is null ? 0 : 1;
                if (text is not null) AddText(text);
            }
            if (_slices.Count > 0)
            {
                LongColumn.Write(_column, present.AsSpan(0, records.Length));
                EndTexts(seen);
            }
            ArrayPool<long>.Shared.Return(present);
            columns.Add(column, _column);
        }
    }

    private void BeginTexts()
    {
        _text.Clear();
        _slices.Clear();
    }

    private void AddText(string text)
    {
        var start = _text.Length;
        _slices.Add(new Slice(start, _text.Utf8(text)));
    }

    private void EndTexts(TokenSet? seen) => TextColumn.Write(_column, _text.Written, CollectionsMarshal.AsSpan(_slices), seen);

    private void WriteBodies(ColumnGatherer columns, LogRecord[] records)
    {
        var local = new Dictionary<Template, int>();
        var templates = new List<Template>();
        var rows = new List<int>();
        var places = new int[records.Length];
        var firstGap = new int[records.Length];
        var isLong = new bool[records.Length];
        BeginTexts();
        // Mining is the one thing that writers do one after the other.
        lock (miner) FindTemplates(records, local, templates, rows, places, firstGap, isLong);
        _column.Number(templates.Count);
        foreach (var template in templates)
        {
            _column.Signed(template.Id);
            _column.Sized(template.Key);
        }
        columns.Add(SegmentColumn.Templates, _column);
        LongColumn.Write(_column, places);
        columns.Add(SegmentColumn.TemplateOfRow, _column);
        WriteVariables(columns, templates, rows, places, firstGap, isLong);
    }

    private void FindTemplates(LogRecord[] records, Dictionary<Template, int> local, List<Template> templates, List<int> rows, int[] places, int[] firstGap, bool[] isLong)
    {
        for (var i = 0; i < records.Length; i++)
        {
            var record = records[i];
            var start = _text.Length;
            var length = _text.Utf8(record.Body);
            firstGap[i] = _slices.Count;
            var template = miner.Find(MinuteCounts.ServiceOf(record), _text.Written.Slice(start, length), record.Time, _slices);
            isLong[i] = length > TemplateMiner.LongestBody;
            if (!local.TryGetValue(template, out var place))
            {
                local.Add(template, place = templates.Count);
                templates.Add(template);
                rows.Add(0);
            }
            places[i] = place;
            rows[place]++;
            var gaps = CollectionsMarshal.AsSpan(_slices)[firstGap[i]..];
            for (var g = 0; g < gaps.Length; g++) gaps[g] = gaps[g] with { Start = gaps[g].Start + start };
        }
    }

    private void WriteVariables(ColumnGatherer columns, List<Template> templates, List<int> rows, int[] places, int[] firstGap, bool[] isLong)
    {
        var grouped = Grouped.By(places, templates.Count);
        var all = CollectionsMarshal.AsSpan(_slices);
        var values = new Slice[rows.Max()];
        using var longBodies = new ByteWriter();
        for (var t = 0; t < templates.Count; t++)
        {
            var of = grouped[t];
            if (templates[t] == Template.Whole)
            {
                WriteWhole(longBodies, of, firstGap, isLong, all);
                continue;
            }
            for (var gap = 0; gap < templates[t].Gaps; gap++)
            {
                for (var n = 0; n < of.Length; n++) values[n] = all[firstGap[of[n]] + gap];
                TextColumn.Write(_column, _text.Written, values.AsSpan(0, of.Length), _tokens);
            }
        }
        columns.Add(SegmentColumn.Variables, _column);
        columns.Add(SegmentColumn.LongBodies, longBodies);
    }

    /// <summary>Bodies without a template: short ones among the variables, long ones by themselves so that reading others does not meet them.</summary>
    private void WriteWhole(ByteWriter longBodies, ReadOnlySpan<int> rows, int[] firstGap, bool[] isLong, ReadOnlySpan<Slice> all)
    {
        var (shorts, longs) = (new List<Slice>(), new List<Slice>());
        var which = new long[rows.Length];
        for (var n = 0; n < rows.Length; n++)
        {
            which[n] = isLong[rows[n]] ? 1 : 0;
            (isLong[rows[n]] ? longs : shorts).Add(all[firstGap[rows[n]]]);
        }
        LongColumn.Write(_column, which);
        TextColumn.Write(_column, _text.Written, CollectionsMarshal.AsSpan(shorts), _tokens);
        if (longs.Count > 0) TextColumn.Write(longBodies, _text.Written, CollectionsMarshal.AsSpan(longs), _tokens);
    }

    private void WriteResources(ColumnGatherer columns, LogRecord[] records, NameTable names)
    {
        var byReference = new Dictionary<Attributes, int>(ReferenceEqualityComparer.Instance);
        var byContent = new Dictionary<Value, int>();
        var distinct = new List<Attributes>();
        var places = new int[records.Length];
        var recent = new (Resource? Resource, int Place)[64];
        for (var i = 0; i < records.Length; i++)
        {
            ref var known = ref recent[RuntimeHelpers.GetHashCode(records[i].Resource) & 63];
            if (known.Resource == records[i].Resource) { places[i] = known.Place; continue; }
            var resource = records[i].Resource.Attributes;
            if (!byReference.TryGetValue(resource, out places[i]))
            {
                if (!byContent.TryGetValue(Value.Of(resource), out var place))
                {
                    byContent.Add(Value.Of(resource), place = distinct.Count);
                    distinct.Add(resource);
                }
                byReference.Add(resource, places[i] = place);
            }
            known = (records[i].Resource, places[i]);
        }
        _column.Number(distinct.Count);
        foreach (var resource in distinct)
        {
            ValueCodec.Write(_column, resource, names);
            AddTokens(Value.Of(resource));
        }
        columns.Add(SegmentColumn.Resource, _column);
        LongColumn.Write(_column, places);
        columns.Add(SegmentColumn.ResourceOfRow, _column);
    }

    private IReadOnlyList<KeyValuePair<FieldKey, long>> WriteFields(ColumnGatherer columns, LogRecord[] records, NameTable names)
    {
        var shapes = new FieldShapes(records);
        if (shapes.HasRest is { } hasRest) WriteRest(columns, records, shapes, hasRest, names);
        var rows = Grouped.By(shapes.ShapeOfRow, shapes.Shapes.Count);
        for (var f = 0; f < shapes.Fields.Length; f++)
        {
            WriteField(records, shapes, rows, f, names);
            columns.Add(SegmentColumn.FirstField + f, _column);
        }
        using var head = new ByteWriter();
        shapes.Write(_column, names);
        names.Write(head);
        head.Bytes(_column.Written);
        _column.Clear();
        columns.Add(SegmentColumn.Shapes, head);
        return shapes.FirstSeen;
    }

    /// <summary>A field's values, list of fields by list of fields, in the order of rows within each.</summary>
    private void WriteField(LogRecord[] records, FieldShapes shapes, Grouped rows, int field, NameTable names)
    {
        var kind = shapes.Fields[field].Kind;
        if (kind == ValueKind.Missing) return;
        var values = new List<Value>();
        for (var s = 0; s < shapes.Shapes.Count; s++)
            for (var place = 0; place < shapes.Shapes[s].Length; place++)
                if (shapes.Shapes[s][place] == field)
                    foreach (var row in rows[s]) values.Add(shapes.ValueAt(records[row], row, place));
        WriteValues(kind, CollectionsMarshal.AsSpan(values), names);
    }

    private void WriteValues(ValueKind kind, ReadOnlySpan<Value> values, NameTable names)
    {
        switch (kind)
        {
            case ValueKind.Text:
                BeginTexts();
                foreach (var value in values) AddText(value.AsText);
                EndTexts(_tokens);
                break;
            case ValueKind.Decimal:
                var decimals = ArrayPool<double>.Shared.Rent(values.Length);
                for (var i = 0; i < values.Length; i++) decimals[i] = values[i].AsDouble;
                DecimalColumn.Write(_column, decimals.AsSpan(0, values.Length));
                ArrayPool<double>.Shared.Return(decimals);
                AddNumberTokens(values);
                break;
            case ValueKind.List or ValueKind.Object:
                BeginTexts();
                foreach (var value in values)
                {
                    var start = _text.Length;
                    ValueCodec.Write(_text, value, names);
                    _slices.Add(new Slice(start, _text.Length - start));
                    AddTokens(value);
                }
                EndTexts(null);
                break;
            default:
                var numbers = ArrayPool<long>.Shared.Rent(values.Length);
                for (var i = 0; i < values.Length; i++) numbers[i] = values[i].AsLong;
                LongColumn.Write(_column, numbers.AsSpan(0, values.Length));
                ArrayPool<long>.Shared.Return(numbers);
                AddNumberTokens(values);
                break;
        }
    }

    /// <summary>Numbers are searched by their text. Those met a moment ago are passed over.</summary>
    private void AddNumberTokens(ReadOnlySpan<Value> values)
    {
        var recent = new Value[256];
        foreach (var value in values)
        {
            ref var slot = ref recent[value.GetHashCode() & 255];
            if (slot == value && !slot.Equals(default)) continue;
            slot = value;
            AddTokens(value);
        }
    }

    private void AddTokens(Value value)
    {
        switch (value.Kind)
        {
            case ValueKind.Missing: break;
            case ValueKind.List:
                foreach (var item in value.AsList) AddTokens(item);
                break;
            case ValueKind.Object:
                foreach (ref readonly var item in value.AsObject.Values) AddTokens(item);
                break;
            default: _tokens.AddValue(value.ToText()); break;
        }
    }

    /// <summary>For each row with rare fields: where among its attributes each stands, its name and its value.</summary>
    private void WriteRest(ColumnGatherer columns, LogRecord[] records, FieldShapes shapes, bool[] hasRest, NameTable names)
    {
        BeginTexts();
        var present = new long[records.Length];
        for (var i = 0; i < records.Length; i++)
        {
            if (!hasRest[i]) continue;
            present[i] = 1;
            var fields = records[i].Attributes;
            var start = _text.Length;
            for (var at = 0; at < fields.Count; at++)
            {
                var value = fields.Values[at];
                if (shapes.ColumnOf(fields.Names[at], value.Kind) >= 0) continue;
                _text.Number(at);
                _text.Number(names.Place(fields.Names[at]));
                ValueCodec.Write(_text, value, names);
                AddTokens(value);
            }
            _slices.Add(new Slice(start, _text.Length - start));
        }
        LongColumn.Write(_column, present);
        EndTexts(null);
        columns.Add(SegmentColumn.Rest, _column);
    }

    public void Dispose()
    {
        _text.Dispose();
        _column.Dispose();
    }
}
