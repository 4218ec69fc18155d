using System.Text;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Segments;

/// <summary>A template as a segment keeps it: its text and the id it had when the segment was written.</summary>
public sealed class SegmentTemplate
{
    internal SegmentTemplate(long id, byte[] key)
    {
        Id = id;
        Key = key;
        Gaps = key.Count(b => b == BodyTokens.Gap);
    }

    /// <summary>Identity over all segments; 0 for bodies without a template.</summary>
    public long Id { get; }
    public int Gaps { get; }
    internal byte[] Key { get; }

    /// <summary>A small number that no other template of the process has; -1 where it is of one segment alone.</summary>
    internal int Number { get; init; } = -1;

    /// <summary>The constant text, with a zero character for each gap.</summary>
    public string Text => field ??= Encoding.UTF8.GetString(Key);

    /// <summary>Whether the constant text may have this token, in any case.</summary>
    internal bool HasToken(string upper) =>
        (_tokens ??= TokenSet.TokenTexts(Text).ToHashSet(StringComparer.Ordinal)).Contains(upper);

    private HashSet<string>? _tokens;
}

/// <summary>The bodies of a segment: template and variables, or whole. Variables are read when the first is asked for.</summary>
public sealed class SegmentBodies
{
    private readonly IColumnSource _source;
    private readonly Arena? _arena;
    private readonly int[] _templateOfRow;
    private readonly int _rows;
    private readonly VariableStarts? _known;
    private int[]? _ranks;
    private Variable[]? _variables;
    private ColumnBytes? _bytes;
    private ReadOnlyMemory<byte> _content;
    private VariableStarts? _starts;
    private Wholes? _wholes;

    private struct Variable
    {
        public TextVector? Texts;
    }

    /// <summary>Bodies without a template.</summary>
    private sealed record Wholes(int[] Places, bool[] IsLong, TextVector Shorts, TextVector Longs);

    /// <param name="templates">Those of the segment.</param>
    /// <param name="arena">Lends the buffers; null for buffers that live as long as this.</param>
    /// <param name="starts">Where the variables lie, if somebody knows.</param>
    internal SegmentBodies(
        int rows,
        IColumnSource source,
        SegmentTemplate[] templates,
        Arena? arena,
        VariableStarts? starts = null
    )
    {
        (_rows, _source, _arena, Templates, _known) = (rows, source, arena, templates, starts);
        using var places = source.Read(SegmentColumn.TemplateOfRow);
        using var joined = places.Span.IsEmpty && rows > 0 ? source.Read(SegmentColumn.Templates) : ColumnBytes.None;
        var from = new ByteReader(places.Span);
        if (!joined.Span.IsEmpty)
        {
            // Segments of the first days have both in one column.
            from = new ByteReader(joined.Span);
            for (var left = from.Count(from.Left); left > 0; left--)
            {
                from.Signed();
                from.Sized();
            }
        }
        _templateOfRow = arena?.Ints(rows) ?? new int[rows];
        LongColumn.ReadPlaces(ref from, _templateOfRow.AsSpan(0, rows), Templates.Length);
    }

    public SegmentTemplate[] Templates { get; }

    /// <summary>For each row, the place of its template in <see cref="Templates"/>.</summary>
    public ReadOnlySpan<int> TemplateOfRow => _templateOfRow.AsSpan(0, _rows);

    /// <summary>For each row, its place among the rows of its template.</summary>
    public ReadOnlySpan<int> Ranks => (_ranks ??= Grouped.Ranks(TemplateOfRow, Templates.Length, _arena)).AsSpan(0, _rows);

    /// <summary>The variables in one gap of a template, in the order of its rows.</summary>
    public TextVector Variables(int template, int gap) => Vector(Starts.First[template] + gap, Starts.Counts[template]);

    /// <summary>Reads everything, so that nothing can fail later.</summary>
    internal void Decode()
    {
        _ = Ranks;
        for (var t = 0; t < Templates.Length; t++)
        {
            if (Templates[t].Id == 0)
            {
                Whole.Shorts.Decode();
                Whole.Longs.Decode();
            }
            else
                for (var gap = 0; gap < Templates[t].Gaps; gap++)
                    Variables(t, gap).Decode();
        }
        if (_arena is null)
            _bytes?.Dispose();
    }

    /// <summary>The templates of a column.</summary>
    internal static SegmentTemplate[] ReadTemplates(ReadOnlySpan<byte> content, Func<long, byte[], SegmentTemplate>? make = null)
    {
        var from = new ByteReader(content);
        var templates = new SegmentTemplate[from.Count(from.Left)];
        for (var i = 0; i < templates.Length; i++)
        {
            var (id, key) = (from.Signed(), from.Sized().ToArray());
            templates[i] = make is null ? new SegmentTemplate(id, key) : make(id, key);
        }
        return templates;
    }

    /// <summary>The bytes of all variables.</summary>
    internal ReadOnlySpan<byte> Content
    {
        get
        {
            _ = Starts;
            return _content.Span;
        }
    }

    /// <summary>Where the variables lie in <see cref="Content"/>.</summary>
    internal VariableStarts Starts
    {
        get
        {
            if (_starts is not null)
                return _starts;
            _bytes = _source.Read(SegmentColumn.Variables);
            if (_arena is not null)
                _arena.Keep(_bytes);
            // Without an arena the vectors outlive the buffer, so they copy what they keep.
            _content = _bytes.Memory;
            var starts = _known ?? VariableStarts.Of(this, _content.Span);
            _variables = new Variable[starts.Places.Length];
            return _starts = starts;
        }
    }

    internal VariableStarts? KnownStarts => _starts;

    private TextVector Vector(int place, int count)
    {
        ref var variable = ref _variables![place];
        if (variable.Texts is { } known)
            return known;
        var content = _content[_starts!.Places[place]..];
        var from = _arena is null ? new ByteReader(content.Span) : new ByteReader(content);
        return variable.Texts = new TextVector(ref from, count, _arena);
    }

    private Wholes Whole => _wholes ??= ReadWholes();

    private Wholes ReadWholes()
    {
        var starts = Starts;
        var t = 0;
        while (Templates[t].Id != 0)
            t++;
        var content = _content[starts.Places[starts.First[t]]..];
        var from = _arena is null ? new ByteReader(content.Span) : new ByteReader(content);
        var which = new long[starts.Counts[t]];
        LongColumn.Read(ref from, which);
        var isLong = Array.ConvertAll(which, w => w != 0);
        var places = new int[which.Length];
        var (shorts, longs) = (0, 0);
        for (var i = 0; i < which.Length; i++)
            places[i] = isLong[i] ? longs++ : shorts++;
        var texts = new TextVector(ref from, shorts, _arena);
        if (longs == 0)
            return new Wholes(places, isLong, texts, TextVector.Empty);
        var bytes = _source.Read(SegmentColumn.LongBodies);
        if (_arena is not null)
            _arena.Keep(bytes);
        var fromLong = _arena is null ? new ByteReader(bytes.Span) : new ByteReader(bytes.Memory);
        var wholes = new Wholes(places, isLong, texts, new TextVector(ref fromLong, longs, _arena));
        if (_arena is null)
            bytes.Dispose();
        return wholes;
    }

    public string Text(int row)
    {
        var (place, rank) = (_templateOfRow[row], Ranks[row]);
        var template = Templates[place];
        if (template.Id != 0 && template.Gaps == 0)
            return template.Text;
        if (template.Id == 0)
            return (Whole.IsLong[rank] ? Whole.Longs : Whole.Shorts).Text(Whole.Places[rank]);
        using var body = new ByteWriter();
        Append(row, body);
        return Encoding.UTF8.GetString(body.Written);
    }

    /// <summary>The body's UTF-8 behind what is written already.</summary>
    public void Append(int row, ByteWriter to)
    {
        var (place, rank) = (_templateOfRow[row], Ranks[row]);
        var template = Templates[place];
        if (template.Id == 0)
        {
            (Whole.IsLong[rank] ? Whole.Longs : Whole.Shorts).Append(Whole.Places[rank], to);
            return;
        }
        var gap = 0;
        ReadOnlySpan<byte> key = template.Key;
        while (true)
        {
            var at = key.IndexOf(BodyTokens.Gap);
            if (at < 0)
                break;
            to.Bytes(key[..at]);
            Variables(place, gap++).Append(rank, to);
            key = key[(at + 1)..];
        }
        to.Bytes(key);
    }
}

/// <summary>Where the variables of a segment lie in their column: told by passing by them once.</summary>
/// <param name="First">For each template, the place of its first variable among all; of bodies without a template, of
/// these.</param>
/// <param name="Counts">For each template, its rows.</param>
/// <param name="Places">Where each variable begins.</param>
/// <param name="Forms">How each is kept.</param>
/// <param name="TemplateOf">The template of each.</param>
internal sealed record VariableStarts(int[] First, int[] Counts, int[] Places, ColumnForm[] Forms, int[] TemplateOf)
{
    public int Size => (First.Length + Counts.Length + Places.Length + TemplateOf.Length) * sizeof(int) + Forms.Length;

    public static VariableStarts Of(SegmentBodies bodies, ReadOnlySpan<byte> content)
    {
        var templates = bodies.Templates;
        var (first, counts) = (new int[templates.Length], new int[templates.Length]);
        foreach (var template in bodies.TemplateOfRow)
            counts[template]++;
        var (places, forms, templateOf) = (new List<int>(), new List<ColumnForm>(), new List<int>());
        var from = new ByteReader(content);
        for (var t = 0; t < templates.Length; t++)
        {
            first[t] = places.Count;
            if (templates[t].Id == 0)
            {
                places.Add(from.Position);
                forms.Add(default);
                templateOf.Add(t);
                var which = new long[counts[t]];
                LongColumn.Read(ref from, which);
                TextVector.Skip(ref from, which.Count(w => w == 0));
                continue;
            }
            for (var gap = 0; gap < templates[t].Gaps; gap++)
            {
                places.Add(from.Position);
                forms.Add(TextVector.Skip(ref from, counts[t]));
                templateOf.Add(t);
            }
        }
        return new VariableStarts(first, counts, [.. places], [.. forms], [.. templateOf]);
    }

    /// <summary>The variable that a place in the column belongs to.</summary>
    public int At(int place)
    {
        var at = Array.BinarySearch(Places, place);
        return at >= 0 ? at : ~at - 1;
    }
}
