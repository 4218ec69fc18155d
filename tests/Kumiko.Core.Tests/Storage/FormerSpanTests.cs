using CsCheck;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Storage.Upkeep;
using Kumiko.Core.Tests.Query;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Folders from before spans lay in segments.</summary>
public sealed class FormerSpanTests : StoreTest
{
    private const string Table = """
        CREATE TABLE IF NOT EXISTS signal (id INTEGER PRIMARY KEY, kind TEXT NOT NULL, source TEXT NOT NULL, received INTEGER NOT NULL,
            items INTEGER NOT NULL, min_time INTEGER NOT NULL, max_time INTEGER NOT NULL, checksum INTEGER NOT NULL, content BLOB NOT NULL)
        """;

    /// <summary>Puts batches into the table that a store of before had.</summary>
    private Task Put(IEnumerable<IReadOnlyList<Span>> batches, bool damaged = false) => Put(File, Clock, batches, damaged);

    internal static async Task Put(
        string file,
        TimeProvider clock,
        IEnumerable<IReadOnlyList<Span>> batches,
        bool damaged = false
    )
    {
        using var database = new Database(file, "records");
        foreach (var spans in batches)
        {
            var content = FormerSpanWriter.Encode(spans);
            var oldest = spans.Min(s => s.Start);
            await database.Writer.Write(c =>
                c.Execute(Table)
                + c.Execute(
                    "INSERT INTO signal (kind, source, received, items, min_time, max_time, checksum, content) VALUES ('spans', 'quay', @received, @items, @oldest, @newest, @checksum, @content)",
                    new
                    {
                        received = Instants.FromDateTime(clock.GetUtcNow()),
                        items = spans.Count,
                        oldest,
                        newest = spans.Max(s => Math.Max(s.Start, s.End)),
                        checksum = Checksum.Of(content, oldest) + (damaged ? 1 : 0),
                        content,
                    }
                )
            );
        }
    }

    private static string[] Of(IEnumerable<Span> spans) =>
        [
            .. spans
                .Select(s => $"{s.TraceId} {s.SpanId} {s.Start} {s.Name} {s.Events.Count} {s.Attributes.Count}")
                .Order(StringComparer.Ordinal),
        ];

    private bool HasTable
    {
        get
        {
            using var database = new Database(File, "records");
            using var connection = database.Read();
            return connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = 'signal'") > 0;
        }
    }

    [Fact]
    public Task They_are_read_while_they_wait_and_when_they_are_moved_and_the_table_goes() =>
        SpanLaws
            .AnySpan.Array[1, 20]
            .Array[1, 8]
            .SampleAsync(
                async batches =>
                {
                    Directory.Delete(Folder, true);
                    Directory.CreateDirectory(Folder);
                    await Put(batches);
                    var expected = Of(batches.SelectMany(b => b));
                    // Of a store that is closed in the middle, half is moved.
                    using (var store = Open(path: File))
                    {
                        var spans = new SpanStore(store);
                        Assert.Equal(expected, Of(spans.Spans(Ever)));
                        Assert.Equal(expected.Length, store.Spans);
                        await store.Upkeep.Former.MoveNext();
                        Assert.Equal(expected, Of(spans.Spans(Ever)));
                    }
                    Assert.Equal(batches.Length > 1, HasTable);
                    using (var store = Open(path: File))
                    {
                        var spans = new SpanStore(store);
                        Assert.Equal(expected, Of(spans.Spans(Ever)));
                        using var before = store.Current;
                        await store.Upkeep.MoveFormer();
                        await spans.Append([batches[0][0]], "new");
                        await store.Upkeep.SealAll();
                        // Whoever began to read before sees what was there then.
                        Assert.Equal(
                            expected,
                            Of(before.Of(Signal.Spans).OldestFirst(Ever, BatchTest.All, null, default).Select(SpanRows.Of))
                        );
                        Assert.Equal(Of([.. batches.SelectMany(b => b), batches[0][0]]), Of(spans.Spans(Ever)));
                        Assert.Empty(store.Notices);
                    }
                    Assert.False(HasTable);
                    Assert.True(StoreCheck.Run(File, null, default).IsSound);
                },
                iter: Cases.Of(15),
                threads: 1
            );

    [Fact]
    public async Task A_backup_has_those_that_wait()
    {
        var batches = Enumerable.Range(0, 3).Select(i => SpanLaws.AnySpan.Array[5].Single()).ToList();
        await Put(batches);
        using var store = Open(path: File);
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"));
        var to = Path.Combine(Folder, "copy");
        await StoreBackup.Run(store, database, to, null, default);
        using var copy = Open(path: Path.Combine(to, "records.db"));
        Assert.Equal(Of(batches.SelectMany(b => b)), Of(new SpanStore(copy).Spans(Ever)));
    }

    [Fact]
    public async Task One_that_is_damaged_is_left_where_it_is_and_the_others_go_on()
    {
        await Put([SpanLaws.AnySpan.Array[5].Single()], damaged: true);
        var sound = SpanLaws.AnySpan.Array[5].Single();
        await Put([sound]);
        using var store = Open(path: File);
        await store.Upkeep.MoveFormer();
        Assert.Equal(Of(sound), Of(new SpanStore(store).Spans(Ever)));
        Assert.Contains("A batch of spans from quay is damaged", Assert.Single(store.Notices));
        Assert.True(HasTable);
    }
}
