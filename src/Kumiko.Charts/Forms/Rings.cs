using Kumiko.Core.Frames;

namespace Kumiko.Charts.Forms;

/// <summary>A gauge: one figure on a half ring with its limits; several stand beside each other.</summary>
internal static class Gauge
{
    private const double Least = 200;
    private const double From = -0.25;
    private const double To = 0.25;

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        if (Figures.Of(frame, spec, view) is not { } figures)
            return null;
        if (figures.All.Count == 0)
            return Nothing.Draw(spec, view);
        var all = figures.All.Count > spec.Most ? [.. figures.HighestFirst.Take(spec.Most)] : figures.All;
        var (above, _) = Surround.Heights(spec, view, []);
        var perRow = Math.Clamp((int)(view.Width / Least), 1, all.Count);
        var rows = (all.Count + perRow - 1) / perRow;
        var width = view.Width / perRow;
        var height = Math.Max(150, Math.Min(260, (view.Height - above) / rows));
        var unit = ChartUnit.Of(all[0].Column, spec.Left.Unit);
        var top = Math.Max(all.Max(f => f.Value ?? 0), spec.Thresholds.Select(t => t.Value).DefaultIfEmpty(0).Max());
        var axis = ValueAxis.For(
            Math.Min(0, all.Min(f => f.Value ?? 0)),
            unit.IsShare && spec.Left.Max is null && top <= 1 && all[0].Column.Unit == "1" ? 1 : top,
            unit,
            4,
            spec.Left,
            zero: true
        );
        var marks = new List<Mark>();
        for (var i = 0; i < all.Count; i++)
            One(i, i % perRow * width, above + (i / perRow * height), width, height);
        marks.AddRange(Surround.Marks(spec, view, []));
        var total = Math.Max(view.Height, above + (rows * height));
        return new Drawing(
            view.Width,
            total,
            spec.Title,
            string.Join(" ", all.Take(5).Select(f => $"{f.Name}: {Text(f)} of {unit.Text(axis.Max)}.")),
            marks,
            null
        )
        {
            Legend =
            [
                .. all.Select(f => new LegendEntry(f.Name, Palette.StyleOf(0), Text(f), Text(f))
                {
                    Keys = f.Keys,
                    Column = f.Column.Name,
                }),
            ],
            ViewHeight = total > view.Height ? view.Height : null,
            Note = Bars.Noted(
                figures.How,
                figures.All.Count > all.Count ? $"the {all.Count} highest of {figures.All.Count}" : null
            ),
        };

        string Text(Figure f) => f.Value is { } v ? unit.Text(v, spec.Left.Decimals) : "–";

        void One(int place, double left, double y, double room, double high)
        {
            var figure = all[place];
            var outer = Math.Max(30, Math.Min((room / 2) - 34, high - 66));
            var (x, foot) = (left + (room / 2), y + 26 + outer);
            double Turn(double value) => From + (Math.Clamp(axis.Share(value), 0, 1) * (To - From));
            marks.Add(new ArcMark(x, foot, outer * 0.72, outer, From, To, "track"));
            var level = figure.Value is { } v
                ? spec.Thresholds.Where(t => v > t.Value).OrderByDescending(t => t.Value).FirstOrDefault()?.Level
                : null;
            if (figure.Value is { } value)
                marks.Add(
                    new ArcMark(
                        x,
                        foot,
                        outer * 0.72,
                        outer,
                        Turn(Math.Clamp(0, axis.Min, axis.Max)),
                        Turn(value),
                        "gauge " + (level ?? "plain")
                    )
                    {
                        Tip = $"{figure.Name}: {Text(figure)}",
                        Of = place,
                    }
                );
            foreach (var threshold in spec.Thresholds.Where(t => axis.Share(t.Value) is > 0 and < 1))
            {
                var angle = Turn(threshold.Value) * 2 * Math.PI;
                var (dx, dy) = (Math.Sin(angle), -Math.Cos(angle));
                marks.Add(
                    new LineMark(
                        x + (dx * outer * 0.66),
                        foot + (dy * outer * 0.66),
                        x + (dx * outer * 1.06),
                        foot + (dy * outer * 1.06),
                        "limit whole " + threshold.Level
                    )
                    {
                        Tip = threshold.Label,
                    }
                );
            }
            marks.Add(new TextMark(x, foot - 4, Text(figure), Anchor.Middle, "gauge-value"));
            marks.Add(new TextMark(x - (outer * 0.86), foot + 14, axis.Label(axis.Min), Anchor.Middle, "tick"));
            marks.Add(new TextMark(x + (outer * 0.86), foot + 14, axis.Label(axis.Max), Anchor.Middle, "tick"));
            marks.Add(
                new TextMark(
                    x,
                    foot + 32,
                    TextSize.Fit(figure.Keys.Count > 0 ? figure.Name : figure.Column.Name, room - 12),
                    Anchor.Middle,
                    "single-name"
                )
                {
                    Tip = figure.Name,
                }
            );
        }
    }
}

/// <summary>A donut: shares of a whole, with a list of them beside it, so that no label meets another.</summary>
internal static class Donut
{
    private const int MostParts = 9;
    private const double Row = 21;

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
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
