using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>A donut: shares of a whole, with a list of them beside it, so that no label meets another.</summary>
internal sealed class DonutForm() : ChartForm("Donut", "donut")
{
    private const int MostParts = 9;
    private const double Row = 21;

    private const int FewParts = 8;

    public override bool Takes(FrameShape shape) => true;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape is { IsOverTime: false, Figures: 1, Keys.Count: 1, Rows: <= FewParts, Unit: "1" }
            ? (Suits.Well, "A few shares of a whole are a donut.")
            : null;

    public override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        if (Figures.Of(frame, spec, view) is not { } figures)
            return null;
        var parts = figures.HighestFirst.Where(f => f.Value > 0).ToList();
        if (parts.Count == 0)
            return Nothing.Draw(spec, view);
        var unit = ChartUnit.Of(parts[0].Column, spec.Left.Unit);
        var total = parts.Sum(p => p.Value!.Value);
        var most = Math.Min(MostParts, spec.Most);
        var shown = parts.Count <= most ? parts : [.. parts.Take(most - 1)];
        var rest = parts.Skip(shown.Count).Sum(p => p.Value!.Value);
        var (above, _) = Surround.Heights(spec, view, []);
        var outer = Math.Max(40, Math.Min((view.Height - above - 24) / 2, view.Width * 0.24));
        var (x, y) = (outer + 16, above + 12 + Math.Max(outer, (view.Height - above - 24) / 2));
        var marks = new List<Mark>();
        var slots = Palette.SlotsOf([.. shown.Select(p => p.Name)]);
        var (from, row) = (0.0, 0);
        var list = shown.Count + (rest > 0 ? 1 : 0);
        var top = Math.Max(above + 8, y - (list * Row / 2));
        void Part(string name, double value, string style, int? of)
        {
            var share = value / total;
            marks.Add(
                new ArcMark(x, y, outer * 0.6, outer, from, from + share, "part " + style)
                {
                    Tip = $"{name}: {unit.Text(value, spec.Left.Decimals)}, {Format.Percent(share)}",
                    Of = of,
                }
            );
            from += share;
            var (left, at) = (x + outer + 26, top + (row++ * Row) + 14);
            marks.Add(new RectMark(left, at - 9, 10, 10, "part " + style));
            var figure = unit.Text(value, spec.Left.Decimals);
            var right = Math.Min(view.Width - 12, left + 380);
            marks.Add(
                new TextMark(
                    left + 18,
                    at,
                    TextSize.Fit(name, right - left - 18 - TextSize.Width(figure) - 64),
                    Anchor.Start,
                    "bar-name"
                )
                {
                    Tip = name,
                }
            );
            marks.Add(new TextMark(right - 52, at, figure, Anchor.End, "bar-figure"));
            marks.Add(new TextMark(right, at, Format.Percent(share), Anchor.End, "tick"));
        }
        for (var i = 0; i < shown.Count; i++)
            Part(shown[i].Name, shown[i].Value!.Value, Palette.StyleOf(slots[i]), i);
        if (rest > 0)
            Part($"{parts.Count - shown.Count} others", rest, "rest", null);
        marks.Add(new TextMark(x, y + 1, unit.Text(total, spec.Left.Decimals), Anchor.Middle, "gauge-value"));
        marks.Add(new TextMark(x, y + 18, "all", Anchor.Middle, "tick"));
        marks.AddRange(Surround.Marks(spec, view, []));
        return new Drawing(
            view.Width,
            Math.Max(view.Height, top + (list * Row) + 12),
            spec.Title,
            $"Shares of {unit.Text(total)}. "
                + string.Join(" ", shown.Take(5).Select(p => $"{p.Name}: {Format.Percent(p.Value!.Value / total)}.")),
            marks,
            null
        )
        {
            Legend =
            [
                .. shown.Select(
                    (p, i) =>
                        new LegendEntry(
                            p.Name,
                            Palette.StyleOf(slots[i]),
                            unit.Text(p.Value!.Value, spec.Left.Decimals),
                            Format.Percent(p.Value!.Value / total)
                        )
                        {
                            Keys = p.Keys,
                            Column = p.Column.Name,
                        }
                ),
            ],
            Note = Bars.Noted(figures.How, rest > 0 ? $"the {shown.Count} largest of {parts.Count}" : null),
        };
    }
}
