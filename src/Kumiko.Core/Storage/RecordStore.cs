using Dapper;
using Kumiko.Core.Records;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage;

/// <summary>A line that was not taken: where, why, and how it began.</summary>
public sealed record Refused(long Line, int Column, string Reason, byte[] Head);

/// <summary>The store holds as many records as it can; nothing of the batch was kept.</summary>
public sealed class StoreFullException(long most)
    : InvalidOperationException(FormattableString.Invariant($"This Kumiko holds {most} records, which is the most it can. Send again once older ones are gone."));

/// <summary>Names a part of a batch, so that a sender may repeat it without harm.</summary>
public sealed record BatchKey(string Key, int Part);

/// <summary>
/// The records: committed to <c>records.db</c> before they are acknowledged, and held decoded in memory.
/// </summary>
public sealed class RecordStore : IDisposable
{
    /// <summary>The most records that the recent tier holds.</summary>
    public const long MostRecords = 2_000_000;

    private const int BatchRows = 16_384;
    private const int MostRefused = 10_000;

    private readonly Database _database;
    private readonly TimeProvider _clock;
    private readonly long _most;
    private volatile Snapshot _snapshot = Snapshot.Empty;
    private long _next;

    private sealed class RecentRow
    {
        public long FirstSequence { get; init; }
        public byte[] Content { get; init; } = [];
    }

    public RecordStore(string path, TimeProvider clock, long most = MostRecords)
    {
        (_clock, _most) = (clock, most);
        _database = new Database(path, "records");
        Load();
    }

    /// <summary>Batches that could not be read at start, with the reason; the rest is served.</summary>
    public IReadOnlyList<string> Damaged { get; private set; } = [];

    public Snapshot Current => _snapshot;

    private void Load()
    {
        var strings = new StringCache();
        var damaged = new List<string>();
        var records = new List<LogRecord>();
        using var connection = _database.Read();
        foreach (var row in connection.Query<RecentRow>("SELECT first_sequence AS FirstSequence, content AS Content FROM recent ORDER BY first_sequence", buffered: false))
        {
            try { records.AddRange(BatchCodec.Decode(row.Content, row.FirstSequence, strings)); }
            catch (InvalidDataException e) { damaged.Add($"Batch {row.FirstSequence}: {e.Message}"); }
        }
        _next = connection.ExecuteScalar<long>("SELECT COALESCE(MAX(first_sequence + records), 0) FROM recent");
        Damaged = damaged;
        var sorted = records.ToArray();
        Array.Sort(sorted, (a, b) => a.Id.CompareTo(b.Id));
        _snapshot = new Snapshot([.. sorted.Chunk(BatchRows).Select(RecordBatch.Of)], sorted.Length);
    }

    /// <summary>Commits records as one batch; they can be read when the task is done.</summary>
    /// <param name="records">In the sender's order, which is the order of their sequence.</param>
    /// <param name="source">The place they come from.</param>
    /// <param name="key">Taken at most once, where given.</param>
    /// <returns>True; false where a batch of this key was taken before, which is as good.</returns>
    /// <exception cref="StoreFullException">There is no room for all of them.</exception>
    /// <exception cref="DiskFullException">The disk is full.</exception>
    public Task<bool> Append(IReadOnlyList<LogRecord> records, string source, BatchKey? key = null)
    {
        if (records.Count == 0) return Task.FromResult(true);
        var content = BatchCodec.Encode(records);
        return _database.Writer.Write(connection => Insert(connection, records, content, source, key), taken =>
        {
            if (taken) Publish(records);
        }, content.Length);
    }

    private bool Insert(SqliteConnection connection, IReadOnlyList<LogRecord> records, byte[] content, string source, BatchKey? key)
    {
        var now = Instants.FromDateTime(_clock.GetUtcNow());
        if (key is not null && connection.Execute(
            "INSERT OR IGNORE INTO batch_key (source, key, part, at) VALUES (@source, @Key, @Part, @now)", new { source, key.Key, key.Part, now }) == 0) return false;
        if (_snapshot.Count + records.Count > _most) throw new StoreFullException(_most);
        var first = _next;
        connection.Execute(
            "INSERT INTO recent (first_sequence, records, min_time, max_time, received, source, content) VALUES (@first, @Count, @min, @max, @now, @source, @content)",
            new { first, records.Count, min = records.Min(r => r.Time), max = records.Max(r => r.Time), now, source, content });
        for (var i = 0; i < records.Count; i++) records[i].Sequence = first + i;
        _next += records.Count;
        return true;
    }

    /// <summary>Makes committed records readable: runs on the writer thread alone.</summary>
    private void Publish(IReadOnlyList<LogRecord> records)
    {
        var batches = _snapshot.Batches.ToList();
        foreach (var chunk in records.Chunk(BatchRows)) batches.Add(RecordBatch.Of(chunk));
        // Small neighbours are merged so that a trickle does not make thousands of batches; each record moves a few times only.
        while (batches.Count > 1 && batches[^2].Count <= batches[^1].Count * 2 && batches[^2].Count + batches[^1].Count <= BatchRows)
        {
            var merged = RecordBatch.Merge(batches[^2], batches[^1]);
            batches.RemoveRange(batches.Count - 2, 2);
            batches.Add(merged);
        }
        _snapshot = new Snapshot([.. batches], _snapshot.Count + records.Count);
    }

    /// <summary>Keeps what was refused, the newest ten thousand.</summary>
    public Task<int> Keep(IReadOnlyList<Refused> refused, string source) => _database.Writer.Write(connection =>
    {
        var at = Instants.FromDateTime(_clock.GetUtcNow());
        var kept = connection.Execute("INSERT INTO refused (at, source, line, col, reason, head) VALUES (@at, @source, @Line, @Column, @Reason, @Head)",
            refused.Select(r => new { at, source, r.Line, r.Column, r.Reason, r.Head }));
        connection.Execute("DELETE FROM refused WHERE id <= (SELECT MAX(id) FROM refused) - @MostRefused", new { MostRefused });
        return kept;
    });

    public IReadOnlyList<Refused> Refusals(int most)
    {
        using var connection = _database.Read();
        return [.. connection.Query<(long Line, long Column, string Reason, byte[] Head)>("SELECT line, col, reason, head FROM refused ORDER BY id DESC LIMIT @most", new { most })
            .Select(r => new Refused(r.Line, (int)r.Column, r.Reason, r.Head))];
    }

    public void Dispose() => _database.Dispose();
}
