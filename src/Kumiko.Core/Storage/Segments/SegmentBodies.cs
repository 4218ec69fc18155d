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

/// <summary>The bodies of a segment: template and variables, or whole.</summary>
public sealed class SegmentBodies
{
    private readonly int[] _ranks;
    private readonly TextVector[][] _variables;
    private readonly int[] _wholePlaces = [];
    private readonly bool[] _wholeIsLong = [];
    private readonly TextVector _shorts = TextVector.Empty, _longs = TextVector.Empty;

    internal SegmentBodies(int rows, ReadOnlySpan<byte> templates, ReadOnlySpan<byte> variables, ReadOnlySpan<byte> longBodies)
    {
        (Templates, TemplateOfRow) = ReadTemplates(templates, rows);
        _ranks = Grouped.Ranks(TemplateOfRow, Templates.Count);
        var counts = new int[Templates.Count];
        foreach (var template in TemplateOfRow) counts[template]++;
        _variables = new TextVector[Templates.Count][];
        var from = new ByteReader(variables);
        for (var t = 0; t < Templates.Count; t++)
        {
            if (Templates[t].Id == 0)
            {
                var which = new long[counts[t]];
                LongColumn.Read(ref from, which);
                _wholeIsLong = Array.ConvertAll(which, w => w != 0);
                _wholePlaces = new int[which.Length];
                var (shorts, longs) = (0, 0);
                for (var i = 0; i < which.Length; i++) _wholePlaces[i] = _wholeIsLong[i] ? longs++ : shorts++;
                _shorts = new TextVector(ref from, shorts);
                var fromLong = new ByteReader(longBodies);
                if (longs > 0) _longs = new TextVector(ref fromLong, longs);
                continue;
            }
            _variables[t] = new TextVector[Templates[t].Gaps];
            for (var gap = 0; gap < _variables[t].Length; gap++) _variables[t][gap] = new TextVector(ref from, counts[t]);
        }
    }

    public IReadOnlyList<SegmentTemplate> Templates { get; }

    /// <summary>For each row, the place of its template in <see cref="Templates"/>.</summary>
    public int[] TemplateOfRow { get; }

    /// <summary>The variables in one gap of a template, in the order of its rows.</summary>
    public TextVector Variables(int template, int gap) => _variables[template][gap];

    internal static (IReadOnlyList<SegmentTemplate> Templates, int[] OfRow) ReadTemplates(ReadOnlySpan<byte> content, int rows)
    {
        var from = new ByteReader(content);
        var templates = new SegmentTemplate[from.Count(from.Left)];
        for (var i = 0; i < templates.Length; i++) templates[i] = new SegmentTemplate(from.Signed(), from.Sized().ToArray());
        return (templates, LongColumn.ReadPlaces(ref from, rows, templates.Length));
    }

    public string Text(int row)
    {
        var (place, rank) = (TemplateOfRow[row], _ranks[row]);
        var template = Templates[place];
        if (template.Id == 0) return (_wholeIsLong[rank] ? _longs : _shorts).Text(_wholePlaces[rank]);
        if (template.Gaps == 0) return template.Text;
        using var body = new ByteWriter();
        var gap = 0;
        ReadOnlySpan<byte> key = template.Key;
        while (true)
        {
            var at = key.IndexOf(BodyTokens.Gap);
            if (at < 0) break;
            body.Bytes(key[..at]);
            _variables[place][gap++].Append(rank, body);
            key = key[(at + 1)..];
        }
        body.Bytes(key);
        return Encoding.UTF8.GetString(body.Written);
    }
}
