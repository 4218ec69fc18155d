using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Tests.Storage;

public sealed class RecordStoreTests : IDisposable
{
    private static readonly Window Ever = new(long.MinValue, long.MaxValue);
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    private string Path => System.IO.Path.Combine(_folder, "records.db");

    public void Dispose() => Directory.Delete(_folder, true);

    private RecordStore Open() => new(Path, TimeProvider.System, RecordStoreOptions.Default with { Background = false });

    private static List<LogRecord> All(Snapshot snapshot) =>
        [.. snapshot.OldestFirst(Ever, BatchTest.All, null, CancellationToken.None)];

    [Fact]
    public void Encoded_batches_come_back_as_they_were() =>
        Gen
            .Int.List[0, 40]
            .Sample(
                seeds =>
                {
                    var records = seeds.Select(s => Sample.Random(s)).ToList();
                    var back = BatchCodec.Decode(BatchCodec.Encode(RecordBlock.Of(records)), 100, new StringCache()).Records;
                    Assert.Equal(records.Count, back.Count);
                    for (var i = 0; i < back.Count; i++)
                    {
                        Sample.Same(records[i], back[i]);
                        Assert.Equal(100 + i, back[i].Sequence);
                    }
                },
                iter: Cases.Of(300)
            );

    [Fact]
    public void Damaged_batches_are_told_and_never_crash() =>
        Gen.Select(Gen.Int[0, 1000], Gen.Int[0, 10_000], Gen.Byte)
            .Sample(
                (seed, place, wrong) =>
                {
                    var content = BatchCodec.Encode(RecordBlock.Of([Sample.Random(seed), Sample.Random(seed + 1)]));
                    content[place % content.Length] ^= (byte)(wrong | 1);
                    try
                    {
                        BatchCodec.Decode(content, 0, new StringCache());
                    }
                    catch (InvalidDataException)
                    { /* told */
                    }
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public async Task What_was_acknowledged_is_there_after_a_restart_with_the_same_ids()
    {
        List<LogRecord> before;
        using (var store = Open())
        {
            await Task.WhenAll(
                Enumerable
                    .Range(0, 20)
                    .Select(b => store.Append([.. Enumerable.Range(0, 50).Select(i => Sample.Random((b * 50) + i))], "quay"))
            );
            before = All(store.Current);
        }
        using var again = Open();
        var after = All(again.Current);
        Assert.Equal(1_000, after.Count);
        Assert.Equal(before.Select(r => r.Id), after.Select(r => r.Id));
        for (var i = 0; i < after.Count; i++)
            Sample.Same(before[i], after[i]);
        await again.Append([Sample.Refusal], "quay");
        Assert.Equal(
            1_000,
            again
                .Current.NewestFirst(
                    Ever,
                    BatchTest.Of(r => r.Body == Sample.Refusal.Body && r.Sequence >= 1000),
                    null,
                    CancellationToken.None
                )
                .Single()
                .Sequence
        );
    }

    [Fact]
    public async Task A_snapshot_never_changes()
    {
        using var store = Open();
        await store.Append([Sample.Random(1)], "quay");
        var snapshot = store.Current;
        await store.Append([.. Enumerable.Range(0, 100).Select(i => Sample.Random(i))], "quay");
        Assert.Single(All(snapshot));
        Assert.Equal(101, All(store.Current).Count);
    }

    [Fact]
    public void What_was_found_in_a_batch_is_kept_as_long_as_it_is_not_too_much()
    {
        var batches = Enumerable
            .Range(0, 3)
            .Select(i => RecentBatch.Of(RecordBlock.Of(Enumerable.Range(0, 8).Select(n => Sample.Random((i * 8) + n)))))
            .ToList();
        var looks = new Dictionary<RecordBatch, int>();
        var test = new BatchTest(
            (batch, _) =>
            {
                looks[batch] = looks.GetValueOrDefault(batch) + 1;
                return [.. Enumerable.Range(0, batch == batches[2] ? 2 : batch.Count)];
            },
            mostKept: 10
        );
        foreach (var again in new[] { 1, 2 })
        foreach (var batch in batches)
            Assert.Equal(batch == batches[2] ? 2 : 8, test.Matches(batch, CancellationToken.None).Length);
        // Eight are kept, eight more would be too many, two are not.
        Assert.Equal([1, 2, 1], batches.Select(b => looks[b]));
    }

    [Fact]
    public async Task Reading_both_ways_agrees_with_sorting()
    {
        using var store = Open();
        var random = new Random(5);
        foreach (var batch in Enumerable.Range(0, 60))
            await store.Append(
                [.. Enumerable.Range(0, random.Next(1, 400)).Select(i => Sample.Random((batch * 1000) + i))],
                "quay"
            );
        var all = All(store.Current);
        Assert.Equal(all.OrderBy(r => r.Id).Select(r => r.Id), all.Select(r => r.Id));
        var window = new Window(all[all.Count / 4].Time, all[all.Count / 2].Time);
        bool Test(LogRecord r) => r.SeverityNumber > 12;
        var test = BatchTest.Of(Test);
        var expected = all.Where(r => window.Contains(r.Time) && Test(r)).Reverse().Select(r => r.Id).ToList();
        Assert.Equal(expected, store.Current.NewestFirst(window, test, null, CancellationToken.None).Select(r => r.Id));
        Assert.Equal(
            expected.Skip(11),
            store.Current.NewestFirst(window, test, expected[10], CancellationToken.None).Select(r => r.Id)
        );
        var set = store.Current.Scan(window, test, CancellationToken.None);
        Assert.Equal(expected.Count, set.Count);
        Assert.Equal(expected.Select(r => r.Time).Reverse(), set.Times());
        var half = new Window(window.From, window.From + (window.Length / 2));
        Assert.Equal(expected.Count(r => half.Contains(r.Time)), set.CountIn(half));
        Assert.Equal(
            expected.Count(r => r.Sequence % 2 == 0),
            set.Filter(r => r.Sequence % 2 == 0, CancellationToken.None).Count
        );
    }

    [Fact]
    public async Task A_damaged_row_is_set_aside_and_the_rest_is_served()
    {
        using (var store = Open())
        {
            await store.Append([Sample.Random(1)], "quay");
            await store.Append([Sample.Random(2)], "quay");
        }
        using (var connection = new SqliteConnection("Data Source=" + Path + ";Pooling=False"))
        {
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = "UPDATE recent SET content = x'01ff00' WHERE first_sequence = 0";
            command.ExecuteNonQuery();
        }
        using var again = Open();
        Assert.Contains("Batch 0", Assert.Single(again.Notices));
        Assert.Equal(1, again.Count);
    }

    [Fact]
    public void Settings_that_cannot_be_changed_later_are_set()
    {
        using (Open()) { }
        using var connection = new SqliteConnection("Data Source=" + Path + ";Pooling=False");
        connection.Open();
        long Ask(string pragma)
        {
            using var command = connection.CreateCommand();
            command.CommandText = "PRAGMA " + pragma;
            return (long)command.ExecuteScalar()!;
        }
        Assert.Equal(16_384, Ask("page_size"));
        Assert.Equal(2, Ask("auto_vacuum"));
        Assert.Equal(9, Ask("user_version"));
    }

    [Fact]
    public async Task A_failing_write_undoes_itself_and_not_its_neighbours()
    {
        using var database = new Database(System.IO.Path.Combine(_folder, "x.db"), "records");
        var good = database.Writer.Write(c => Run(c, "INSERT INTO batch_key VALUES ('a', 'b', 1, 1, 1)"));
        var bad = database.Writer.Write(c =>
        {
            Run(c, "INSERT INTO batch_key VALUES ('c', 'd', 1, 1, 1)");
            return Run(c, "INSERT INTO nowhere VALUES (1)");
        });
        var also = database.Writer.Write(c => Run(c, "INSERT INTO batch_key VALUES ('e', 'f', 1, 1, 1)"));
        await good;
        await also;
        await Assert.ThrowsAsync<SqliteException>(() => bad);
        Assert.Equal(
            2,
            await database.Writer.Write(c =>
            {
                using var command = c.CreateCommand();
                command.CommandText = "SELECT COUNT(*) FROM batch_key";
                return (long)command.ExecuteScalar()!;
            })
        );

        static int Run(SqliteConnection connection, string sql)
        {
            using var command = connection.CreateCommand();
            command.CommandText = sql;
            return command.ExecuteNonQuery();
        }
    }

    [Fact]
    public void A_folder_is_held_by_one_and_tells_where_its_server_is()
    {
        var path = System.IO.Path.Combine(_folder, "held");
        using (var first = DataFolder.TryOpen(path))
        {
            Assert.NotNull(first);
            Assert.Null(DataFolder.TryOpen(path));
            first.Announce(new ServerAddress("http://127.0.0.1:1", "secret"));
            Assert.Equal("secret", DataFolder.FindServer(path)?.Token);
            if (!OperatingSystem.IsWindows())
                Assert.Equal(
                    UnixFileMode.UserRead | UnixFileMode.UserWrite,
                    File.GetUnixFileMode(System.IO.Path.Combine(path, "server.json"))
                );
        }
        Assert.Null(DataFolder.FindServer(path));
        using var second = DataFolder.TryOpen(path);
        Assert.NotNull(second);
    }
}
