namespace Kumiko.Charts;

/// <summary>How a number of alerts moves with the limit: a line in steps, with the present limits marked.</summary>
public static class LimitCurve
{
    private const double Top = 20;
    private const double Bottom = 34;
    private const double Left = 44;
    private const double Right = 16;
    private const double LabelWidth = 76;

    /// <param name="points">Limits, rising, with the alerts that each gives.</param>
    /// <param name="present">The limits as they are, with their levels.</param>
    /// <param name="unit">Of the limits.</param>
    public static Drawing Draw(
        IReadOnlyList<(double Limit, int Alerts)> points,
        IReadOnlyList<(double Limit, string Level)> present,
        ChartUnit unit,
        double width,
        double height
    )
    {
        var marks = new List<Mark>();
        var y = ValueAxis.For(
            0,
            Math.Max(1, points.Max(p => p.Alerts)),
            ChartUnit.Of("", Core.Records.ValueKind.Integer),
            4,
            new AxisSpec(),
            zero: true
        );
        var x = ValueAxis.For(
            points[0].Limit,
            Math.Max(points[^1].Limit, points[0].Limit + 1e-9),
            unit,
            Math.Max(2, (int)((width - Left - Right) / 90)),
            new AxisSpec(),
            zero: false
        );
        double X(double value) => Left + (x.Share(value) * (width - Left - Right));
        double Y(double value) => height - Bottom - (y.Share(value) * (height - Top - Bottom));
        foreach (var tick in y.Ticks)
        {
            marks.Add(new LineMark(Left, Y(tick), width - Right, Y(tick), tick == 0 ? "axis" : "grid"));
            marks.Add(new TextMark(Left - 6, Y(tick) + 4, y.Label(tick), Anchor.End, "tick"));
        }
        foreach (var tick in x.Ticks)
            marks.Add(
                new TextMark(
                    X(tick),
                    height - Bottom + 15,
                    x.Label(tick),
                    X(tick) > width - Right - 20 ? Anchor.End : Anchor.Middle,
                    "tick"
                )
            );
        marks.Add(new TextMark(Left - 36, 11, "alerts, had the limit been so high", Anchor.Start, "axis-title"));
        var line = new List<(double, double)>();
        foreach (var (limit, alerts) in points)
        {
            // Between two limits that were tried the number of the first holds.
            if (line.Count > 0)
                line.Add((X(limit), line[^1].Item2));
            line.Add((X(limit), Y(alerts)));
        }
        marks.Add(new PathMark([line], "line series-0"));
        var labels = new List<double>();
        foreach (var (limit, level) in present)
        {
            var at = points.LastOrDefault(p => p.Limit <= limit);
            marks.Add(new LineMark(X(limit), Top, X(limit), height - Bottom, "limit " + level));
            marks.Add(
                new DotMark(X(limit), Y(at.Alerts), 3.5, "dot series-0") { Tip = $"{level} at {unit.Text(limit)}: {at.Alerts}" }
            );
            var label = Math.Min(X(limit) + 4, width - Right - LabelWidth);
            // One beside another would lie on it.
            marks.Add(
                new TextMark(
                    label,
                    Top + 10 + (14 * labels.Count(l => Math.Abs(l - label) < LabelWidth)),
                    $"{level}: {at.Alerts}",
                    Anchor.Start,
                    "limit-label " + level
                )
            );
            labels.Add(label);
        }
        var words = string.Join(
            ", ",
            present.Select(p =>
                $"{points.LastOrDefault(q => q.Limit <= p.Limit).Alerts} with the limit for {p.Level} at {unit.Text(p.Limit)}"
            )
        );
        return new Drawing(
            width,
            height,
            "Alerts by limit",
            words.Length > 0
                ? words
                : $"{points[0].Alerts} at {unit.Text(points[0].Limit)}, {points[^1].Alerts} at {unit.Text(points[^1].Limit)}",
            marks,
            null
        );
    }
}
