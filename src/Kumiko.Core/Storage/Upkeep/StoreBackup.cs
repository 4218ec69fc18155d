using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Segments;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>
/// Copies everything into another folder while it is in use: what people keep in one step, then the segments of one
/// snapshot one by one, the records that are not sealed last. Everything acknowledged before is in it.
/// </summary>
public static class StoreBackup
{
    private const string RecordsFile = "records.db";
    private const string KeptFile = "kumiko.db";

    /// <summary>Folders beside the files: keys that secrets and cookies are locked with, look-up tables.</summary>
    private static readonly string[] Folders = ["keys", "tables"];
    private const int RowsOfBatch = 5_000;

    /// <param name="to">A folder that does not exist yet, or is empty.</param>
    /// <param name="progress">Told the segments copied, and of how many.</param>
    /// <returns>Records copied, and sentences on what could not be.</returns>
    /// <exception cref="IOException">The folder is not empty, or cannot be written.</exception>
    public static async Task<(long Records, IReadOnlyList<string> Problems)> Run(
        RecordStore store,
        AppDatabase database,
        string to,
        IProgress<(int Done, int Of)>? progress,
        CancellationToken cancel
    )
    {
        if (Directory.Exists(to) && Directory.EnumerateFileSystemEntries(to).Any())
            throw new IOException($"{to} is not empty. Give a new folder.");
        OwnFiles.MakeFolder(to);
        var problems = CopyKept(database, to);
        // Places in followed files come before the records: a line is rather there twice than not at all.
        var places = store.FollowedPlaces();
        var before = store.Recent.Entries;
        using var snapshot = store.Current;
        List<RecentEntry> waiting = [.. before, .. store.Recent.Entries];
        using var copy = new Database(Path.Combine(to, RecordsFile), "records");
        var segments = snapshot.AllSegments.ToList();
        var records = snapshot.Count;
        await CopyTables(store, copy);
        foreach (var place in places)
            await copy.Writer.Write(c => FollowedTable.Save(c, place), cancel: cancel);
        for (var i = 0; i < segments.Count; i++)
        {
            cancel.ThrowIfCancellationRequested();
            try
            {
                await CopySegment(store, copy, segments[i].Segment);
            }
            catch (SqliteException e) when (RecordRescue.IsDamage(e))
            {
                problems.Add($"Segment {segments[i].Segment.Id} cannot be read and was left out: {e.Message}");
                records -= segments[i].Signal == Signal.Logs ? segments[i].Count : 0;
            }
            progress?.Report((i + 1, segments.Count));
        }
        // How far spans are counted comes before the figures that count them.
        var counted = store.Counters("figures");
        await CopyMetrics(store, copy, cancel);
        await copy.Writer.Write(
            c => c.Execute("INSERT OR REPLACE INTO counter (name, value) VALUES (@Key, @Value)", counted.ToList()),
            cancel: cancel
        );
        var recent = snapshot.Everything.OfType<RecentBatch>().ToLookup(b => b.IsLater);
        foreach (var batches in recent[false].GroupBy(b => b.Signal))
            await CopyRecent(copy, batches, Import);
        // What is not held is read one after the other.
        foreach (var batch in recent[true])
            await CopyRecent(copy, [await Numbered(copy, batch.Block)], _ => null);
        await copy.Checkpoint();
        return (records, problems);

        long? Import(long sequence) =>
            waiting.FirstOrDefault(e => sequence >= e.First && sequence < e.First + e.Block.Count)?.Import;
    }

    /// <summary>Copies what people keep, and looks at the copy.</summary>
    /// <returns>Sentences on what could not be copied.</returns>
    private static List<string> CopyKept(AppDatabase database, string to)
    {
        foreach (var folder in Folders)
            OwnFiles.CopyFolder(
                Path.Combine(Path.GetDirectoryName(Path.GetFullPath(database.Path))!, folder),
                Path.Combine(to, folder)
            );
        var path = Path.Combine(to, KeptFile);
        OwnFiles.MakeFile(path);
        try
        {
            using var target = DatabaseRescue.Connect(path, SqliteOpenMode.ReadWriteCreate);
            using var source = database.Database.Read();
            source.BackupDatabase(target);
        }
        catch (SqliteException e) when (DatabaseRescue.IsDamage(e))
        {
            return ["What people keep cannot be copied: " + e.Message];
        }
        return [.. AppDatabaseCheck.Run(path)];
    }

    private static async Task CopyTables(RecordStore store, Database copy)
    {
        using var from = store.Database.Read();
        var templates = from.Query("SELECT * FROM template").ToList();
        var names = from.Query("SELECT * FROM pattern_name").ToList();
        var fields = from.Query("SELECT * FROM field").ToList();
        var keys = from.Query("SELECT * FROM batch_key").ToList();
        var sequence = from.ExecuteScalar<long>(
            "SELECT MAX((SELECT value FROM counter WHERE name = 'sequence'), (SELECT COALESCE(MAX(first_sequence + records), 0) FROM recent))"
        );
        await copy.Writer.Write(c =>
            Insert(c, "template", templates)
            + Insert(c, "pattern_name", names)
            + Insert(c, "field", fields)
            + Insert(c, "batch_key", keys)
            + c.Execute("UPDATE counter SET value = @sequence WHERE name = 'sequence'", new { sequence })
        );
    }

    private static int Insert(SqliteConnection connection, string table, IReadOnlyList<dynamic> rows)
    {
        foreach (IDictionary<string, object?> row in rows)
            connection.Execute(
                $"INSERT INTO {table} ({string.Join(", ", row.Keys)}) VALUES ({string.Join(", ", row.Keys.Select(k => "@" + k))})",
                new DynamicParameters(row)
            );
        return rows.Count;
    }

    private static async Task CopySegment(RecordStore store, Database copy, Segment segment)
    {
        List<dynamic> row;
        List<dynamic> columns;
        using (var from = store.Database.Read())
        {
            row = from.Query("SELECT * FROM segment WHERE id = @Id", new { segment.Id }).ToList();
            columns = from.Query(
                    "SELECT * FROM segment_column WHERE key BETWEEN @first AND @last",
                    new { first = Segment.KeyOf(segment.Id, 0), last = Segment.KeyOf(segment.Id + 1, 0) - 1 }
                )
                .ToList();
        }
        // It may have been merged away meanwhile; in this snapshot it is alive.
        foreach (IDictionary<string, object?> r in row.Where(r => (string)r.state == "gone"))
            r["state"] = "live";
        await copy.Writer.Write(c => Insert(c, "segment", row) + Insert(c, "segment_column", columns));
    }

    /// <summary>
    /// What waits comes before the segments, so that what is sealed meanwhile is there twice rather than not at all: samples
    /// of one time count once. Series come last, as there is none without its row by then.
    /// </summary>
    private static async Task CopyMetrics(RecordStore store, Database copy, CancellationToken cancel)
    {
        await CopyRows(store, copy, "metric_recent", cancel);
        var done = new HashSet<long>();
        while (Live().FirstOrDefault(id => !done.Contains(id)) is > 0 and var id)
        {
            cancel.ThrowIfCancellationRequested();
            done.Add(id);
            List<dynamic> row;
            List<dynamic> parts;
            using (var from = store.Database.Read())
            {
                row = from.Query("SELECT * FROM metric_segment WHERE id = @id AND gone = 0", new { id }).ToList();
                parts = from.Query(
                        "SELECT * FROM metric_part WHERE id >= @first AND id < @last",
                        new { first = MetricTable.PartId(id, 0), last = MetricTable.PartId(id + 1, 0) }
                    )
                    .ToList();
            }
            if (row.Count > 0)
                await copy.Writer.Write(c => Insert(c, "metric_segment", row) + Insert(c, "metric_part", parts), cancel: cancel);
        }
        await CopyRows(store, copy, "series", cancel);
        await CopyRows(store, copy, "exemplar", cancel);
        using (var from = store.Database.Read())
        {
            var arrivals = from.Query("SELECT * FROM metric_arrival").ToList();
            await copy.Writer.Write(c => Insert(c, "metric_arrival", arrivals), cancel: cancel);
        }
        // A part that went between the two looks makes its segment incomplete, and then others hold its samples.
        await copy.Writer.Write(MetricTable.SetAsideIncomplete, cancel: cancel);

        List<long> Live()
        {
            using var from = store.Database.Read();
            return [.. from.Query<long>("SELECT id FROM metric_segment WHERE gone = 0 ORDER BY id")];
        }
    }

    private static async Task CopyRows(RecordStore store, Database copy, string table, CancellationToken cancel)
    {
        const int AtOnce = 64;
        for (var last = 0L; ; )
        {
            cancel.ThrowIfCancellationRequested();
            List<dynamic> rows;
            using (var from = store.Database.Read())
                rows = from.Query($"SELECT * FROM {table} WHERE id > @last ORDER BY id LIMIT @AtOnce", new { last, AtOnce })
                    .ToList();
            if (rows.Count == 0)
                return;
            await copy.Writer.Write(c => Insert(c, table, rows), cancel: cancel);
            last = (long)rows[^1].id;
        }
    }

    /// <summary>The rows with sequences behind all that the copy has.</summary>
    private static async Task<RecentBatch> Numbered(Database copy, RecordBlock rows)
    {
        RecordBlock[] from = [rows];
        var block = BlockGather.Of(from, BlockGather.Rows(from));
        var first = await copy.Writer.Write(c =>
            c.ExecuteScalar<long>(
                "UPDATE counter SET value = value + @Count WHERE name = 'sequence' RETURNING value - @Count",
                new { block.Count }
            )
        );
        block.Number(first);
        return RecentBatch.Of(block);
    }

    private static async Task CopyRecent(Database copy, IEnumerable<RecentBatch> batches, Func<long, long?> imports)
    {
        // A row of recent has sequences without holes.
        RecordBlock[] blocks = [.. batches.Select(b => b.Block)];
        var rows = BlockGather.Rows(blocks).OrderBy(Sequence).ToArray();
        for (var i = 0; i < rows.Length; )
        {
            var start = i++;
            var import = imports(Sequence(rows[start]));
            while (
                i < rows.Length
                && i - start < RowsOfBatch
                && Sequence(rows[i]) == Sequence(rows[i - 1]) + 1
                && Source(rows[i]) == Source(rows[start])
                && imports(Sequence(rows[i])) == import
            )
                i++;
            var batch = BlockGather.Of(blocks, rows.AsSpan(start..i));
            var content = BatchCodec.Encode(batch);
            await copy.Writer.Write(c =>
                c.Execute("UPDATE counter SET value = value + 1 WHERE name = 'batches'")
                + c.Execute(
                    "INSERT INTO recent (first_sequence, records, min_time, max_time, received, source, content, checksum, import, signal) VALUES (@first, @Count, @min, @max, @received, @source, @content, @checksum, @import, @signal)",
                    new
                    {
                        first = batch.SequenceOf[0],
                        batch.Count,
                        min = batch.TimeOf.Min(),
                        max = batch.TimeOf.Max(),
                        received = batch.Signal == Signal.Logs ? batch.ObservedOf.Max() : batch.TimeOf.Max(),
                        source = batch.Sources[0],
                        content,
                        checksum = Checksum.Of(content, batch.SequenceOf[0]),
                        import,
                        signal = (int)batch.Signal,
                    }
                )
            );
        }

        long Sequence(RowRef row) => blocks[row.Block].SequenceOf[row.Row];
        string Source(RowRef row) => blocks[row.Block].Sources[blocks[row.Block].SourceOf[row.Row]];
    }

    /// <summary>Puts a backup in place as a data folder, after checking it.</summary>
    /// <param name="to">A folder that does not exist yet, or is empty.</param>
    /// <exception cref="IOException">The backup is damaged, or the folder is not empty.</exception>
    public static CheckReport Restore(string from, string to, CancellationToken cancel)
    {
        if (!File.Exists(Path.Combine(from, RecordsFile)) || !File.Exists(Path.Combine(from, KeptFile)))
            throw new IOException($"{from} holds no backup: {RecordsFile} or {KeptFile} is missing.");
        if (
            Directory.Exists(to)
            && Directory.EnumerateFileSystemEntries(to).Any(e => Path.GetFileName(e) is not ("lock" or "reserve"))
        )
            throw new IOException($"{to} is not empty. Restore into a new folder.");
        var report = StoreCheck.Run(Path.Combine(from, RecordsFile), null, cancel);
        var problem = report.Problems.Concat(AppDatabaseCheck.Run(Path.Combine(from, KeptFile))).FirstOrDefault();
        if (problem is not null)
            throw new IOException($"The backup is damaged: {problem} Nothing was restored.");
        OwnFiles.MakeFolder(to);
        foreach (var file in new[] { RecordsFile, KeptFile })
            OwnFiles.Copy(Path.Combine(from, file), Path.Combine(to, file));
        foreach (var folder in Folders)
            OwnFiles.CopyFolder(Path.Combine(from, folder), Path.Combine(to, folder));
        return report;
    }
}
