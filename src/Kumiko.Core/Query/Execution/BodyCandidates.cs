using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Query.Execution;

/// <summary>Where a needle may stand in bodies, told from templates and variables. What it learns of a template serves all
/// segments.</summary>
/// <param name="wholeTokens">Whether the needle must be whole tokens to count.</param>
/// <param name="isMatch">Whether a body that holds the needle needs no other look.</param>
/// <param name="inConstants">Whether bodies of a template whose constant text holds the needle need no other look; null for
/// never.</param>
internal sealed class BodyCandidates(
    SubstringSearcher searcher,
    bool wholeTokens,
    bool isMatch = false,
    Func<SegmentTemplate, bool>? inConstants = null
)
{
    private enum Place : byte
    {
        Unknown,
        Inside,
        Straddling,
        Anywhere,
        Sure,
        Whole,
    }

    /// <summary>
    /// No variable begins or ends within a word, so what stands partly in one and partly in constants has at least one
    /// of these wholly in a variable, unless only separators are in it; none where that cannot be said.
    /// </summary>
    private readonly SubstringSearcher[] _fragments = Fragments(searcher);

    private readonly bool[] _spelled = Spelled(searcher);
    private readonly bool[][] _fragmentSpelled = Array.ConvertAll(Fragments(searcher), Spelled);

    /// <summary>By form of a column, whether its numbers could spell a needle.</summary>
    private static bool[] Spelled(SubstringSearcher searcher) =>
        [.. Enumerable.Range(0, ColumnForm.Codes).Select(code => TextSearch.IsSpelled(new ColumnForm((byte)code), searcher))];

    private static SubstringSearcher[] Fragments(SubstringSearcher searcher)
    {
        if (BodyTokens.IsSeparator(searcher.Bytes[0]) || BodyTokens.IsSeparator(searcher.Bytes[^1]))
            return [];
        var text = System.Text.Encoding.ASCII.GetString(searcher.Bytes);
        return [.. text.Split(BodyTokens.Separators, StringSplitOptions.RemoveEmptyEntries).Select(searcher.Part)];
    }

    private readonly TemplateNotes _places = new();

    /// <summary>Marks the rows whose body may hold the needle and has to be looked at; a row without any mark surely does
    /// not.</summary>
    /// <param name="sure">Receives those that surely are a match, which are not looked at.</param>
    public RowMask Find(SegmentScan scan, RowMask sure)
    {
        var bodies = scan.Bodies;
        var found = new RowMask(scan.Count);
        var templates = bodies.Templates;
        var places = new Place[templates.Length];
        var (some, inAll) = (new byte[places.Length], new byte[places.Length]);
        var (any, all, inside) = (false, false, false);
        for (var t = 0; t < places.Length; t++)
        {
            var place = (Place)_places[templates[t]];
            if (place == Place.Unknown)
                _places[templates[t]] = (byte)(place = PlaceIn(templates[t]));
            places[t] = place;
            switch (place)
            {
                case Place.Anywhere:
                    (some[t], any) = (1, true);
                    break;
                case Place.Sure:
                    (inAll[t], all) = (1, true);
                    break;
                case Place.Inside:
                    inside |= templates[t].Gaps > 0;
                    break;
                default:
                    inside = true;
                    break;
            }
        }
        if (any)
            found.AddMarked(bodies.TemplateOfRow, some);
        if (all)
            sure.AddMarked(bodies.TemplateOfRow, inAll);
        if (inside)
            Inside(bodies, places, found, sure, scan.Arena);
        return found;
    }

    private Place PlaceIn(SegmentTemplate template)
    {
        if (template.Id == 0)
            return Place.Whole;
        if (searcher.IsIn(template.Key))
            return isMatch || inConstants?.Invoke(template) == true ? Place.Sure : Place.Anywhere;
        if (!MayStraddle(template))
            return Place.Inside;
        if (_fragments.Length == 0)
            return Place.Anywhere;
        return Place.Straddling;
    }

    private bool MayStraddle(SegmentTemplate template)
    {
        ReadOnlySpan<byte> rest = template.Key;
        var first = true;
        while (true)
        {
            var gap = rest.IndexOf(BodyTokens.Gap);
            var piece = gap < 0 ? rest : rest[..gap];
            if (!first && searcher.CanEnter(piece, isEnd: gap < 0))
                return true;
            if (gap < 0)
                return false;
            if (searcher.CanLeave(piece, isStart: first))
                return true;
            first = false;
            rest = rest[(gap + 1)..];
        }
    }

    /// <summary>One search over the bytes of all variables; those of numbers are asked where they could spell the
    /// needle.</summary>
    private void Inside(SegmentBodies bodies, Place[] places, RowMask found, RowMask sure, Arena arena)
    {
        var starts = bodies.Starts;
        Grouped? rows = null;
        var straddling = Array.IndexOf(places, Place.Straddling) >= 0;
        var forms = starts.Forms;
        for (var v = 0; v < forms.Length; v++)
        {
            var (t, form) = (starts.TemplateOf[v], forms[v].Code);
            if (_spelled[form] && places[t] is (Place.Inside or Place.Straddling))
                Hits(t, v - starts.First[t], searcher);
            if (!straddling || places[t] != Place.Straddling)
                continue;
            for (var f = 0; f < _fragments.Length; f++)
                if (_fragmentSpelled[f][form])
                    Hits(t, v - starts.First[t], _fragments[f]);
        }
        var whole = Array.IndexOf(places, Place.Whole);
        if (whole >= 0)
            Wholes(bodies, whole, rows ??= Grouped.By(bodies.TemplateOfRow, places.Length, arena), found, sure);
        Search(searcher, Place.Inside);
        if (straddling)
            foreach (var fragment in _fragments)
                Search(fragment, Place.Straddling);

        void Search(SubstringSearcher part, Place wanted)
        {
            var content = bodies.Content;
            for (var at = part.IndexIn(content); at >= 0; )
            {
                var variable = starts.At(at);
                var t = starts.TemplateOf[variable];
                if (places[t] == wanted && TextSearch.IsKept(starts.Forms[variable].Form))
                    Hits(t, variable - starts.First[t], part);
                // One hit in a column is enough to look at all of it.
                at = variable + 1 == starts.Places.Length ? -1 : part.IndexIn(content, starts.Places[variable + 1]);
            }
        }

        void Hits(int template, int gap, SubstringSearcher part)
        {
            var texts = bodies.Variables(template, gap);
            var hits = new RowMask(texts.Count);
            TextSearch.Find(texts, part, hits, wholeTokens && part == searcher);
            if (hits.IsEmpty)
                return;
            rows ??= Grouped.By(bodies.TemplateOfRow, places.Length, arena);
            var ofTemplate = rows[template];
            var into = isMatch && part == searcher ? sure : found;
            for (var hit = hits.Next(0); hit >= 0; hit = hits.Next(hit + 1))
                into.Set(ofTemplate[hit]);
        }
    }

    [ThreadStatic]
    private static ByteWriter? _body;

    private void Wholes(SegmentBodies bodies, int template, Grouped rows, RowMask found, RowMask sure)
    {
        var body = _body ??= new ByteWriter(4096);
        foreach (var row in rows[template])
        {
            body.Clear();
            bodies.Append(row, body);
            if (searcher.IsIn(body.Written))
                (isMatch ? sure : found).Set(row);
        }
    }
}
