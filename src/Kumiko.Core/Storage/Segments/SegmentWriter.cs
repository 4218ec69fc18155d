using System.Buffers;
using System.Globalization;
using System.Runtime.InteropServices;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Segments;

/// <summary>Turns a sorted block of records into the columns of a segment. Not for several threads; several writers may share a
/// miner.</summary>
public sealed class SegmentWriter(TemplateMiner miner) : IDisposable
{
    /// <summary>Rows and raw bytes at which a segment ends when sealed, and when merged.</summary>
    public const int SealedRows = 16_384;
    public const int MergedRows = 65_536;
    public const long SealedBytes = 8L << 20;
    public const long MergedBytes = 32L << 20;

    /// <summary>So many numbers are remembered, to pass over those that come again.</summary>
    private const int RecentBits = 10;
    private const int RecentNumbers = 1 << RecentBits;

    private readonly ByteWriter _text = new();
    private readonly ByteWriter _column = new(1 << 18);
    private readonly List<Slice> _slices = [];
    private readonly TokenSet _tokens = new();

    /// <param name="records">At least one, sorted by id, all of one day.</param>
    /// <param name="merges">How often they were rewritten.</param>
    /// <param name="import">The import they came in by.</param>
    /// <param name="received">When the last of them came in, for retention; null where it goes by when they were observed.</param>
    public EncodedSegment Write(RecordBlock records, string? source, int merges, long? import = null, long? received = null)
    {
        using var columns = new ColumnGatherer(merges == 0 ? Codec.Lz4 : Codec.Zstd);
        var names = new NameTable();
        _tokens.Clear();
        // Mining is the one thing that writers do one after the other: who finds it taken does the rest first.
        var mined = TryBodies(columns, records, wait: false);
        WriteNumbers(columns, records);
        WriteTexts(columns, records);
        WriteResources(columns, records, names);
        var firstSeen = WriteFields(columns, records, names);
        if (!mined)
            TryBodies(columns, records, wait: true);
        MinuteCounts.Write(_column, records);
        columns.Add(SegmentColumn.Counts, _column);
        TokenFilter.Write(_column, _tokens);
        columns.Add(SegmentColumn.Filter, _column);
        var done = columns.Finish();
        return new EncodedSegment(
            Catalogue(records, source, merges, import, received) with
            {
                Bytes = done.Sum(c => (long)c.Content.Length),
            },
            done,
            firstSeen
        );
    }

    private static Segment Catalogue(RecordBlock records, string? source, int merges, long? import, long? received)
    {
        var mask = 0;
        foreach (var severity in records.SeverityOf)
            mask |= 1 << Severity.Band(severity);
        return new Segment
        {
            Id = 0,
            Signal = records.Signal,
            Source = source,
            Import = import,
            MinTime = records.TimeOf[0],
            MaxTime = records.TimeOf[^1],
            MaxObserved = received ?? records.ObservedOf.Max(),
            MinSequence = records.SequenceOf.Min(),
            MaxSequence = records.SequenceOf.Max(),
            Rows = records.Count,
            SeverityMask = mask,
            RawBytes = records.Size,
            Bytes = 0,
            Merges = merges,
        };
    }

    private void WriteNumbers(ColumnGatherer columns, RecordBlock records)
    {
        var numbers = ArrayPool<long>.Shared.Rent(records.Count);
        var room = numbers.AsSpan(0, records.Count);
        Write(SegmentColumn.Time, records.TimeOf);
        for (var i = 0; i < room.Length; i++)
            room[i] = records.ObservedOf[i] - records.TimeOf[i];
        Write(SegmentColumn.Observed, room);
        Write(SegmentColumn.Sequence, records.SequenceOf);
        for (var i = 0; i < room.Length; i++)
            room[i] = records.SeverityOf[i];
        Write(SegmentColumn.Severity, room);
        ArrayPool<long>.Shared.Return(numbers);

        void Write(SegmentColumn column, ReadOnlySpan<long> values)
        {
            LongColumn.Write(_column, values);
            columns.Add(column, _column);
        }
    }

    private void WriteTexts(ColumnGatherer columns, RecordBlock records)
    {
        var present = ArrayPool<long>.Shared.Rent(records.Count);
        Optional(SegmentColumn.SeverityText, TextPart.Level, null);
        Optional(SegmentColumn.TraceId, TextPart.TraceId, _tokens);
        Optional(SegmentColumn.SpanId, TextPart.SpanId, _tokens);
        ArrayPool<long>.Shared.Return(present);
        WriteSources(columns, records);

        void Optional(SegmentColumn column, TextPart part, TokenSet? seen)
        {
            _slices.Clear();
            for (var i = 0; i < records.Count; i++)
            {
                var text = records.TextOf(i, part);
                present[i] = text is null ? 0 : 1;
                if (text is { } slice)
                    _slices.Add(slice);
            }
            if (_slices.Count > 0)
            {
                LongColumn.Write(_column, present.AsSpan(0, records.Count));
                TextColumn.Write(_column, records.Bytes, CollectionsMarshal.AsSpan(_slices), seen);
            }
            columns.Add(column, _column);
        }
    }

    private void WriteSources(ColumnGatherer columns, RecordBlock records)
    {
        _text.Clear();
        var names = Array.ConvertAll(records.Sources, s => new Slice(_text.Length, _text.Utf8(s)));
        _slices.Clear();
        foreach (var place in records.SourceOf)
            _slices.Add(names[place]);
        var present = new long[records.Count];
        Array.Fill(present, 1);
        LongColumn.Write(_column, present);
        TextColumn.Write(_column, _text.Written, CollectionsMarshal.AsSpan(_slices));
        columns.Add(SegmentColumn.Source, _column);
    }

    /// <returns>False where nothing was written, as another writer has the miner.</returns>
    private bool TryBodies(ColumnGatherer columns, RecordBlock records, bool wait)
    {
        var local = new Dictionary<Template, int>();
        var templates = new List<Template>();
        var rows = new List<int>();
        var (places, firstGap, isLong) = (new int[records.Count], new int[records.Count], new bool[records.Count]);
        _slices.Clear();
        if (!Monitor.TryEnter(miner, wait ? Timeout.Infinite : 0))
            return false;
        try
        {
            FindTemplates(records, local, templates, rows, places, firstGap, isLong);
        }
        finally
        {
            Monitor.Exit(miner);
        }
        _column.Number(templates.Count);
        foreach (var template in templates)
        {
            _column.Signed(template.Id);
            _column.Sized(template.Key);
        }
        columns.Add(SegmentColumn.Templates, _column);
        LongColumn.Write(_column, places);
        columns.Add(SegmentColumn.TemplateOfRow, _column);
        WriteVariables(columns, records, templates, rows, places, firstGap, isLong);
        return true;
    }

    private void FindTemplates(
        RecordBlock records,
        Dictionary<Template, int> local,
        List<Template> templates,
        List<int> rows,
        int[] places,
        int[] firstGap,
        bool[] isLong
    )
    {
        const int Slots = 256;
        var recent = new (Template? Template, int Place)[Slots];
        for (var i = 0; i < records.Count; i++)
        {
            var body = records.TextOf(i, TextPart.Body) ?? default;
            firstGap[i] = _slices.Count;
            var template = miner.Find(records.MinedAs(i), body.Of(records.Bytes), records.TimeOf[i], _slices);
            isLong[i] = body.Length > TemplateMiner.LongestBody;
            ref var slot = ref recent[template.Id & (Slots - 1)];
            if (slot.Template != template)
                slot = (template, Place(template));
            var place = slot.Place;
            places[i] = place;
            rows[place]++;
            var gaps = CollectionsMarshal.AsSpan(_slices)[firstGap[i]..];
            for (var g = 0; g < gaps.Length; g++)
                gaps[g] = gaps[g] with { Start = gaps[g].Start + body.Start };
        }

        int Place(Template template)
        {
            if (local.TryGetValue(template, out var place))
                return place;
            local.Add(template, place = templates.Count);
            templates.Add(template);
            rows.Add(0);
            return place;
        }
    }

    private void WriteVariables(
        ColumnGatherer columns,
        RecordBlock records,
        List<Template> templates,
        List<int> rows,
        int[] places,
        int[] firstGap,
        bool[] isLong
    )
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
                WriteWhole(records, longBodies, of, firstGap, isLong, all);
                continue;
            }
            for (var gap = 0; gap < templates[t].Gaps; gap++)
            {
                for (var n = 0; n < of.Length; n++)
                    values[n] = all[firstGap[of[n]] + gap];
                TextColumn.Write(_column, records.Bytes, values.AsSpan(0, of.Length), _tokens);
            }
        }
        columns.Add(SegmentColumn.Variables, _column);
        columns.Add(SegmentColumn.LongBodies, longBodies);
    }

    /// <summary>Bodies without a template: short ones among the variables, long ones by themselves so that reading others does
    /// not meet them.</summary>
    private void WriteWhole(
        RecordBlock records,
        ByteWriter longBodies,
        ReadOnlySpan<int> rows,
        int[] firstGap,
        bool[] isLong,
        ReadOnlySpan<Slice> all
    )
    {
        var (shorts, longs) = (new List<Slice>(), new List<Slice>());
        var which = new long[rows.Length];
        for (var n = 0; n < rows.Length; n++)
        {
            which[n] = isLong[rows[n]] ? 1 : 0;
            (isLong[rows[n]] ? longs : shorts).Add(all[firstGap[rows[n]]]);
        }
        LongColumn.Write(_column, which);
        TextColumn.Write(_column, records.Bytes, CollectionsMarshal.AsSpan(shorts), _tokens);
        if (longs.Count > 0)
            TextColumn.Write(longBodies, records.Bytes, CollectionsMarshal.AsSpan(longs), _tokens);
    }

    private void WriteResources(ColumnGatherer columns, RecordBlock records, NameTable names)
    {
        // Objects that differ may say the same.
        var byContent = new Dictionary<Value, int>();
        var distinct = new List<Attributes>();
        var placeOf = Array.ConvertAll(records.Resources, resource =>
        {
            var content = Value.Of(resource.Attributes);
            if (byContent.TryGetValue(content, out var place))
                return place;
            byContent.Add(content, place = distinct.Count);
            distinct.Add(resource.Attributes);
            return place;
        });
        _column.Number(distinct.Count);
        foreach (var resource in distinct)
        {
            ValueCodec.Write(_column, resource, names);
            AddTokens(Value.Of(resource));
        }
        columns.Add(SegmentColumn.Resource, _column);
        LongColumn.Write(_column, Array.ConvertAll(records.ResourceOf, r => placeOf[r]));
        columns.Add(SegmentColumn.ResourceOfRow, _column);
    }

    private IReadOnlyList<KeyValuePair<FieldKey, long>> WriteFields(ColumnGatherer columns, RecordBlock records, NameTable names)
    {
        var shapes = new FieldShapes(records);
        if (shapes.HasRest is { } hasRest)
            WriteRest(columns, records, shapes, hasRest, names);
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
    private void WriteField(RecordBlock records, FieldShapes shapes, Grouped rows, int field, NameTable names)
    {
        var kind = shapes.Fields[field].Kind;
        if (kind == ValueKind.Missing)
            return;
        var cells = ArrayPool<long>.Shared.Rent(records.Count);
        var count = 0;
        _slices.Clear();
        for (var s = 0; s < shapes.Shapes.Count; s++)
        for (var place = 0; place < shapes.Shapes[s].Length; place++)
        {
            if (shapes.Shapes[s][place] != field)
                continue;
            foreach (var row in rows[s])
            {
                var cell = records.Cells[records.CellOf[row] + shapes.CellAt(records, row, place)];
                if (RecordShape.IsText(kind))
                    _slices.Add(records.SliceOf(row, cell));
                else if (count < cells.Length)
                    cells[count++] = cell;
                else
                    cells = Larger(cells, ref count, cell);
            }
        }
        WriteValues(kind, records, cells.AsSpan(0, count), names);
        ArrayPool<long>.Shared.Return(cells);
    }

    // A row may have a name more than once.
    private static long[] Larger(long[] cells, ref int count, long cell)
    {
        var larger = ArrayPool<long>.Shared.Rent(count * 2);
        cells.CopyTo(larger, 0);
        ArrayPool<long>.Shared.Return(cells);
        larger[count++] = cell;
        return larger;
    }

    /// <summary>Writes numbers, or what the slices stand for.</summary>
    private void WriteValues(ValueKind kind, RecordBlock records, Span<long> cells, NameTable names)
    {
        switch (kind)
        {
            case ValueKind.Text:
                TextColumn.Write(_column, records.Bytes, CollectionsMarshal.AsSpan(_slices), _tokens);
                break;
            case ValueKind.Decimal:
                DecimalColumn.Write(_column, MemoryMarshal.Cast<long, double>(cells));
                AddNumberTokens(kind, cells);
                break;
            case ValueKind.List or ValueKind.Object:
                _text.Clear();
                foreach (ref var slice in CollectionsMarshal.AsSpan(_slices))
                {
                    var value = NestedValue.Read(slice.Of(records.Bytes), RecordReader.Strings);
                    var start = _text.Length;
                    ValueCodec.Write(_text, value, names);
                    slice = new Slice(start, _text.Length - start);
                    AddTokens(value);
                }
                TextColumn.Write(_column, _text.Written, CollectionsMarshal.AsSpan(_slices));
                break;
            default:
                LongColumn.Write(_column, cells);
                AddNumberTokens(kind, cells);
                break;
        }
    }

    /// <summary>Numbers are searched by their text. Those met a moment ago are passed over.</summary>
    private void AddNumberTokens(ValueKind kind, ReadOnlySpan<long> cells)
    {
        Span<byte> text = stackalloc byte[32];
        Span<long> recent = stackalloc long[RecentNumbers];
        // Zero is at home in the first slot only, and any other number is not there yet.
        recent.Clear();
        recent[0] = 1;
        foreach (var cell in cells)
        {
            ref var slot = ref recent[(int)(((ulong)cell * 0x9E3779B97F4A7C15) >> (64 - RecentBits))];
            if (slot == cell)
                continue;
            slot = cell;
            if (kind == ValueKind.Integer && cell.TryFormat(text, out var written, default, CultureInfo.InvariantCulture))
                _tokens.AddValue(text[..written]);
            else if (
                kind == ValueKind.Decimal
                && BitConverter.Int64BitsToDouble(cell).TryFormat(text, out written, "R", CultureInfo.InvariantCulture)
            )
                _tokens.AddValue(text[..written]);
            else
                AddTokens(
                    kind == ValueKind.Decimal ? Value.Of(BitConverter.Int64BitsToDouble(cell)) : ValueCodec.Whole(kind, cell)
                );
        }
    }

    private void AddTokens(Value value)
    {
        switch (value.Kind)
        {
            case ValueKind.Missing:
                break;
            case ValueKind.List:
                foreach (var item in value.AsList)
                    AddTokens(item);
                break;
            case ValueKind.Object:
                foreach (ref readonly var item in value.AsObject.Values)
                    AddTokens(item);
                break;
            default:
                _tokens.AddValue(value.ToText());
                break;
        }
    }

    /// <summary>For each row with rare fields: where among its attributes each stands, its name and its value.</summary>
    private void WriteRest(ColumnGatherer columns, RecordBlock records, FieldShapes shapes, bool[] hasRest, NameTable names)
    {
        _text.Clear();
        _slices.Clear();
        var present = new long[records.Count];
        for (var i = 0; i < records.Count; i++)
        {
            if (!hasRest[i])
                continue;
            present[i] = 1;
            var shape = records.Shapes[records.ShapeOf[i]];
            var start = _text.Length;
            for (var at = 0; at < shape.Names.Length; at++)
            {
                if (shapes.ColumnOf(shape.Names[at], shape.Kinds[at]) >= 0)
                    continue;
                var value = records.ValueOf(i, shape.Kinds[at], records.Cells[records.CellOf[i] + at], RecordReader.Strings);
                _text.Number(at);
                _text.Number(names.Place(shape.Names[at]));
                ValueCodec.Write(_text, value, names);
                AddTokens(value);
            }
            _slices.Add(new Slice(start, _text.Length - start));
        }
        LongColumn.Write(_column, present);
        TextColumn.Write(_column, _text.Written, CollectionsMarshal.AsSpan(_slices));
        columns.Add(SegmentColumn.Rest, _column);
    }

    public void Dispose()
    {
        _text.Dispose();
        _column.Dispose();
    }
}
