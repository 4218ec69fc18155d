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

    /// <summary>The constant text, with a zero character for each gap.</summary>
    public string Text => Encoding.UTF8.GetString(Key);
}

/// <summary>The bodies of a segment: template and variables, or whole. Variables are read when the first is asked for.</summary>
public sealed class SegmentBodies
{
    private readonly IColumnSource _source;
    private readonly Arena? _arena;
    private readonly int[] _templateOfRow;
    private readonly int _rows;
    private int[]? _ranks;
    private Vectors? _vectors;

    private sealed class Vectors
    {
        public required TextVector[][] Variables { get; init; }
        public int[] WholePlaces = [];
        public bool[] WholeIsLong = [];
        public TextVector Shorts = TextVector.Empty, Longs = TextVector.Empty;
    }

    /// <param name="arena">Lends the buffers; null for buffers that live as long as this.</param>
    internal SegmentBodies(int rows, IColumnSource source, Arena? arena)
    {
        (_rows, _source, _arena) = (rows, source, arena);
        using var templates = source.Read(SegmentColumn.Templates);
        var from = new ByteReader(templates.Span);
        Templates = ReadTemplates(ref from);
        _templateOfRow = arena?.Take<int>(rows) ?? new int[rows];
        LongColumn.ReadPlaces(ref from, _templateOfRow.AsSpan(0, rows), Templates.Count);
    }

    public IReadOnlyList<SegmentTemplate> Templates { get; }

    /// <summary>For each row, the place of its template in <see cref="Templates"/>.</summary>
    public ReadOnlySpan<int> TemplateOfRow => _templateOfRow.AsSpan(0, _rows);

    /// <summary>For each row, its place among the rows of its template.</summary>
    public ReadOnlySpan<int> Ranks => (_ranks ??= Grouped.Ranks(TemplateOfRow, Templates.Count)).AsSpan(0, _rows);

    /// <summary>The variables in one gap of a template, in the order of its rows.</summary>
    public TextVector Variables(int template, int gap) => Loaded.Variables[template][gap];

    /// <summary>Reads everything, so that nothing can fail later.</summary>
    internal void Decode()
    {
        _ = Ranks;
        var vectors = Loaded;
        foreach (var gaps in vectors.Variables)
            foreach (var vector in gaps) vector.Decode();
        vectors.Shorts.Decode();
        vectors.Longs.Decode();
    }

    /// <summary>The templates, from a reader that stands at them.</summary>
    internal static IReadOnlyList<SegmentTemplate> ReadTemplates(ref ByteReader from)
    {
        var templates = new SegmentTemplate[from.Count(from.Left)];
        for (var i = 0; i < templates.Length; i++) templates[i] = new SegmentTemplate(from.Signed(), from.Sized().ToArray());
        return templates;
    }

    private Vectors Loaded => _vectors ??= Load();

    private Vectors Load()
    {
        var counts = new int[Templates.Count];
        foreach (var template in TemplateOfRow) counts[template]++;
        var vectors = new Vectors { Variables = new TextVector[Templates.Count][] };
        var bytes = _source.Read(SegmentColumn.Variables);
        if (_arena is not null) _arena.Keep(bytes);
        var from = _arena is null ? new ByteReader(bytes.Span) : new ByteReader(bytes.Memory);
        for (var t = 0; t < Templates.Count; t++)
        {
            if (Templates[t].Id == 0)
            {
                var which = new long[counts[t]];
                LongColumn.Read(ref from, which);
                vectors.WholeIsLong = Array.ConvertAll(which, w => w != 0);
                vectors.WholePlaces = new int[which.Length];
                var (shorts, longs) = (0, 0);
                for (var i = 0; i < which.Length; i++) vectors.WholePlaces[i] = vectors.WholeIsLong[i] ? longs++ : shorts++;
                vectors.Shorts = new TextVector(ref from, shorts, _arena);
                using var longBytes = _source.Read(SegmentColumn.LongBodies);
                var fromLong = new ByteReader(longBytes.Span);
                if (longs > 0) vectors.Longs = new TextVector(ref fromLong, longs, _arena);
                vectors.Variables[t] = [];
                continue;
            }
            var gaps = vectors.Variables[t] = new TextVector[Templates[t].Gaps];
            for (var gap = 0; gap < gaps.Length; gap++) gaps[gap] = new TextVector(ref from, counts[t], _arena);
        }
        if (_arena is null) bytes.Dispose();
        return vectors;
    }

    public string Text(int row)
    {
        var (place, rank) = (_templateOfRow[row], Ranks[row]);
        var template = Templates[place];
        if (template.Id != 0 && template.Gaps == 0) return template.Text;
        if (template.Id == 0) return Loaded.WholeIsLong[rank] ? Loaded.Longs.Text(Loaded.WholePlaces[rank]) : Loaded.Shorts.Text(Loaded.WholePlaces[rank]);
        using var body = new ByteWriter();
        Append(row, body);
        return Encoding.UTF8.GetString(body.Written);
    }

    /// <summary>The body's UTF-8 behind what is written already.</summary>
    public void Append(int row, ByteWriter to)
    {
        var (place, rank, vectors) = (_templateOfRow[row], Ranks[row], Loaded);
        var template = Templates[place];
        if (template.Id == 0)
        {
            (vectors.WholeIsLong[rank] ? vectors.Longs : vectors.Shorts).Append(vectors.WholePlaces[rank], to);
            return;
        }
        var gap = 0;
        ReadOnlySpan<byte> key = template.Key;
        while (true)
        {
            var at = key.IndexOf(BodyTokens.Gap);
            if (at < 0) break;
            to.Bytes(key[..at]);
            vectors.Variables[place][gap++].Append(rank, to);
            key = key[(at + 1)..];
        }
        to.Bytes(key);
    }
}
