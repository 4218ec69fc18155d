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
        new("level", ColumnRole.Key),
        new("value", ColumnRole.Value, ValueKind.Integer),
        new("highest", ColumnRole.Value, ValueKind.Integer),
        new("lasted", ColumnRole.Value, ValueKind.Duration),
        new("ended", ColumnRole.Detail, ValueKind.Time),
        new("query", ColumnRole.Detail),
    ];

    /// <summary>The alerts that were open at some time in a window, by their start, the newest first.</summary>
    public static Frame Read(RuleStore rules, Window window) => new(new Schema(Columns, null, window),
        [.. rules.AlertsIn(window).OrderByDescending(a => a.Started).Select(a => (Value[])
        [
            Value.Time(a.Started), Value.Of(a.Name), Value.Of(a.Level.ToString().ToLowerInvariant()), Value.Of(a.Value), Value.Of(a.Highest),
            a.Ended is { } ended ? Value.Duration(ended - a.Started) : Value.Missing, a.Ended is { } end ? Value.Time(end) : Value.Missing, Value.Of(a.Query),
        ])]);
}
