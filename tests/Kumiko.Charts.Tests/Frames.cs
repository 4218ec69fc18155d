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
        var schema = new Schema([new Column("time", ColumnRole.Time, ValueKind.Time), new Column("reason", ColumnRole.Key), new Column("count()", ColumnRole.Value, ValueKind.Integer)], step, new Window(from, from + (steps * step)));
        var rows = Enumerable.Range(0, steps).SelectMany(i => series.Select(s => new[] { Value.Time(from + (i * step)), Value.Of(s.Key), s.Values[i] is { } v ? Value.Of((long)v) : Value.Missing }));
        return new Frame(schema, [.. rows]);
    }

    public static ChartSpec Spec(ChartForm form = ChartForm.Line, string now = "2026-11-23T20:00:00Z") => new(form, 900, 300, DateTimeZone.Utc, At(now));
}
