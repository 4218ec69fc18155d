using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts;

/// <summary>A picture over time while it is drawn: axes and places for the forms, and their marks.</summary>
public sealed class TimePicture(SeriesTable table, Frame frame, ChartSpec spec, ChartView view, long step)
{
    private const double Top = OverTime.Top;
    private const double Bottom = OverTime.Bottom;
    private const double TickWidth = 78;
    private const double TickHeight = 44;
    private const double TitleRoom = 18;
    private const double LongestEvent = 420;
    private const double ShortestEvent = 60;
    private const double LabelHeight = 14;
    private readonly Window _focus = frame.Schema.Window;
    private readonly List<Mark> _marks = [];
    private readonly Dictionary<Series, int> _places = table
        .Series.Select((s, i) => (s, i))
        .ToDictionary(p => p.s, p => p.i, (IEqualityComparer<Series>)ReferenceEqualityComparer.Instance);
    private Plot _plot = null!;
    private ValueAxis? _left;
    private ValueAxis? _right;
    private int _points;
    private int _drawn;

    private OverTimeForm FormOf(Series series) =>
        series.Layer.Form as OverTimeForm ?? spec.Form as OverTimeForm ?? (OverTimeForm)ChartForms.Line;

    private AxisSpec SpecOf(Side side) => side == Side.Left ? spec.Left : spec.Right;

    /// <summary>The axis of a side; the other where that has none.</summary>
    public ValueAxis AxisOf(Side side) => (side == Side.Left ? _left : _right) ?? _left ?? _right!;

    internal bool Has(Side side) => table.Series.Any(s => s.Layer.Side == side) || (side == Side.Left && table.Series.Count == 0);

    /// <summary>Whether a step is cut by the focus or not over yet, so that its figure is not comparable.</summary>
    public bool IsPartial(int i) => table.Times[i] < _focus.From || table.Times[i] + step > Math.Min(_focus.To, view.Now);

    internal Drawing Draw((ValueAxis? Left, ValueAxis? Right)? axes)
    {
        var legend = table.Series.Select(s => (s.Name, s.Style)).ToList();
        var (above, below) = Surround.Heights(spec, view, legend);
        var height = Math.Max(10, view.Height - Top - Bottom - above - below);
        _left = axes?.Left ?? (Has(Side.Left) ? AxisFor(Side.Left, Range(Side.Left), height) : null);
        _right = axes?.Right ?? (Has(Side.Right) ? AxisFor(Side.Right, Range(Side.Right), height) : null);
        var (left, right) = (_left is null ? 16 : Room(_left, spec.Left), _right is null ? 16 : Room(_right, spec.Right));
        // The axis begins with the first step, which may begin before the focus.
        var from = table.Times.Count > 0 ? Math.Min(_focus.From, table.Times[0]) : _focus.From;
        _plot = new Plot(left, Top + above, Math.Max(10, view.Width - left - right), height, from, _focus.To);
        if (spec.Nights)
            Nights();
        Bands();
        Grid();
        TimeLabels();
        if (view.Over?.Counts is { } counts)
            Counts(counts);
        Ranges();
        if (table.Series.Count == 0 || table.Times.Count == 0)
            _marks.Add(
                new TextMark(
                    _plot.Left + (_plot.Width / 2),
                    _plot.Top + (_plot.Height / 2),
                    "Nothing to draw in this stretch of time.",
                    Anchor.Middle,
                    "chart-empty"
                )
            );
        else
            Series();
        Mute();
        Thresholds();
        Over();
        _marks.AddRange(Surround.Marks(spec, view, legend));
        return new Drawing(view.Width, view.Height, spec.Title, Describe(), _marks, _plot)
        {
            Legend = [.. table.Series.Select(Entry)],
            HoverOf = () => [.. table.Times.Select((t, i) => Hover(t, i))],
            Note = Note(),
            Scale = _left is { IsLog: false } scale ? (scale.Min, scale.Max) : null,
        };
    }

    private string? Note()
    {
        var notes = new List<string>();
        if (table.Left > 0)
            notes.Add(
                $"{table.Series.Count} of {Format.Number(table.Series.Count + table.Left)} series are drawn: {SeriesTable.InWords(spec.Choice)}."
            );
        if (_drawn < _points)
            notes.Add(
                $"{Format.Number(_drawn)} of {Format.Number(_points)} points are drawn"
                    + (spec.Thinning == Thinning.Extremes ? "; every extreme is." : ".")
            );
        if (new[] { _left, _right }.Any(a => a?.IsLog == true) && table.Series.Any(s => s.Values.Any(v => v <= 0)))
            notes.Add("Values of zero and below have no place on a logarithmic axis.");
        return notes.Count == 0 ? null : string.Join(" ", notes);
    }

    internal (double Min, double Max) Range(Side side)
    {
        var (min, max) = (double.PositiveInfinity, double.NegativeInfinity);
        void See(double value) => (min, max) = (Math.Min(min, value), Math.Max(max, value));
        var of = table.Series.Where(s => s.Layer.Side == side).ToList();
        foreach (var group in of.GroupBy(FormOf))
        {
            if (!group.Key.IsStacked)
            {
                foreach (var series in group)
                foreach (var value in series.Values)
                    if (value is { } v)
                        See(v);
                continue;
            }
            for (var i = 0; i < table.Times.Count; i++)
            {
                See(group.Sum(s => Math.Max(0, s.Values[i] ?? 0)));
                See(group.Sum(s => Math.Min(0, s.Values[i] ?? 0)));
            }
        }
        foreach (var range in table.Ranges.Where(r => r.Low.Layer.Side == side))
        foreach (var value in range.Low.Values.Concat(range.High.Values))
            if (value is { } v)
                See(v);
        foreach (var threshold in spec.Thresholds.Where(t => t.Side == side))
            See(threshold.Value);
        return double.IsFinite(min) ? (min, max) : (0, 0);
    }

    internal ValueAxis AxisFor(Side side, (double Min, double Max) range, double height)
    {
        var of = table.Series.Where(s => s.Layer.Side == side).ToList();
        var column = of.Count > 0 ? of[0].Column : table.First;
        return ValueAxis.For(
            range.Min,
            range.Max,
            ChartUnit.Of(column, SpecOf(side).Unit ?? of.Select(s => s.Layer.Unit).FirstOrDefault(u => u is not null)),
            Math.Max(2, (int)(height / TickHeight)),
            SpecOf(side),
            of.Any(s => FormOf(s).FillsFromZero)
        );
    }

    private static double Room(ValueAxis axis, AxisSpec spec) =>
        Math.Max(34, axis.Ticks.Select(t => TextSize.Width(axis.Label(t))).DefaultIfEmpty(0).Max() + 18)
        + (spec.Title.Length > 0 ? TitleRoom : 0);

    /// <summary>The height of a value; not a number where the axis has none for it.</summary>
    public double Y(ValueAxis axis, double value) =>
        Math.Clamp(_plot.Bottom - (axis.Share(value) * _plot.Height), _plot.Top, _plot.Bottom);

    private void Grid()
    {
        var main = _left ?? _right;
        foreach (
            var (axis, x, anchor, title) in new[]
            {
                (_left, _plot.Left - 8, Anchor.End, spec.Left.Title),
                (_right, _plot.Right + 8, Anchor.Start, spec.Right.Title),
            }
        )
        {
            if (axis is null)
                continue;
            foreach (var tick in axis.Ticks)
            {
                var y = Y(axis, tick);
                if (ReferenceEquals(axis, main))
                    _marks.Add(new LineMark(_plot.Left, y, _plot.Right, y, tick == 0 ? "axis" : "grid"));
                _marks.Add(new TextMark(x, y + 4, axis.Label(tick), anchor, "tick"));
            }
            if (title.Length == 0)
                continue;
            var left = anchor == Anchor.End;
            _marks.Add(
                new TextMark(
                    left ? 12 : view.Width - 6,
                    _plot.Top + (_plot.Height / 2),
                    TextSize.Fit(title, _plot.Height),
                    Anchor.Middle,
                    "axis-title"
                )
                {
                    Turned = true,
                }
            );
        }
    }

    private void TimeLabels()
    {
        var window = new Window(_plot.From, _plot.To);
        var last = double.NegativeInfinity;
        foreach (var tick in TimeAxis.Ticks(window, view.Zone, Math.Max(1, (int)(_plot.Width / TickWidth))))
        {
            var x = _plot.X(tick.Time);
            _marks.Add(new LineMark(x, _plot.Top, x, _plot.Bottom + 4, tick.IsDay ? "day" : "grid"));
            // A label that would be cut off at an edge, or meet the one before, is left out; its line stays.
            var half = TextSize.Width(tick.Label) / 2;
            if (x - half < last + 6 || x - half < 2 || x + half > view.Width - 2)
                continue;
            _marks.Add(new TextMark(x, _plot.Bottom + 18, tick.Label, Anchor.Middle, tick.IsDay ? "tick day-label" : "tick"));
            last = x + half;
        }
    }

    /// <summary>Shades nights and weekends as the zone has them, where the stretch is long enough to have some and short
    /// enough to tell them.</summary>
    private void Nights()
    {
        const int Dusk = 22;
        const int Dawn = 6;
        var length = _plot.To - _plot.From;
        var (nights, weekends) = (
            length is > 0 && length <= 10 * Instants.Day && length >= 6 * Instants.Hour,
            length >= 2 * Instants.Day && length <= 100 * Instants.Day
        );
        if (!nights && !weekends)
            return;
        var day = Instants.ToInstant(_plot.From).InZone(view.Zone).Date.PlusDays(-1);
        var end = Instants.ToInstant(_plot.To).InZone(view.Zone).Date;
        for (; day <= end; day = day.PlusDays(1))
        {
            if (nights)
                Shade(At(day, Dusk), At(day.PlusDays(1), Dawn), "night");
            if (weekends && day.DayOfWeek == IsoDayOfWeek.Saturday)
                Shade(At(day, 0), At(day.PlusDays(2), 0), "weekend");
        }
    }

    private long At(LocalDate day, int hour) =>
        view.Zone.AtLeniently(day.At(new LocalTime(hour, 0))).ToInstant().ToUnixTimeTicks() * 100;

    private void Shade(long from, long to, string style)
    {
        var (x, end) = (_plot.X(Math.Max(from, _plot.From)), _plot.X(Math.Min(to, _plot.To)));
        if (end > x)
            _marks.Add(new RectMark(x, _plot.Top, end - x, _plot.Height, style));
    }

    private void Bands()
    {
        foreach (var band in spec.Bands)
        {
            var axis = AxisOf(band.Side);
            var (top, bottom) = (Y(axis, band.To), Y(axis, band.From));
            _marks.Add(new RectMark(_plot.Left, top, _plot.Width, Math.Max(0, bottom - top), "band " + band.Level));
            if (band.Label.Length > 0)
                _marks.Add(
                    new TextMark(
                        _plot.Left + 6,
                        Math.Min(bottom - 4, top + 14),
                        band.Label,
                        Anchor.Start,
                        "limit-label " + band.Level
                    )
                );
        }
    }

    private void Thresholds()
    {
        foreach (var threshold in spec.Thresholds.OrderByDescending(t => t.Value))
        {
            var y = Y(AxisOf(threshold.Side), threshold.Value);
            _marks.Add(new LineMark(_plot.Left, y, _plot.Right, y, "limit " + threshold.Level) { Handle = threshold.Handle });
        }
        // Above the line, below it at the upper edge, and never on another label.
        Threshold[] named = [.. spec.Thresholds.Where(t => t.Label.Length > 0).OrderByDescending(t => t.Value)];
        var wanted = Array.ConvertAll(named, t => Y(AxisOf(t.Side), t.Value) is var y && y - 4 < _plot.Top + 10 ? y + 14 : y - 4);
        foreach (var (threshold, at) in named.Zip(SpreadLabels.Apart(wanted, LabelHeight, _plot.Top + 10, _plot.Bottom - 2)))
            _marks.Add(new TextMark(_plot.Right - 4, at, threshold.Label, Anchor.End, "limit-label " + threshold.Level));
    }

    private void Series()
    {
        var groups = table.Series.GroupBy(s => (Form: FormOf(s), s.Layer.Side));
        foreach (var group in groups.OrderByDescending(g => g.Key.Form.Depth))
            group.Key.Form.Draw(this, [.. group]);
    }

    /// <summary>What is around the focus steps back, so that it is seen and not mistaken for it.</summary>
    private void Mute()
    {
        if (view.Focus is not { } focus)
            return;
        foreach (var (from, to) in new[] { (_plot.From, focus.From), (focus.To, _plot.To) })
        {
            var (x, end) = (_plot.X(Math.Max(from, _plot.From)), _plot.X(Math.Min(to, _plot.To)));
            if (end - x > 0.5)
                _marks.Add(new RectMark(x, _plot.Top, end - x, _plot.Height, "muted"));
        }
        foreach (var edge in new[] { focus.From, focus.To })
            if (edge > _plot.From && edge < _plot.To)
                _marks.Add(new LineMark(_plot.X(edge), _plot.Top, _plot.X(edge), _plot.Bottom, "edge"));
    }

    private void Ranges()
    {
        foreach (var range in table.Ranges)
        {
            var axis = AxisOf(range.Low.Layer.Side);
            var around = table.Series.FirstOrDefault(s =>
                s.Column.Name == range.Low.Layer.GhostOf && s.Keys.SequenceEqual(range.Low.Keys)
            );
            var areas = new List<IReadOnlyList<(double, double)>>();
            for (var i = 0; i < table.Times.Count; )
            {
                var (low, high) = (new List<(double, double)>(), new List<(double, double)>());
                for (
                    ;
                    i < table.Times.Count
                        && range.Low.Values[i] is { } l
                        && range.High.Values[i] is { } h
                        && !double.IsNaN(axis.Share(l))
                        && !double.IsNaN(axis.Share(h));
                    i++
                )
                {
                    low.Add((Middle(i), Y(axis, l)));
                    high.Add((Middle(i), Y(axis, h)));
                }
                low.Reverse();
                if (high.Count > 1)
                    areas.Add([.. high, .. low]);
                if (high.Count == 0)
                    i++;
            }
            if (areas.Count > 0)
                _marks.Add(
                    new PathMark(areas, "spread " + Palette.StyleOf(around?.Slot ?? 2))
                    {
                        Tip = range.Low.Layer.Label,
                        Of = around is null ? null : Place(around),
                    }
                );
        }
    }

    private void Counts(ChartCounts counts)
    {
        const double Share = 0.22;
        var most = counts.Steps.Select(s => s.Count).DefaultIfEmpty(0).Max();
        if (most <= 0)
            return;
        foreach (var (time, count) in counts.Steps)
        {
            var (x, end) = (_plot.X(Math.Max(time, _plot.From)), _plot.X(Math.Min(time + step, _plot.To)));
            var height = count / most * _plot.Height * Share;
            if (end > x && height > 0)
                _marks.Add(
                    new RectMark(x, _plot.Bottom - height, Math.Max(0.5, end - x - (end - x > 4 ? 1 : 0)), height, "behind")
                    {
                        Tip = $"{Format.Clock(time, view.Zone)}: {Format.Number((long)count)} {counts.Label}",
                    }
                );
        }
    }

    /// <summary>Changes and pins as lines with their words at the head, alerts as bars under the upper edge; words that would
    /// meet are left to hovering.</summary>
    private void Over()
    {
        if (view.Over is not { } over)
            return;
        var line = 0;
        foreach (var span in over.Spans.Where(s => s.To > _plot.From && s.From < _plot.To).Take(30))
        {
            var (x, end) = (_plot.X(Math.Max(span.From, _plot.From)), _plot.X(Math.Min(span.To, _plot.To)));
            var y = _plot.Top + 3 + (line++ % 3 * 7);
            _marks.Add(new RectMark(x, y, Math.Max(2, end - x), 5, "lasting " + span.Level) { Tip = span.Label });
            if (line <= 3 && TextSize.Width(span.Label) < end - x)
                _marks.Add(
                    new TextMark(x + 4, y + 17 + ((line - 1) % 3 * 7), span.Label, Anchor.Start, "event-label")
                    {
                        Tip = span.Label,
                    }
                );
        }
        var free = double.NegativeInfinity;
        var events = over.Events.Where(e => e.Time >= _plot.From && e.Time <= _plot.To).OrderBy(e => e.Time).ToList();
        for (var i = 0; i < events.Count; i++)
        {
            var happened = events[i];
            var x = _plot.X(happened.Time);
            var tip = $"{Format.Clock(happened.Time, view.Zone)}: {happened.Label}";
            _marks.Add(new LineMark(x, _plot.Top - 3, x, _plot.Bottom, happened.Kind + "-line") { Tip = tip });
            _marks.Add(
                new PathMark(
                    [
                        [
                            (x, _plot.Top - 13),
                            (x + 4.5, _plot.Top - 6),
                            (x, _plot.Top + 1),
                            (x - 4.5, _plot.Top - 6),
                            (x, _plot.Top - 13),
                        ],
                    ],
                    happened.Kind
                )
                {
                    Tip = tip,
                }
            );
            // Up to the next mark; what has no room there is told on hover.
            var room = Math.Min((i + 1 < events.Count ? _plot.X(events[i + 1].Time) - 6 : view.Width - 2) - x - 10, LongestEvent);
            var text = room < ShortestEvent && TextSize.Width(happened.Label) > room ? "" : TextSize.Fit(happened.Label, room);
            if (x - 6 < free || text.Length == 0)
                continue;
            _marks.Add(new TextMark(x + 9, _plot.Top - 2, text, Anchor.Start, "event-label") { Tip = tip });
            free = x + 9 + TextSize.Width(text);
        }
    }

    /// <summary>Where zero lies, or the end of the axis that is nearest to it.</summary>
    public double Foot(ValueAxis axis) => Y(axis, Math.Clamp(0, axis.Min, axis.Max));

    /// <summary>The middle of a step.</summary>
    public double Middle(int i) => _plot.X(Math.Clamp(table.Times[i] + (step / 2), _plot.From, _plot.To));

    /// <summary>Where a step begins and ends.</summary>
    public (double X, double End) Edges(int i) =>
        (_plot.X(Math.Max(table.Times[i], _plot.From)), _plot.X(Math.Min(table.Times[i] + step, _plot.To)));

    /// <summary>The place of a series in the legend.</summary>
    public int Place(Series series) => _places[series];

    /// <summary>The beginnings of steps.</summary>
    public IReadOnlyList<long> Times => table.Times;

    public void Add(Mark mark) => _marks.Add(mark);

    /// <summary>The points of a line, no more than pixels can show.</summary>
    public IReadOnlyList<(double, double)> Thin(List<(double X, double Y)> points)
    {
        List<(double X, double Y)> thinned;
        if (points.Count <= _plot.Width * 2)
            thinned = points;
        else if (spec.Thinning == Thinning.Extremes)
            thinned = Thinned.Extremes(points);
        else
            thinned = Thinned.Triangles(points, (int)_plot.Width);
        _points += points.Count;
        _drawn += thinned.Count;
        return thinned;
    }

    private ChartUnit UnitOf(Series series) => ChartUnit.Of(series.Column, series.Layer.Unit ?? SpecOf(series.Layer.Side).Unit);

    private string Text(Series series, double value) =>
        UnitOf(series).Text(value, series.Layer.Decimals ?? SpecOf(series.Layer.Side).Decimals);

    private LegendEntry Entry(Series series)
    {
        var last = series.Finished(IsPartial).LastOrDefault(-1);
        double[] known = [.. series.Finished(_ => false).Select(i => series.Values[i]!.Value)];
        string total;
        if (known.Length == 0)
            total = "–";
        else if (series.Column.Kind == ValueKind.Integer)
            total = Format.Number(known.Sum());
        else
            total = Text(series, known.Average());
        return new LegendEntry(series.Name, series.Style, last < 0 ? "–" : Text(series, series.Values[last]!.Value), total)
        {
            Keys = series.Keys,
            Column = series.Column.Name,
            Figures = SeriesFigures.Of(series, table.Times, step, view.Focus ?? _focus, view.Now),
            Write = value => Text(series, value),
        };
    }

    private HoverPoint Hover(long time, int i)
    {
        var title =
            step >= Instants.Day
                ? Format.Day(time, view.Zone)
                : $"{Format.Day(time, view.Zone)}, {Clock(time)} to {Clock(time + step)}";
        if (IsPartial(i))
            title += ", not all of it";
        return new HoverPoint(
            Middle(i),
            title,
            [.. table.Series.Select(s => s.Values[i] is { } v ? Hovered(s, i, v) : "–")],
            [.. table.Series.Select(s => s.Values[i])]
        )
        {
            Start = time,
            End = time + step,
        };
    }

    private string Clock(long time) =>
        step < Instants.Minute ? Format.ClockSeconds(time, view.Zone) : Format.Clock(time, view.Zone);

    /// <summary>The figure of a step with all that is to be said of it.</summary>
    private string Hovered(Series series, int i, double value)
    {
        var filled = series.IsFilled(i) ? " filled" : "";
        var behind = series.Behind?[i] is { } n ? $" (n {Format.Number((long)n)})" : "";
        return Format.Marked(series.IsBeyond(i), Text(series, value)) + filled + behind;
    }

    private string Describe()
    {
        if (table.Series.Count == 0)
            return "An empty chart.";
        var highest = table
            .Series.SelectMany(s => s.Values.Select((v, i) => (Series: s, Value: v ?? double.MinValue, Time: table.Times[i])))
            .MaxBy(p => p.Value);
        var what = string.Join(", ", table.Series.Select(s => s.Column.Name).Distinct());
        return $"{what} over time, {Format.Stretch(_focus.From, _focus.To, view.Zone, view.Now)}, {Format.Count(table.Series.Count, "series", "series")}. "
            + (
                highest.Value > double.MinValue
                    ? $"Highest: {Text(highest.Series, highest.Value)} for {highest.Series.Name} at {Format.Clock(highest.Time, view.Zone)}."
                    : "No values."
            );
    }
}
