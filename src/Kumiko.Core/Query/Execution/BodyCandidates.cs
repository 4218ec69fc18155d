using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Query.Execution;

/// <summary>Where a needle may stand in the bodies of a segment, told from templates and variables.</summary>
internal static class BodyCandidates
{
    /// <summary>Marks the rows whose body may hold the needle; a row without a mark surely does not.</summary>
    /// <param name="sure">Marks those that surely do; null where nobody asks.</param>
    public static Bits Find(SegmentScan scan, Needle needle, Bits? sure)
    {
        var bodies = scan.Bodies;
        var found = new Bits(scan.Count);
        var (all, some) = (new bool[bodies.Templates.Count], new bool[bodies.Templates.Count]);
        var (anyAll, anyInside) = (false, false);
        var certain = new bool[all.Length];
        for (var t = 0; t < all.Length; t++)
        {
            var template = bodies.Templates[t];
            if (template.Id != 0 && needle.IsIn(template.Key)) all[t] = certain[t] = anyAll = true;
            else if (template.Id != 0 && MayStraddle(template, needle)) all[t] = anyAll = true;
            else if (template.Gaps > 0) some[t] = anyInside = true;
        }
        if (anyAll)
        {
            var templateOfRow = bodies.TemplateOfRow;
            for (var row = 0; row < templateOfRow.Length; row++)
            {
                if (!all[templateOfRow[row]]) continue;
                found.Set(row);
                if (certain[templateOfRow[row]]) sure?.Set(row);
            }
        }
        if (anyInside) Inside(scan, needle, some, found, sure);
        return found;
    }

    private static bool MayStraddle(SegmentTemplate template, Needle needle)
    {
        ReadOnlySpan<byte> rest = template.Key;
        var first = true;
        while (true)
        {
            var gap = rest.IndexOf(BodyTokens.Gap);
            var piece = gap < 0 ? rest : rest[..gap];
            if (!first && needle.CanEnter(piece) && !(gap < 0 && piece.IsEmpty)) return true;
            if (gap < 0) return false;
            if (needle.CanLeave(piece) && !(first && piece.IsEmpty)) return true;
            first = false;
            rest = rest[(gap + 1)..];
        }
    }

    private static void Inside(SegmentScan scan, Needle needle, bool[] templates, Bits found, Bits? sure)
    {
        var bodies = scan.Bodies;
        Grouped? rows = null;
        for (var t = 0; t < templates.Length; t++)
        {
            if (!templates[t]) continue;
            if (bodies.Templates[t].Id == 0)
            {
                rows ??= Grouped.By(bodies.TemplateOfRow, templates.Length);
                foreach (var row in rows[t])
                {
                    if (!WholeHolds(bodies, row, needle)) continue;
                    found.Set(row);
                    sure?.Set(row);
                }
                continue;
            }
            for (var gap = 0; gap < bodies.Templates[t].Gaps; gap++)
            {
                var texts = bodies.Variables(t, gap);
                var hits = new Bits(texts.Count);
                TextSearch.Find(texts, needle, hits);
                if (hits.IsEmpty) continue;
                rows ??= Grouped.By(bodies.TemplateOfRow, templates.Length);
                var ofTemplate = rows[t];
                for (var hit = hits.Next(0); hit >= 0; hit = hits.Next(hit + 1))
                {
                    found.Set(ofTemplate[hit]);
                    sure?.Set(ofTemplate[hit]);
                }
            }
        }
    }

    [ThreadStatic] private static ByteWriter? _body;

    private static bool WholeHolds(SegmentBodies bodies, int row, Needle needle)
    {
        var body = _body ??= new ByteWriter(4096);
        body.Clear();
        bodies.Append(row, body);
        return needle.IsIn(body.Written);
    }
}
