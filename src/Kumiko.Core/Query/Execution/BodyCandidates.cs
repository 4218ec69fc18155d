using System.Collections.Concurrent;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Query.Execution;

/// <summary>Where a needle may stand in bodies, told from templates and variables. What it learns of a template serves all segments.</summary>
/// <param name="wholeTokens">Whether the needle must be whole tokens to count.</param>
internal sealed class BodyCandidates(Needle needle, bool wholeTokens)
{
    private enum Place : byte { Inside, Straddling, Anywhere, Constant, Whole }

    /// <summary>
    /// No variable begins or ends within a word, so what stands partly in one and partly in constants has at least one
    /// of these wholly in a variable, unless only separators are in it; none where that cannot be said.
    /// </summary>
    private readonly Needle[] _fragments = Fragments(needle);

    private readonly bool[] _spelled = Spelled(needle);
    private readonly bool[][] _fragmentSpelled = Array.ConvertAll(Fragments(needle), Spelled);

    /// <summary>By form of a column, whether its numbers could spell a needle.</summary>
    private static bool[] Spelled(Needle needle) => Array.ConvertAll(Enum.GetValues<TextForm>(), form => TextSearch.IsSpelled(form, needle));

    private static Needle[] Fragments(Needle needle)
    {
        if (BodyTokens.IsSeparator(needle.Bytes[0]) || BodyTokens.IsSeparator(needle.Bytes[^1])) return [];
        var text = System.Text.Encoding.ASCII.GetString(needle.Bytes);
        return [.. text.Split(BodyTokens.Separators, StringSplitOptions.RemoveEmptyEntries).Select(needle.Part)];
    }

    private readonly ConcurrentDictionary<SegmentTemplate, Place> _places = new(ReferenceEqualityComparer.Instance);

    /// <summary>Marks the rows whose body may hold the needle; a row without a mark surely does not.</summary>
    /// <param name="sure">Marks those that surely do; null where nobody asks.</param>
    public Bits Find(SegmentScan scan, Bits? sure)
    {
        var bodies = scan.Bodies;
        var found = new Bits(scan.Count);
        var places = new Place[bodies.Templates.Count];
        var (any, inside) = (false, false);
        for (var t = 0; t < places.Length; t++)
        {
            places[t] = _places.GetOrAdd(bodies.Templates[t], PlaceIn);
            any |= places[t] is Place.Anywhere or Place.Constant;
            inside |= places[t] is Place.Whole or Place.Straddling || (places[t] is Place.Inside && bodies.Templates[t].Gaps > 0);
        }
        if (any)
        {
            found.AddMarked(bodies.TemplateOfRow, Array.ConvertAll(places, p => p is Place.Anywhere or Place.Constant ? (byte)1 : (byte)0));
            sure?.AddMarked(bodies.TemplateOfRow, Array.ConvertAll(places, p => p == Place.Constant ? (byte)1 : (byte)0));
        }
        if (inside) Inside(bodies, places, found, sure);
        return found;
    }

    private Place PlaceIn(SegmentTemplate template) =>
        template.Id == 0 ? Place.Whole : needle.IsIn(template.Key) ? Place.Constant : !MayStraddle(template) ? Place.Inside : _fragments.Length == 0 ? Place.Anywhere : Place.Straddling;

    private bool MayStraddle(SegmentTemplate template)
    {
        ReadOnlySpan<byte> rest = template.Key;
        var first = true;
        while (true)
        {
            var gap = rest.IndexOf(BodyTokens.Gap);
            var piece = gap < 0 ? rest : rest[..gap];
            if (!first && needle.CanEnter(piece, isEnd: gap < 0)) return true;
            if (gap < 0) return false;
            if (needle.CanLeave(piece, isStart: first)) return true;
            first = false;
            rest = rest[(gap + 1)..];
        }
    }

    /// <summary>One search over the bytes of all variables; those of numbers are asked where they could spell the needle.</summary>
    private void Inside(SegmentBodies bodies, Place[] places, Bits found, Bits? sure)
    {
        var starts = bodies.Starts;
        Grouped? rows = null;
        var straddling = Array.IndexOf(places, Place.Straddling) >= 0;
        var forms = starts.Forms;
        for (var v = 0; v < forms.Length; v++)
        {
            var (t, form) = (starts.TemplateOf[v], forms[v]);
            if (_spelled[form] && places[t] is (Place.Inside or Place.Straddling)) Hits(t, v - starts.First[t], needle);
            if (!straddling || places[t] != Place.Straddling) continue;
            for (var f = 0; f < _fragments.Length; f++) if (_fragmentSpelled[f][form]) Hits(t, v - starts.First[t], _fragments[f]);
        }
        var whole = Array.IndexOf(places, Place.Whole);
        if (whole >= 0) Wholes(bodies, whole, rows ??= Grouped.By(bodies.TemplateOfRow, places.Length), found, sure);
        Search(needle, Place.Inside);
        if (straddling)
            foreach (var fragment in _fragments) Search(fragment, Place.Straddling);

        void Search(Needle part, Place wanted)
        {
            var content = bodies.Content;
            for (var at = part.IndexIn(content); at >= 0;)
            {
                var variable = starts.At(at);
                var t = starts.TemplateOf[variable];
                if (places[t] == wanted && TextSearch.IsKept((TextForm)starts.Forms[variable])) Hits(t, variable - starts.First[t], part);
                // One hit in a column is enough to look at all of it.
                at = variable + 1 == starts.Places.Length ? -1 : part.IndexIn(content, starts.Places[variable + 1]);
            }
        }

        void Hits(int template, int gap, Needle part)
        {
            var texts = bodies.Variables(template, gap);
            var hits = new Bits(texts.Count);
            TextSearch.Find(texts, part, hits, wholeTokens && part == needle);
            if (hits.IsEmpty) return;
            rows ??= Grouped.By(bodies.TemplateOfRow, places.Length);
            var ofTemplate = rows[template];
            for (var hit = hits.Next(0); hit >= 0; hit = hits.Next(hit + 1))
            {
                found.Set(ofTemplate[hit]);
                if (part == needle) sure?.Set(ofTemplate[hit]);
            }
        }
    }

    [ThreadStatic] private static ByteWriter? _body;

    private void Wholes(SegmentBodies bodies, int template, Grouped rows, Bits found, Bits? sure)
    {
        var body = _body ??= new ByteWriter(4096);
        foreach (var row in rows[template])
        {
            body.Clear();
            bodies.Append(row, body);
            if (!needle.IsIn(body.Written)) continue;
            found.Set(row);
            sure?.Set(row);
        }
    }
}
