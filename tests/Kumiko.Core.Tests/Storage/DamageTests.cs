using CsCheck;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Flipped bytes and cut files: found, set aside, said; the rest goes on.</summary>
public sealed class DamageTests : StoreTest
{
    private const int Days = 5;
    private const int PerDay = 400;

    /// <summary>A file with a segment a day, and one batch that is not sealed.</summary>
    private async Task<List<LogRecord>> Fill()
    {
        using var store = Open();
        var random = new Random(7);
        for (var day = 0; day < Days; day++)
        {
            await store.Append(
                [
                    .. Enumerable
                        .Range(0, PerDay)
                        .Select(i =>
                            Sample.Random(
                                random.Next(),
                                Sample.At("2026-11-01T10:00:00Z") + (day * Instants.Day) + (i * Instants.Second)
                            )
                        ),
                ],
                "quay"
            );
            await store.Upkeep.SealAll();
        }
        await store.Append([Sample.Refusal], "quay");
        await store.Database.Checkpoint();
        return All(store);
    }

    private void Execute(string sql)
    {
        using var connection = new SqliteConnection("Data Source=" + File + ";Pooling=False");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    // The first segments of a reading are kept for the next, later ones are not, and a damaged one is met on each way.
    [Theory, InlineData(2), InlineData(5)]
    public async Task A_damaged_column_sets_its_segment_aside_and_the_rest_goes_on(int damaged)
    {
        var all = await Fill();
        Execute(
            $"UPDATE segment_column SET content = zeroblob(length(content)) WHERE key = (SELECT MAX(key) FROM segment_column WHERE key >> 12 = {damaged})"
        );
        var report = StoreCheck.Run(File, null, CancellationToken.None);
        Assert.Contains($"Segment {damaged}", Assert.Single(report.Problems));
        using (var store = Open())
        {
            var read = All(store);
            Assert.Equal(all.Count - PerDay, read.Count);
            Assert.Equal(all.Where(r => read.Any(x => x.Id == r.Id)).Select(r => r.Id), read.Select(r => r.Id));
            Assert.True(SpinWait.SpinUntil(() => store.Notices.Count > 0, TimeSpan.FromSeconds(30)));
            Assert.StartsWith(
                $"400 records from 2026-11-0{damaged} 10:00:00 to 2026-11-0{damaged} 10:06:39 UTC are damaged",
                Assert.Single(store.Notices)
            );
            Assert.Equal(all.Count - PerDay, store.Count);
            while (await store.Upkeep.Merge()) { }
            await store.Append([Sample.Random(1)], "quay");
        }
        using var again = Open();
        Assert.Contains($"Segment {damaged}", Assert.Single(again.Notices));
        Assert.Equal(all.Count - PerDay + 1, All(again).Count);
    }

    [Theory]
    [InlineData("DELETE FROM segment WHERE id = 2", "lost its row")]
    [InlineData("PRAGMA ignore_check_constraints = 1; UPDATE segment SET state = 'lixe' WHERE id = 2", "400 records")]
    [InlineData("UPDATE segment SET min_time = min_time + 1 WHERE id = 2", "400 records")]
    [InlineData("DELETE FROM recent", "1 batches of the newest records should be there, and 0 are")]
    public async Task Lost_or_changed_rows_are_said(string damage, string said)
    {
        var all = await Fill();
        Execute(damage);
        using var store = Open();
        Assert.InRange(All(store).Count, all.Count - PerDay, all.Count - 1);
        Assert.Contains(store.Notices, n => n.Contains(said, StringComparison.Ordinal));
    }

    [Fact]
    public async Task Counting_and_merging_meet_damage_without_harm()
    {
        var all = await Fill();
        Execute("UPDATE segment_column SET content = zeroblob(length(content)) WHERE key >> 12 IN (1, 3)");
        using var store = Open();
        var window = new Kumiko.Core.Frames.Window(all[0].Time, all[^1].Time + 1);
        using (var snapshot = store.Current)
        {
            var first = snapshot.Scan(window, BatchTest.All, CancellationToken.None);
            Assert.Equal((3 * PerDay) + 1, first.Counts(window, Instants.Day).Sum());
            Assert.Equal((3 * PerDay) + 1, first.Times().Length);
        }
        Assert.True(SpinWait.SpinUntil(() => store.Count == (3 * PerDay) + 1, TimeSpan.FromSeconds(30)));
        using (var snapshot = store.Current)
            Assert.Equal((3 * PerDay) + 1, snapshot.Scan(window, BatchTest.All, CancellationToken.None).Count);
        Clock.Advance(TimeSpan.FromDays(2));
        while (await store.Upkeep.Merge()) { }
        Assert.Equal((3 * PerDay) + 1, All(store).Count);
    }

    [Fact]
    public Task Any_flipped_bytes_are_found_and_never_make_wrong_records() =>
        Gen.Select(Gen.Double[0, 1], Gen.Int[1, 64], Gen.Byte[1, 255])
            .Array[1, 3]
            .SampleAsync(
                async flips =>
                {
                    Directory.Delete(Folder, true);
                    Directory.CreateDirectory(Folder);
                    var all = (await Fill()).ToDictionary(r => r.Id);
                    var bytes = await System.IO.File.ReadAllBytesAsync(File);
                    foreach (var (place, length, wrong) in flips)
                        // Behind the first page, which says what the file is; a file without it is another test.
                        for (var i = 0; i < length; i++)
                            bytes[Math.Min(bytes.Length - 1, 16_384 + (int)(place * (bytes.Length - 16_384)) + i)] ^= wrong;
                    await System.IO.File.WriteAllBytesAsync(File, bytes);
                    var report = StoreCheck.Run(File, null, CancellationToken.None);
                    using var store = Open();
                    var read = All(store);
                    Assert.All(read, r => Sample.Same(all[r.Id], r));
                    Assert.Equal(read.Count, read.Select(r => r.Id).Distinct().Count());
                    // What is missing was said, by the check before and by the store.
                    if (read.Count == all.Count)
                        return;
                    Assert.NotEmpty(report.Problems);
                    Assert.True(
                        SpinWait.SpinUntil(() => store.Notices.Count > 0, TimeSpan.FromSeconds(30)),
                        $"{all.Count - read.Count} records are missing and nothing was said. The check says: {string.Join('\n', report.Problems)}"
                    );
                },
                iter: Cases.Of(25),
                threads: 1
            );

    [Theory]
    [InlineData(0.95)]
    [InlineData(0.5)]
    [InlineData(0.1)]
    [InlineData(0.0)]
    public async Task A_cut_file_is_moved_aside_and_what_can_be_read_is_kept(double share)
    {
        var all = (await Fill()).ToDictionary(r => r.Id);
        using (var file = new FileStream(File, FileMode.Open))
            file.SetLength((long)(file.Length * share));
        if (share > 0)
            Assert.NotEmpty(StoreCheck.Run(File, null, CancellationToken.None).Problems);
        using var store = Open();
        var read = All(store);
        Assert.All(read, r => Sample.Same(all[r.Id], r));
        if (share > 0)
            Assert.True(SpinWait.SpinUntil(() => store.Notices.Count > 0, TimeSpan.FromSeconds(30)));
        // A cut within the last page is damage of one segment, and no reason to move the file.
        if (share is > 0 and < 0.9)
        {
            Assert.Contains(store.Notices, n => n.Contains("was copied into a new file", StringComparison.Ordinal));
            Assert.Contains(Directory.GetFiles(Folder), f => f.Contains("records.db.damaged-", StringComparison.Ordinal));
        }
        await store.Append([Sample.Refusal], "quay");
        Assert.Equal(read.Count + 1, All(store).Count);
        await store.Upkeep.SealAll();
        Assert.Equal(read.Count + 1, All(store).Count);
    }

    [Fact]
    public void A_file_that_is_no_database_is_moved_aside()
    {
        System.IO.File.WriteAllText(File, string.Concat(Enumerable.Repeat("this is no database\n", 5_000)));
        using var store = Open();
        Assert.Empty(All(store));
        Assert.Contains("damaged", Assert.Single(store.Notices));
        Assert.Single(Directory.GetFiles(Folder, "records.db.damaged-*"));
    }

    [Fact]
    public async Task A_backup_taken_at_work_holds_all_that_was_acknowledged_before()
    {
        await Fill();
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"));
        await new PeopleStore(database, Clock).Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        using var store = Open();
        var before = All(store);
        var to = Path.Combine(Folder, "copy");
        using var stop = new CancellationTokenSource();
        var busy = Task.Run(async () =>
        {
            while (!stop.IsCancellationRequested)
            {
                await store.Append([Sample.Random(3)], "quay");
                await store.Upkeep.SealAll();
                await store.Upkeep.Merge();
                await store.Upkeep.Sweep();
            }
        });
        var (records, problems) = await StoreBackup.Run(store, database, to, null, CancellationToken.None);
        await stop.CancelAsync();
        await busy;
        Assert.Empty(problems);
        await Assert.ThrowsAsync<IOException>(() => StoreBackup.Run(store, database, to, null, CancellationToken.None));

        var restored = Path.Combine(Folder, "restored");
        Assert.Equal(records, StoreBackup.Restore(to, restored, CancellationToken.None).Records);
        using var again = Open(path: Path.Combine(restored, "records.db"));
        var after = All(again);
        Assert.Equal(records, after.Count);
        Assert.Subset(after.Select(r => r.Id).ToHashSet(), before.Select(r => r.Id).ToHashSet());
        Assert.True(await again.Append([Sample.Random(4)], "quay"));
        Assert.InRange(All(again).Max(r => r.Sequence), after.Max(r => r.Sequence) + 1, long.MaxValue);
        using var people = new AppDatabase(Path.Combine(restored, "kumiko.db"));
        Assert.Equal("Ines Halloran", Assert.Single(new PeopleStore(people, Clock).All()).Name);
    }

    [Fact]
    public async Task A_damaged_backup_is_not_restored()
    {
        await Fill();
        using (var database = new AppDatabase(Path.Combine(Folder, "kumiko.db")))
        using (var store = Open())
            await StoreBackup.Run(store, database, Path.Combine(Folder, "copy"), null, CancellationToken.None);
        using (var file = new FileStream(Path.Combine(Folder, "copy", "records.db"), FileMode.Open))
            file.SetLength(file.Length / 2);
        var wrong = Assert.Throws<IOException>(() =>
            StoreBackup.Restore(Path.Combine(Folder, "copy"), Path.Combine(Folder, "restored"), CancellationToken.None)
        );
        Assert.Contains("Nothing was restored", wrong.Message);
        Assert.False(System.IO.File.Exists(Path.Combine(Folder, "restored", "records.db")));
        Assert.Throws<IOException>(() =>
            StoreBackup.Restore(Folder + "x", Path.Combine(Folder, "restored"), CancellationToken.None)
        );
    }
}
