using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Tests.Storage;

/// <summary>The one writer: its log stays short whoever reads, and senders wait rather than fill the memory.</summary>
public sealed class WriterTests : StoreTest
{
    [Fact]
    public async Task Reading_without_end_does_not_let_the_log_grow_without_bound()
    {
        using var database = new Database(Path.Combine(Folder, "x.db"), "records");
        var noise = new byte[4 << 20];
        new Random(1).NextBytes(noise);
        using var stop = new CancellationTokenSource();
        var readers = Enumerable
            .Range(0, 2)
            .Select(_ =>
                Task.Run(() =>
                {
                    while (!stop.IsCancellationRequested)
                    {
                        using var connection = database.Read();
                        Assert.InRange(
                            connection.Query<byte[]>("SELECT content FROM recent ORDER BY first_sequence DESC LIMIT 1").Count(),
                            0,
                            1
                        );
                    }
                })
            )
            .ToArray();
        var longest = 0L;
        for (var i = 0; i < 60; i++)
        {
            await database.Writer.Write(c =>
                c.Execute(
                    "INSERT INTO recent (first_sequence, records, min_time, max_time, received, source, content) VALUES (@i, 1, 0, 0, 0, 'quay', @noise)",
                    new { i, noise }
                )
            );
            longest = Math.Max(longest, new FileInfo(Path.Combine(Folder, "x.db-wal")).Length);
        }
        await stop.CancelAsync();
        await Task.WhenAll(readers);
        Assert.InRange(longest, 1, 128L << 20);
        await database.Checkpoint();
        Assert.Equal(0, new FileInfo(Path.Combine(Folder, "x.db-wal")).Length);
    }

    [Fact]
    public async Task A_full_disk_is_told_to_those_it_undid_and_the_rest_goes_on()
    {
        using var database = new Database(Path.Combine(Folder, "x.db"), "records");
        await database.Writer.Alone(c => c.Execute("CREATE TABLE note (id INTEGER PRIMARY KEY, text BLOB)"));
        await database.Writer.Alone(c =>
            c.ExecuteScalar<long>($"PRAGMA max_page_count = {c.ExecuteScalar<long>("PRAGMA page_count") + 2}")
        );
        // All wait behind this one, so that they share a transaction.
        using var gate = new ManualResetEventSlim();
        var before = database.Writer.Alone(_ =>
        {
            gate.Wait();
            return 0;
        });
        var noise = new byte[1 << 16];
        var first = database.Writer.Write(c => c.Execute("INSERT INTO note VALUES (1, 'a')"));
        var large = database.Writer.Write(c => c.Execute("INSERT INTO note VALUES (2, @noise)", new { noise }));
        var behind = database.Writer.Write(c => c.Execute("INSERT INTO note VALUES (3, 'b')"));
        gate.Set();
        await before;
        await behind;
        await Assert.ThrowsAsync<DiskFullException>(() => large);
        using var connection = database.Read();
        var kept = connection.Query<int>("SELECT id FROM note ORDER BY id").ToList();
        // What shared the transaction was either kept, or its sender knows the true reason.
        if (first.IsFaulted)
            Assert.IsType<DiskFullException>(first.Exception!.InnerException);
        Assert.Equal(first.IsFaulted ? [3] : [1, 3], kept);
    }

    [Fact]
    public async Task Work_that_stands_alone_keeps_its_place_in_the_queue()
    {
        using var database = new Database(Path.Combine(Folder, "x.db"), "records");
        var seen = new List<string>();
        var first = database.Writer.Write(c =>
        {
            seen.Add("first");
            return 0;
        });
        var alone = database.Writer.Alone(c =>
        {
            seen.Add("alone");
            return c.ExecuteScalar<long>("PRAGMA page_size");
        });
        var last = database.Writer.Write(c =>
        {
            seen.Add("last");
            return 0;
        });
        await Task.WhenAll(first, alone, last);
        Assert.Equal(["first", "alone", "last"], seen);
        Assert.Equal(16_384, await alone);
        await Assert.ThrowsAsync<SqliteException>(() => database.Writer.Alone(c => c.Execute("SELECT nonsense")));
        Assert.Equal(0, await database.Writer.Write(_ => 0));
    }

    [Fact]
    public async Task Senders_wait_for_sealing_and_all_they_sent_is_there()
    {
        using var store = new RecordStore(File, Clock);
        var body = new string('x', 2_000);
        var senders = Enumerable
            .Range(0, 3)
            .Select(s =>
                Task.Run(async () =>
                {
                    for (var b = 0; b < 20; b++)
                    {
                        await store.Append(
                            [
                                .. Enumerable
                                    .Range(0, 1_000)
                                    .Select(i => new LogRecord
                                    {
                                        Time = (b * Instants.Minute) + i,
                                        Observed = 0,
                                        Body = body,
                                        Source = "quay",
                                    }),
                            ],
                            "quay"
                        );
                        // A batch of each sender may come in after the limit was looked at.
                        Assert.InRange(store.Recent.BytesOf("quay"), 0, RecordStore.MostOfSource + (4 * 2_100_000));
                    }
                })
            )
            .ToArray();
        await Task.WhenAll(senders);
        Assert.Equal(60_000, store.Count);
        await store.Upkeep.SealAll();
        Assert.Equal(0, store.Recent.Bytes);
        Assert.Equal(60_000, All(store).Count);
        Assert.Empty(store.Notices);
    }

    [Fact]
    public async Task A_reader_that_forgot_to_say_goodbye_does_not_keep_segments_for_ever()
    {
        using var store = Open(new Retention(Age: Instants.Hour));
        await store.Append(
            [
                new LogRecord
                {
                    Time = Instants.FromDateTime(Clock.GetUtcNow()),
                    Observed = 0,
                    Body = "x",
                },
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        Forget(store);
        Clock.Advance(TimeSpan.FromDays(1));
        await store.Upkeep.Retain();
        Assert.True(
            SpinWait.SpinUntil(
                () =>
                {
                    GC.Collect();
                    GC.WaitForPendingFinalizers();
                    return store.Upkeep.Sweep().GetAwaiter().GetResult() == 1;
                },
                TimeSpan.FromSeconds(30)
            )
        );

        [System.Runtime.CompilerServices.MethodImpl(System.Runtime.CompilerServices.MethodImplOptions.NoInlining)]
        static void Forget(RecordStore store) => Assert.Equal(1, store.Current.Count);
    }
}
