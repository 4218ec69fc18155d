using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts.Forms;

/// <summary>A heat map: steps of time across, values or groups upwards, a shade for each cell.</summary>
internal static class HeatMap
{
    private const double Bottom = 48;
    private const double Top = 8;
    private const double TickWidth = 78;
    private const double LeastRow = 7;
    private const double NamedRow = 15;
    public const int Shades = 7;

    /// <summary>Shades have one scale, so only the first figure that is not hidden is drawn.</summary>
    private static Frame FirstFigure(Frame frame, ChartSpec spec)
    {
        var first = frame.Schema.Columns.FirstOrDefault(c =>
            c.Role == ColumnRole.Value && !spec.Layers.Any(l => l.Column == c.Name && l.Hidden)
        );
        return frame with
        {
            Schema = frame.Schema with
            {
                Columns =
                [
                    .. frame.Schema.Columns.Select(c =>
                        c.Role == ColumnRole.Value && c != first ? c with { Role = ColumnRole.Detail } : c
                    ),
                ],
            },
        };
    }

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        if (
            SeriesTable.Of(FirstFigure(frame, spec), spec with { Most = int.MaxValue }) is not { } table
            || frame.Schema.Step is not { } step
        )
            return null;
        if (table.Series.Count == 0)
            return Nothing.Draw(spec, view);
        // Rows of numbers are a scale, from below upwards; rows of names go by total, the highest on top.
        var numeric = table.Series.All(s => s.Keys is [var key] && SeriesTable.Number(key.Value) is not null);
        IReadOnlyList<Series> ordered = numeric
            ? [.. table.Series.OrderByDescending(s => s.Keys[0].Value.AsDouble)]
            : table.Series;
        if (numeric)
            ordered = Evenly(ordered, table.Times.Count);
        var (above, _) = Surround.Heights(spec, view, []);
        var room = view.Height - Top - Bottom - above;
        var kept = numeric || ordered.Count * LeastRow <= room ? ordered : [.. ordered.Take(Math.Max(spec.Most, 400))];
        var row = Math.Max(LeastRow, Math.Min(28, room / kept.Count));
        var unit = ChartUnit.Of(table.First, spec.Left.Unit);
        string Name(Series s) => numeric ? Format.Value(s.Keys[0].Value, view.Zone) : s.Name;
        var left = Math.Min(view.Width * 0.3, kept.Max(s => TextSize.Width(Name(s))) + 18);
        var from = Math.Min(frame.Schema.Window.From, table.Times[0]);
        var plot = new Plot(
            left,
            Top + above,
            Math.Max(10, view.Width - left - 16),
            kept.Count * row,
            from,
            frame.Schema.Window.To
        );
        var most = kept.Max(s => s.Values.Max() ?? 0);
        var marks = new List<Mark>();
        var every = Math.Max(1, (int)Math.Ceiling(NamedRow / row));
        for (var r = 0; r < kept.Count; r++)
        {
            var y = plot.Top + (r * row);
            if (r % every == 0)
                marks.Add(
                    new TextMark(plot.Left - 8, y + (row / 2) + 4, TextSize.Fit(Name(kept[r]), left - 14), Anchor.End, "tick")
                    {
                        Tip = Name(kept[r]),
                    }
                );
            for (var i = 0; i < table.Times.Count; i++)
            {
                if (kept[r].Values[i] is not { } value)
                    continue;
                var (x, end) = (plot.X(Math.Max(table.Times[i], plot.From)), plot.X(Math.Min(table.Times[i] + step, plot.To)));
                if (value == 0 && numeric)
                    continue;
                marks.Add(
                    new RectMark(
                        x,
                        y,
                        Math.Max(0.5, end - x - (end - x > 4 ? 0.6 : 0)),
                        Math.Max(0.5, row - (row > 4 ? 0.6 : 0)),
                        $"heat-{Shade(value, most)}"
                    )
                    {
                        Of = r,
                    }
                );
            }
        }
        marks.Add(new LineMark(plot.Left, plot.Bottom, plot.Right, plot.Bottom, "axis"));
        var last = double.NegativeInfinity;
        foreach (
            var tick in TimeAxis.Ticks(new Window(plot.From, plot.To), view.Zone, Math.Max(1, (int)(plot.Width / TickWidth)))
        )
        {
            var (x, half) = (plot.X(tick.Time), TextSize.Width(tick.Label) / 2);
            marks.Add(new LineMark(x, plot.Bottom, x, plot.Bottom + 4, "axis"));
            if (x - half < last + 6 || x + half > view.Width - 2)
                continue;
            marks.Add(new TextMark(x, plot.Bottom + 17, tick.Label, Anchor.Middle, tick.IsDay ? "tick day-label" : "tick"));
            last = x + half;
        }
        Scale(marks, plot, most, unit, spec);
        marks.AddRange(Surround.Marks(spec, view, []));
        var height = plot.Bottom + Bottom;
        return new Drawing(
            view.Width,
            height,
            spec.Title,
            $"{table.First.Name} over time for {Format.Count(kept.Count, "row", "rows")}. Highest: {unit.Text(most)}.",
            marks,
            plot
        )
        {
            Legend = [.. kept.Select(s => new LegendEntry(Name(s), "", "", "") { Keys = s.Keys, Column = s.Column.Name })],
            HoverOf = () =>
                [
                    .. table.Times.Select(
                        (t, i) =>
                            new HoverPoint(
                                plot.X(Math.Clamp(t + (step / 2), plot.From, plot.To)),
                                $"{Format.Day(t, view.Zone)}, {Format.Clock(t, view.Zone)} to {Format.Clock(t + step, view.Zone)}",
                                [.. kept.Select(s => s.Values[i] is { } v ? unit.Text(v, spec.Left.Decimals) : "–")],
                                [.. kept.Select(s => s.Values[i])]
                            )
                            {
                                Start = t,
                                End = t + step,
                            }
                    ),
                ],
            ViewHeight = height > view.Height ? view.Height : null,
            Note =
                kept.Count < ordered.Count
                    ? $"{kept.Count} of {ordered.Count} rows are drawn: {SeriesTable.InWords(Choice.HighestTotal)}."
                    : null,
        };
    }

    /// <summary>Numbers at equal distances from the highest down, with rows for those that nothing has; as they are where that
    /// would be too many.</summary>
    private static IReadOnlyList<Series> Evenly(IReadOnlyList<Series> falling, int steps)
    {
        const int MostRows = 200;
        if (falling.Count < 3)
            return falling;
        double[] at = [.. falling.Select(s => s.Keys[0].Value.AsDouble)];
        var width = at.Zip(at.Skip(1), (a, b) => a - b).Min();
        var rows = (at[0] - at[^1]) / width;
        if (!(rows < MostRows) || at.Any(a => Math.Abs(((at[0] - a) / width) - Math.Round((at[0] - a) / width)) > 1e-6))
            return falling;
        var byRow = falling.ToDictionary(s => (int)Math.Round((at[0] - s.Keys[0].Value.AsDouble) / width));
        return
        [
            .. Enumerable
                .Range(0, (int)Math.Round(rows) + 1)
                .Select(r =>
                    byRow.GetValueOrDefault(r)
                    ?? falling[0] with
                    {
                        Values = new double?[steps],
                        Keys = [(falling[0].Keys[0].Name, Number(falling[0].Keys[0].Value, at[0] - (r * width)))],
                    }
                ),
        ];
    }

    private static Value Number(Value like, double number) =>
        like.Kind switch
        {
            ValueKind.Integer => Value.Of((long)Math.Round(number)),
            ValueKind.Duration => Value.Duration((long)Math.Round(number)),
            ValueKind.Size => Value.Size((long)Math.Round(number)),
            _ => Value.Of(number),
        };

    private static int Shade(double value, double most) =>
        most <= 0 ? 0 : Math.Clamp((int)Math.Ceiling(Math.Max(0, value) / most * (Shades - 1)), 0, Shades - 1);

    /// <summary>What the shades mean.</summary>
    private static void Scale(List<Mark> marks, Plot plot, double most, ChartUnit unit, ChartSpec spec)
    {
        const double Box = 22;
        var (x, y) = (plot.Right - (Shades * Box) - TextSize.Width(unit.Text(most, spec.Left.Decimals)) - 6, plot.Bottom + 28);
        marks.Add(new TextMark(x - 6, y + 9, unit.Label(0, 1), Anchor.End, "tick"));
        for (var shade = 0; shade < Shades; shade++)
            marks.Add(new RectMark(x + (shade * Box), y, Box - 1, 10, $"heat-{shade}"));
        marks.Add(new TextMark(x + (Shades * Box) + 5, y + 9, unit.Text(most, spec.Left.Decimals), Anchor.Start, "tick"));
    }
}

/// <summary>A histogram: how often which values are. Counts by a number are taken as they are; single values are put into
/// ranges.</summary>
internal static class Histogram
{
    private const double Left = 58;
    private const double Right = 18;
    private const double Top = 14;
    private const double Bottom = 30;
    private const int MostRanges = 60;

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        var columns = frame.Schema.Columns;
        var figures = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value).ToList();
        var key = Enumerable
            .Range(0, columns.Count)
            .FirstOrDefault(
                i =>
                    columns[i].Role == ColumnRole.Key
                    && frame.Rows.Count > 0
                    && frame.Rows.All(r => SeriesTable.Number(r[i]) is not null),
                -1
            );
        if (figures.Count == 0)
            return null;
        var counted = key >= 0 && figures.Count == 1;
        var bars = counted ? Counted(frame, key, figures[0]) : Ranged(frame, figures[0]);
        if (bars.Count == 0)
            return Nothing.Draw(spec, view);
        var of = counted ? columns[key] : columns[figures[0]];
        var unit = ChartUnit.Of(of.Unit, counted ? frame.Rows[0][key].Kind : of.Kind);
        var (above, _) = Surround.Heights(spec, view, []);
        var plot = (
            Left,
            Top: Top + above,
            Width: Math.Max(10, view.Width - Left - Right),
            Height: Math.Max(10, view.Height - Top - Bottom - above)
        );
        var values = ValueAxis.For(
            0,
            bars.Max(b => b.Count),
            ChartUnit.Of("", ValueKind.Integer),
            Math.Max(2, (int)(plot.Height / 44)),
            spec.Left,
            zero: true
        );
        var (from, to) = (bars[0].From, bars[^1].To);
        var across = ValueAxis.For(from, to, unit, Math.Max(2, (int)(plot.Width / 90)), new AxisSpec(Zero: false), zero: false);
        double X(double v) => plot.Left + ((v - from) / Math.Max(to - from, double.Epsilon) * plot.Width);
        double Y(double v) => plot.Top + plot.Height - (Math.Clamp(values.Share(v), 0, 1) * plot.Height);
        var marks = new List<Mark>();
        foreach (var tick in values.Ticks)
        {
            marks.Add(new LineMark(plot.Left, Y(tick), plot.Left + plot.Width, Y(tick), tick == 0 ? "axis" : "grid"));
            marks.Add(new TextMark(plot.Left - 8, Y(tick) + 4, values.Label(tick), Anchor.End, "tick"));
        }
        foreach (var (low, high, count) in bars)
            if (count > 0)
                marks.Add(
                    new RectMark(
                        X(low),
                        Y(count),
                        Math.Max(0.5, X(high) - X(low) - (X(high) - X(low) > 4 ? 1 : 0)),
                        Y(0) - Y(count),
                        "column series-0"
                    )
                    {
                        Tip = $"{unit.Text(low)} to {unit.Text(high)}: {Format.Number((long)count)}",
                    }
                );
        foreach (var tick in across.Ticks.Where(t => t >= from && t <= to))
        {
            marks.Add(new LineMark(X(tick), plot.Top + plot.Height, X(tick), plot.Top + plot.Height + 4, "axis"));
            if (X(tick) + (TextSize.Width(across.Label(tick)) / 2) < view.Width)
                marks.Add(new TextMark(X(tick), plot.Top + plot.Height + 18, across.Label(tick), Anchor.Middle, "tick"));
        }
        foreach (var threshold in spec.Thresholds.Where(t => t.Value > from && t.Value < to))
        {
            marks.Add(
                new LineMark(X(threshold.Value), plot.Top, X(threshold.Value), plot.Top + plot.Height, "limit " + threshold.Level)
            );
            marks.Add(
                new TextMark(
                    X(threshold.Value) + 5,
                    plot.Top + 10,
                    threshold.Label,
                    Anchor.Start,
                    "limit-label " + threshold.Level
                )
            );
        }
        marks.AddRange(Surround.Marks(spec, view, []));
        var n = bars.Sum(b => b.Count);
        return new Drawing(
            view.Width,
            view.Height,
            spec.Title,
            $"Histogram of {of.Name}: {Format.Count((long)n, "value", "values")} from {unit.Text(from)} to {unit.Text(to)}.",
            marks,
            null
        )
        {
            Note = counted
                ? null
                : $"{Format.Number((long)n)} values in {bars.Count} ranges of {unit.Text(bars[0].To - bars[0].From)}.",
        };
    }

    private static List<(double From, double To, double Count)> Counted(Frame frame, int key, int value)
    {
        var counts = new SortedDictionary<double, double>();
        foreach (var row in frame.Rows)
            counts[SeriesTable.Number(row[key])!.Value] =
                counts.GetValueOrDefault(SeriesTable.Number(row[key])!.Value) + (SeriesTable.Number(row[value]) ?? 0);
        double[] at = [.. counts.Keys];
        // The most frequent distance is the width; a lone value has one of its own size.
        var width = at.Length < 2 ? Math.Max(Math.Abs(at.FirstOrDefault()), 1) : at.Zip(at.Skip(1), (a, b) => b - a).Min();
        return [.. counts.Select(c => (c.Key, c.Key + width, c.Value))];
    }

    /// <summary>Ranges of round width, as many as Freedman and Diaconis propose (Zeitschrift für Wahrscheinlichkeitstheorie 57,
    /// 1981).</summary>
    private static List<(double From, double To, double Count)> Ranged(Frame frame, int value)
    {
        double[] all =
        [
            .. frame.Rows.Select(r => SeriesTable.Number(r[value])).Where(v => v is not null).Select(v => v!.Value).Order(),
        ];
        if (all.Length == 0)
            return [];
        var spread = all[(int)(all.Length * 0.75)] - all[(int)(all.Length * 0.25)];
        var width = 2 * spread / Math.Cbrt(all.Length);
        var range = all[^1] - all[0];
        width = ChartUnit
            .Of(frame.Schema.Columns[value])
            .Step(Math.Max(width > 0 ? width : range / 10, Math.Max(range / MostRanges, Math.Abs(all[0]) * 1e-9 + 1e-12)));
        var first = Math.Floor(all[0] / width);
        var counts = new double[Math.Min((int)(Math.Floor(all[^1] / width) - first) + 1, MostRanges * 3)];
        foreach (var v in all)
            counts[Math.Clamp((int)(Math.Floor(v / width) - first), 0, counts.Length - 1)]++;
        return [.. counts.Select((c, i) => ((first + i) * width, (first + i + 1) * width, c))];
    }
}

/// <summary>A scatter: one figure across, another upwards, a dot for each row.</summary>
internal static class Scatter
{
    private const double Top = 14;
    private const double Bottom = 44;
    private const double Right = 18;
    private const int MostDots = 4_000;

    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        var columns = frame.Schema.Columns;
        var figures = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Value).ToList();
        if (figures.Count < 2)
            return null;
        var keys = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key).ToList();
        var time = frame.Schema.IndexOf(ColumnRole.Time);
        var dots = frame
            .Rows.Select(r =>
                (
                    X: SeriesTable.Number(r[figures[0]]),
                    Y: SeriesTable.Number(r[figures[1]]),
                    Name: SeriesTable.NameOf(r, keys, "", false),
                    Row: r
                )
            )
            .Where(d => d.X is not null && d.Y is not null)
            .ToList();
        if (dots.Count == 0)
            return Nothing.Draw(spec, view);
        var names = dots.GroupBy(d => d.Name).OrderByDescending(g => g.Count()).Select(g => g.Key).ToList();
        var slots = names.Count == 1 ? [0] : Palette.SlotsOf(names);
        var legend = names.Count is > 1 and <= 20 ? names.Select((n, i) => (n, Palette.StyleOf(slots[i]))).ToList() : [];
        var (above, below) = Surround.Heights(spec, view, legend);
        var (unitX, unitY) = (ChartUnit.Of(columns[figures[0]]), ChartUnit.Of(columns[figures[1]], spec.Left.Unit));
        var height = Math.Max(10, view.Height - Top - Bottom - above - below);
        var up = ValueAxis.For(
            dots.Min(d => d.Y!.Value),
            dots.Max(d => d.Y!.Value),
            unitY,
            Math.Max(2, (int)(height / 44)),
            spec.Left,
            zero: false
        );
        var left = Math.Max(46, up.Ticks.Max(t => TextSize.Width(up.Label(t))) + 34);
        var width = Math.Max(10, view.Width - left - Right);
        var across = ValueAxis.For(
            dots.Min(d => d.X!.Value),
            dots.Max(d => d.X!.Value),
            unitX,
            Math.Max(2, (int)(width / 90)),
            spec.Right,
            zero: false
        );
        double X(double v) => left + (across.Share(v) * width);
        double Y(double v) => Top + above + height - (up.Share(v) * height);
        var marks = new List<Mark>();
        foreach (var tick in up.Ticks)
        {
            marks.Add(new LineMark(left, Y(tick), left + width, Y(tick), "grid"));
            marks.Add(new TextMark(left - 8, Y(tick) + 4, up.Label(tick), Anchor.End, "tick"));
        }
        foreach (var tick in across.Ticks)
        {
            marks.Add(new LineMark(X(tick), Top + above, X(tick), Top + above + height, "grid"));
            if (X(tick) + (TextSize.Width(across.Label(tick)) / 2) < view.Width)
                marks.Add(new TextMark(X(tick), Top + above + height + 17, across.Label(tick), Anchor.Middle, "tick"));
        }
        marks.Add(
            new TextMark(
                left + (width / 2),
                Top + above + height + 36,
                TextSize.Fit(columns[figures[0]].Name, width),
                Anchor.Middle,
                "axis-title"
            )
        );
        marks.Add(
            new TextMark(
                12,
                Top + above + (height / 2),
                TextSize.Fit(columns[figures[1]].Name, height),
                Anchor.Middle,
                "axis-title"
            )
            {
                Turned = true,
            }
        );
        var (first, last) = time < 0 ? (0, 0) : (dots.Min(d => d.Row[time].AsLong), dots.Max(d => d.Row[time].AsLong));
        // Evenly left out, as no dot is more telling than another here.
        var every = (dots.Count + MostDots - 1) / MostDots;
        for (var i = 0; i < dots.Count; i += every)
        {
            var d = dots[i];
            if (double.IsNaN(X(d.X!.Value)) || double.IsNaN(Y(d.Y!.Value)))
                continue;
            var tip =
                (d.Name.Length > 0 ? d.Name + ": " : "")
                + $"{unitX.Text(d.X.Value)}, {unitY.Text(d.Y!.Value)}"
                + (time >= 0 ? $" at {Format.Moment(d.Row[time].AsLong, view.Zone)}" : "");
            var shade =
                spec.ShadeByTime && time >= 0
                    ? $"heat-{Math.Clamp((int)((d.Row[time].AsLong - first) / (double)Math.Max(1, last - first) * HeatMap.Shades), 0, HeatMap.Shades - 1)}"
                    : "dot open " + Palette.StyleOf(slots[names.IndexOf(d.Name)]);
            marks.Add(new DotMark(X(d.X.Value), Y(d.Y.Value), 3, shade) { Tip = tip });
        }
        marks.AddRange(Surround.Marks(spec, view, legend));
        return new Drawing(
            view.Width,
            view.Height,
            spec.Title,
            $"{columns[figures[1]].Name} against {columns[figures[0]].Name}: {Format.Count(dots.Count, "dot", "dots")}.",
            marks,
            null
        )
        {
            Legend = [.. legend.Select(l => new LegendEntry(l.n, l.Item2, "", ""))],
            Note = Bars.Noted(
                every > 1 ? $"Every {every}th of {Format.Number(dots.Count)} dots is drawn" : null,
                spec.ShadeByTime && time >= 0 ? "the darker, the later" : null
            ),
        };
    }
}
