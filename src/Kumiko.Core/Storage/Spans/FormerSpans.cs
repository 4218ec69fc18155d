using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Storage.Spans;

/// <summary>
/// Spans of a folder from before they lay in segments: batches of the table <c>signal</c>. They are read where they are until
/// upkeep has moved them, one batch a transaction; the table goes with the last.
/// </summary>
internal sealed class FormerSpans
{
    private readonly RecordStore _store;
    private readonly Queue<Batch> _waiting = new();

    private sealed record Batch(long Id, string Source, long Received, RecentBatch Rows);

    private sealed class Row
    {
        public long Id { get; init; }
        public string Source { get; init; } = "";
        public long Received { get; init; }
        public long Items { get; init; }
        public long MinTime { get; init; }
        public long MaxTime { get; init; }
        public long Checksum { get; init; }
        public byte[] Content { get; init; } = [];
    }

    private FormerSpans(RecordStore store) => _store = store;

    /// <summary>Finds what is left to be moved and makes it readable; drops the table where nothing is left.</summary>
    public static FormerSpans Load(RecordStore store, bool isReadOnly)
    {
        var former = new FormerSpans(store);
        // Until they are moved they have no sequences; these tell them apart, and are before all others.
        var next = long.MinValue;
        using var connection = store.Database.Read();
        if (!IsThere(connection))
            return former;
        foreach (
            var row in connection.Query<Row>(
                "SELECT id AS Id, source AS Source, received AS Received, items AS Items, min_time AS MinTime, max_time AS MaxTime FROM signal WHERE kind = 'spans' AND items > 0 ORDER BY id"
            )
        )
        {
            var sequence = next;
            var rows = RecentBatch.Later(
                Signal.Spans,
                (int)row.Items,
                (row.MinTime, row.MaxTime),
                (sequence, sequence + row.Items - 1),
                () => former.Read(row.Id, sequence)
            );
            former._waiting.Enqueue(new Batch(row.Id, row.Source, row.Received, rows));
            next += row.Items;
        }
        if (former._waiting.Count > 0)
            store.Offer(former._waiting.Select(b => b.Rows));
        if (former._waiting.Count == 0 && !isReadOnly)
            former.DropTable();
        return former;
    }

    private static bool IsThere(Microsoft.Data.Sqlite.SqliteConnection connection) =>
        connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = 'signal'") > 0;

    /// <summary>Moves one batch; false where none is left.</summary>
    public async Task<bool> MoveNext()
    {
        if (!_waiting.TryPeek(out var batch))
            return false;
        RecordBlock block;
        try
        {
            block = Read(batch.Id, 0);
        }
        catch (DamagedBatchException e)
        {
            // It stays where it is, and the table with it.
            _waiting.Dequeue();
            _store.Notice($"A batch of spans from {batch.Source} is damaged and was set aside: {e.Message}");
            await _store.Forget(batch.Rows);
            return true;
        }
        await _store.Take(block, batch.Source, batch.Received, batch.Rows, connection =>
            connection.Execute("DELETE FROM signal WHERE id = @Id", new { batch.Id })
        );
        _waiting.Dequeue();
        if (_waiting.Count == 0)
            DropTable();
        return true;
    }

    private void DropTable() =>
        _store
            .Database.Writer.Write(c =>
                c.ExecuteScalar<long>("SELECT COUNT(*) FROM signal") == 0 ? c.Execute("DROP TABLE signal") : 0
            )
            .GetAwaiter()
            .GetResult();

    private RecordBlock Read(long id, long first)
    {
        using var connection = _store.Database.Read();
        var row = connection.QueryFirstOrDefault<Row>(
            "SELECT source AS Source, min_time AS MinTime, checksum AS Checksum, content AS Content FROM signal WHERE id = @id",
            new { id }
        ) ?? throw new DamagedBatchException($"Batch {id} is gone.");
        if (row.Checksum != Checksum.Of(row.Content, row.MinTime))
            throw new DamagedBatchException($"Batch {id} of spans does not match its checksum.");
        try
        {
            var block = SpanRows.Block(FormerSpanCodec.Decode(row.Content), row.Source);
            block.Number(first);
            return block;
        }
        catch (InvalidDataException e)
        {
            throw new DamagedBatchException(e.Message, e);
        }
    }
}

/// <summary>A batch that cannot be read.</summary>
public sealed class DamagedBatchException(string message, Exception? cause = null) : IOException(message, cause);
