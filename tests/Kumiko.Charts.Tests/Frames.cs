using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts.Tests;

/// <summary>Frames to draw.</summary>
internal static class Frames
{
    public static readonly DateTimeZone Dublin = DateTimeZoneProviders.Tzdb["Europe/Dublin"];

    public static long At(string iso) => Instants.TryParse(iso, out var time) ? time : throw new ArgumentException(iso);

    /// <summary>Counts by key over steps of five minutes from 17:00 on, a year's row order.</summary>
    public static Frame Counts(params (string Key, double?[] Values)[] series)
    {
        var from = At("2026-11-23T17:00:00Z");
        var step = 5 * Instants.Minute;
        var steps = series.Length == 0 ? 12 : series[0].Values.Length;
        var schema = new Schema(
            [
                new Column("time", ColumnRole.Time, ValueKind.Time),
                new Column("reason", ColumnRole.Key),
                new Column("count()", ColumnRole.Value, ValueKind.Integer),
            ],
            step,
            new Window(from, from + (steps * step))
        );
        var rows = Enumerable
            .Range(0, steps)
            .SelectMany(i =>
                series.Select(s =>
                    new[]
                    {
                        Value.Time(from + (i * step)),
                        Value.Of(s.Key),
                        s.Values[i] is { } v ? Value.Of((long)v) : Value.Missing,
                    }
                )
            );
        return new Frame(schema, [.. rows]);
    }

    public static ChartSpec Spec(ChartForm? form = null) => new() { Form = form ?? ChartForms.Line };

    public static ChartView View(string now = "2026-11-23T20:00:00Z", double width = 900, double height = 300) =>
        new(width, height, DateTimeZone.Utc, At(now));

    /// <summary>Rows without steps: names with their figures.</summary>
    public static Frame Groups(string unit, params (string Key, double? Value)[] rows) =>
        new(
            new Schema(
                [
                    new Column("terminal", ColumnRole.Key),
                    new Column("figure", ColumnRole.Value, ValueKind.Decimal) { Unit = unit },
                ],
                null,
                new Window(At("2026-11-23T17:00:00Z"), At("2026-11-23T18:00:00Z"))
            ),
            [.. rows.Select(r => new[] { Value.Of(r.Key), r.Value is { } v ? Value.Of(v) : Value.Missing })]
        );

    /// <summary>Where marks are, to be compared with the picture's edges.</summary>
    public static IEnumerable<(double X, double Y)> Points(Mark mark) =>
        mark switch
        {
            LineMark m => [(m.X1, m.Y1), (m.X2, m.Y2)],
            RectMark m => [(m.X, m.Y), (m.X + m.Width, m.Y + m.Height)],
            PathMark m => m.Pieces.SelectMany(p => p),
            DotMark m => [(m.X, m.Y)],
            ArcMark m => [(m.X - m.Outer, m.Y - m.Outer), (m.X + m.Outer, m.Y)],
            TextMark m => [(m.X, m.Y)],
            _ => [],
        };
}
