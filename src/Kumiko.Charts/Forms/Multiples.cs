using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>Small multiples: one picture for each value of a key, beside and below each other.</summary>
internal static class Multiples
{
    private const double Least = 250;
    private const double Height = 150;
    private const double Title = 20;
    private const int Most = 60;

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view, string by)
    {
        var at = frame.Schema.IndexOf(by);
        if (at < 0)
            return null;
        var columns = frame.Schema.Columns;
        var kept = Enumerable.Range(0, columns.Count).Where(i => i != at).ToArray();
        var schema = frame.Schema with { Columns = [.. kept.Select(i => columns[i])] };
        var groups = frame
            .Rows.GroupBy(r => r[at].IsMissing ? "(none)" : r[at].ToText())
            .Select(g =>
                (
                    Name: g.Key,
                    Value: g.First()[at],
                    Frame: new Frame(schema, [.. g.Select(r => Array.ConvertAll(kept, i => r[i]))])
                )
            )
            .OrderBy(g => g.Name, StringComparer.Ordinal)
            .ToList();
        if (groups.Count == 0)
            return Nothing.Draw(spec, view);
        var shown = groups.Take(Most).ToList();
        var (above, _) = Surround.Heights(spec, view, []);
        var perRow = Math.Clamp((int)(view.Width / Least), 1, shown.Count);
        var rows = (shown.Count + perRow - 1) / perRow;
        var small = view with
        {
            Width = view.Width / perRow,
            Height = Math.Max(Height, ((view.Height - above) / rows) - Title),
            Alone = false,
        };
        var plain = spec with { MultiplesBy = null, Title = "" };
        var form = spec.Form ?? Chart.Suggest(shown[0].Frame).Form;
        (ValueAxis?, ValueAxis?)? axes =
            spec.SharedScale && form.IsOverTime ? OverTime.SharedAxes(shown.Select(g => g.Frame), plain, small) : null;
        var marks = new List<Mark>();
        var bottom = 0.0;
        var legend = new List<LegendEntry>();
        for (var i = 0; i < shown.Count; i++)
        {
            var (x, y) = (i % perRow * small.Width, above + (i / perRow * (small.Height + Title)));
            var drawing = form.IsOverTime
                ? OverTime.Draw(shown[i].Frame, plain with { Form = form }, small, axes)
                : Chart.Draw(shown[i].Frame, plain with { Form = form }, small);
            if (drawing is null)
                return null;
            // Each line of each chart is one of its own, with the value of the chart as a key.
            var before = legend.Count;
            var value = groups[i].Value;
            legend.AddRange(drawing.Legend.Select(l => l with { Figures = null, Keys = [(by, value), .. l.Keys] }));
            marks.Add(
                new TextMark(x + 12, y + 15, TextSize.Fit(shown[i].Name, small.Width - 20), Anchor.Start, "multiple-name")
                {
                    Tip = shown[i].Name,
                }
            );
            marks.AddRange(drawing.Marks.Select(m => Moved(m.Of is { } of ? m with { Of = of + before } : m, x, y + Title)));
            bottom = Math.Max(bottom, y + Title + drawing.Height);
        }
        marks.AddRange(Surround.Marks(spec, view, []));
        return new Drawing(
            view.Width,
            bottom,
            spec.Title,
            $"{shown.Count} small charts by {by}, {(spec.SharedScale ? "on one scale" : "each on a scale of its own")}.",
            marks,
            null
        )
        {
            Legend = legend,
            ViewHeight = bottom > view.Height ? view.Height : null,
            Note = Bars.Noted(
                spec.SharedScale ? "all on one scale" : "each on a scale of its own",
                shown.Count < groups.Count ? $"the first {shown.Count} of {groups.Count}" : null
            ),
        };
    }

    private static Mark Moved(Mark mark, double dx, double dy) =>
        mark switch
        {
            LineMark m => m with { X1 = m.X1 + dx, X2 = m.X2 + dx, Y1 = m.Y1 + dy, Y2 = m.Y2 + dy },
            RectMark m => m with { X = m.X + dx, Y = m.Y + dy },
            PathMark m => m with
            {
                Pieces = [.. m.Pieces.Select(p => (IReadOnlyList<(double, double)>)[.. p.Select(q => (q.X + dx, q.Y + dy))])],
            },
            ArcMark m => m with { X = m.X + dx, Y = m.Y + dy },
            DotMark m => m with { X = m.X + dx, Y = m.Y + dy },
            TextMark m => m with { X = m.X + dx, Y = m.Y + dy },
            _ => mark,
        };
}
