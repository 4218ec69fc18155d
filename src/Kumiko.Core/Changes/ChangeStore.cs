using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Changes;

/// <summary>Something that somebody did: what was changed, where, from what to what.</summary>
/// <param name="Key">Tells one told twice from two.</param>
/// <param name="At">UTC nanoseconds.</param>
public sealed record Change(string Key, long At, string What, string Place, string From, string To, string Who)
{
    /// <summary>In a few words: <c>gate firmware 7.3</c>.</summary>
    public string Short => $"{What} {To}";
}

/// <summary>What was done to what runs here.</summary>
public sealed class ChangeStore(KeptDatabase kept)
{
    private const int MostAtOnce = 500;

    /// <summary>Adds a change; one with a key that is known already is left as it was.</summary>
    public Task<int> Add(Change change) => kept.Database.Writer.Write(connection => connection.Execute(
        "INSERT INTO change (key, at, what, place, \"from\", \"to\", who) VALUES (@Key, @At, @What, @Place, @From, @To, @Who) ON CONFLICT (key) DO NOTHING", change));

    /// <summary>Changes in a window, in order of time.</summary>
    public IReadOnlyList<Change> In(Window window)
    {
        using var connection = kept.Database.Read();
        return [.. connection.Query<Row>("SELECT key AS Key, at AS At, what AS What, place AS Place, \"from\" AS \"From\", \"to\" AS \"To\", who AS Who FROM change WHERE at >= @From AND at < @To ORDER BY at LIMIT @MostAtOnce", new { window.From, window.To, MostAtOnce })
            .Select(r => new Change(r.Key, r.At, r.What, r.Place, r.From, r.To, r.Who))];
    }

    private sealed class Row
    {
        public string Key { get; init; } = "";
        public long At { get; init; }
        public string What { get; init; } = "";
        public string Place { get; init; } = "";
        public string From { get; init; } = "";
        public string To { get; init; } = "";
        public string Who { get; init; } = "";
    }
}

/// <summary>Changes as rows that queries can read: <c>from changes</c>.</summary>
public static class ChangeSet
{
    private static readonly Column[] Columns =
    [
        new("time", ColumnRole.Time, ValueKind.Time), new("what", ColumnRole.Key), new("place", ColumnRole.Key),
        new("before", ColumnRole.Key), new("after", ColumnRole.Key), new("who", ColumnRole.Key),
    ];

    /// <summary>The newest first.</summary>
    public static Frame Read(ChangeStore changes, Window window) => new(new Schema(Columns, null, window),
        [.. changes.In(window).Reverse().Select(c => (Value[])[Value.Time(c.At), Value.Of(c.What), Value.Of(c.Place), Value.Of(c.From), Value.Of(c.To), Value.Of(c.Who)])]);
}
