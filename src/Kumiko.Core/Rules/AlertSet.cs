using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Alerts as rows that queries can read: <c>from alerts</c>.</summary>
public static class AlertSet
{
    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("rule", ColumnRole.Key),
        new("key", ColumnRole.Key),
        new("level", ColumnRole.Key),
        new("value", ColumnRole.Value, ValueKind.Decimal),
        new("worst", ColumnRole.Value, ValueKind.Decimal),
        new("lasted", ColumnRole.Value, ValueKind.Duration),
        new("ended", ColumnRole.Detail, ValueKind.Time),
        new("ended_by", ColumnRole.Detail),
        new("acknowledged_by", ColumnRole.Detail),
        new("team", ColumnRole.Detail),
        new("labels", ColumnRole.Detail),
    ];

    /// <summary>The alerts that were open at some time in a window, by their start, the newest first.</summary>
    public static Frame Read(AlertStore alerts, Window window) =>
        new(
            new Schema(Columns, null, window),
            [
                .. alerts
                    .In(window)
                    .OrderByDescending(a => a.Started)
                    .Select(a =>
                        (Value[])
                            [
                                Value.Time(a.Started),
                                Value.Of(a.Name),
                                Text(a.Of),
                                Value.Of(a.Level.ToString().ToLowerInvariant()),
                                Number(a.Value),
                                Number(a.Worst),
                                a.Ended is { } ended ? Value.Duration(ended - a.Started) : Value.Missing,
                                a.Ended is { } end ? Value.Time(end) : Value.Missing,
                                Text(a.EndedBy),
                                Text(a.Acknowledger),
                                Text(a.Team),
                                Text(a.Labels),
                            ]
                    ),
            ]
        );

    private static Value Text(string? text) => string.IsNullOrEmpty(text) ? Value.Missing : Value.Of(text);

    private static Value Number(double? number) => number is { } there ? Value.Of(there) : Value.Missing;
}
