using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Changes;

/// <summary>Changes as rows that queries can read: <c>from changes</c>.</summary>
public static class ChangeSet
{
    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time),
        new("kind", ColumnRole.Key),
        new("what", ColumnRole.Key),
        new("place", ColumnRole.Key),
        new("before", ColumnRole.Key),
        new("after", ColumnRole.Key),
        new("who", ColumnRole.Key),
        new("source", ColumnRole.Key),
        new("event_id", ColumnRole.Detail),
        new("event_source", ColumnRole.Detail),
    ];

    /// <summary>The newest first.</summary>
    public static Frame Read(ChangeStore changes, Window window) =>
        new(
            new Schema(Columns, null, window),
            [
                .. changes
                    .In(window)
                    .Reverse()
                    .Select(c =>
                        (Value[])
                            [
                                Value.Time(c.At),
                                Text(c.Kind),
                                Value.Of(c.What),
                                Text(c.Place),
                                Text(c.From),
                                Text(c.To),
                                Text(c.Who),
                                Text(c.Source),
                                Text(c.EventId),
                                Text(c.EventSource),
                            ]
                    ),
            ]
        );

    private static Value Text(string text) => text.Length == 0 ? Value.Missing : Value.Of(text);
}
