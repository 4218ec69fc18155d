using Kumiko.Core.Accounts;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Core.Tests.Storage;

/// <summary>What people keep: checked, copied with its keys and tables, rescued where it is damaged, and closed to
/// others.</summary>
public sealed class KeptTests : StoreTest
{
    private string Kept => Path.Combine(Folder, "kumiko.db");

    private async Task Fill(int people = 200)
    {
        using var database = new AppDatabase(Kept, Clock);
        await database.Database.Writer.Write(c =>
            Dapper.SqlMapper.Execute(
                c,
                "INSERT INTO person (name, email, role, created) VALUES (@Name, @Email, 'analyst', 1)",
                Enumerable
                    .Range(0, people)
                    .Select(i => new { Name = $"Person {i} {new string('x', 200)}", Email = $"p{i}@skerryline.example" })
            )
        );
        Assert.Empty(database.Notices);
    }

    /// <summary>Overwrites pages behind the first ones.</summary>
    private static void Damage(string path)
    {
        using var file = new FileStream(path, FileMode.Open);
        Assert.True(file.Length > 16_384 * 6);
        var noise = new byte[16_384];
        new Random(7).NextBytes(noise);
        for (var at = 16_384 * 4; at + noise.Length <= file.Length; at += 16_384 * 3)
        {
            file.Position = at;
            file.Write(noise);
        }
    }

    [Fact]
    public async Task A_damaged_file_of_what_is_kept_is_told_and_what_can_be_read_goes_on()
    {
        await Fill(2_000);
        Assert.Empty(AppDatabaseCheck.Run(Kept));
        Damage(Kept);
        Assert.NotEmpty(AppDatabaseCheck.Run(Kept));
        using var database = new AppDatabase(Kept, Clock);
        Assert.Contains("was damaged. What could be read of it was copied", Assert.Single(database.Notices));
        Assert.Single(Directory.GetFiles(Folder, "kumiko.db.damaged-*"));
        var people = new PeopleStore(database, Clock);
        Assert.InRange(people.All().Count, 1, 1_999);
        Assert.NotNull(await people.Add("Ines Halloran", "ines@skerryline.example", Role.Administrator, null));
        Assert.Empty(AppDatabaseCheck.Run(database));
    }

    [Fact]
    public void A_file_that_is_no_database_is_moved_aside_with_one_sentence()
    {
        System.IO.File.WriteAllText(Kept, string.Concat(Enumerable.Repeat("this is no database\n", 5_000)));
        using var database = new AppDatabase(Kept, Clock);
        Assert.Single(database.Notices);
        Assert.Empty(new PeopleStore(database, Clock).All());
    }

    [Fact]
    public async Task A_backup_holds_keys_and_tables_and_a_damaged_one_is_not_restored()
    {
        await Fill(2_000);
        foreach (var folder in new[] { "keys", "tables" })
        {
            Directory.CreateDirectory(Path.Combine(Folder, folder));
            await System.IO.File.WriteAllTextAsync(Path.Combine(Folder, folder, "one"), folder);
        }
        var copy = Path.Combine(Folder, "copy");
        using (var database = new AppDatabase(Kept, Clock))
        using (var store = Open())
            Assert.Empty((await StoreBackup.Run(store, database, copy, null, CancellationToken.None)).Problems);
        var restored = Path.Combine(Folder, "restored");
        StoreBackup.Restore(copy, restored, CancellationToken.None);
        foreach (var folder in new[] { "keys", "tables" })
            Assert.Equal(folder, await System.IO.File.ReadAllTextAsync(Path.Combine(restored, folder, "one")));
        Damage(Path.Combine(copy, "kumiko.db"));
        var again = Path.Combine(Folder, "again");
        Assert.Contains(
            "The backup is damaged: What is kept",
            Assert.Throws<IOException>(() => StoreBackup.Restore(copy, again, CancellationToken.None)).Message
        );
        Assert.False(Directory.Exists(again));
    }

    [Fact]
    public async Task A_backup_of_a_damaged_file_says_so_and_copies_the_rest()
    {
        await Fill(2_000);
        using var database = new AppDatabase(Kept, Clock);
        await database.Database.Checkpoint();
        Damage(Kept);
        using var store = Open();
        await store.Append([Sample.Random(1)], "quay");
        var (records, problems) = await StoreBackup.Run(
            store,
            database,
            Path.Combine(Folder, "copy"),
            null,
            CancellationToken.None
        );
        Assert.Equal(1, records);
        Assert.NotEmpty(problems);
    }

    [Fact]
    public async Task Nobody_else_may_read_the_folder_its_files_and_backups()
    {
        if (OperatingSystem.IsWindows())
            return;
        const UnixFileMode Others =
            UnixFileMode.GroupRead
            | UnixFileMode.GroupWrite
            | UnixFileMode.GroupExecute
            | UnixFileMode.OtherRead
            | UnixFileMode.OtherWrite
            | UnixFileMode.OtherExecute;
        var data = Path.Combine(Folder, "data");
        var copy = Path.Combine(Folder, "copy");
        for (var start = 0; start < 2; start++)
        {
            using var folder = DataFolder.TryOpen(data)!;
            folder.Announce(new ServerAddress("http://127.0.0.1", "token"));
            using var database = new AppDatabase(folder.Kept, Clock);
            using var store = new RecordStore(
                folder.Records,
                Clock,
                new RecordStoreOptions(Retention.None, Background: false, ReserveBytes: 1 << 20)
            );
            await store.Append([Sample.Random(1)], "quay");
            if (start == 0)
                await StoreBackup.Run(store, database, copy, null, CancellationToken.None);
            foreach (
                var path in new[] { data, copy }
                    .Concat(Directory.EnumerateFileSystemEntries(data))
                    .Concat(Directory.EnumerateFileSystemEntries(copy))
            )
                Assert.True((System.IO.File.GetUnixFileMode(path) & Others) == 0, path);
            // A folder from before is closed at the next start.
            System.IO.File.SetUnixFileMode(
                data,
                System.IO.File.GetUnixFileMode(data) | UnixFileMode.OtherRead | UnixFileMode.OtherExecute
            );
            System.IO.File.SetUnixFileMode(folder.Kept, System.IO.File.GetUnixFileMode(folder.Kept) | UnixFileMode.OtherRead);
        }
    }

    [Fact]
    public void A_folder_that_others_use_keeps_its_mode()
    {
        if (OperatingSystem.IsWindows())
            return;
        var shared = Directory.CreateDirectory(Path.Combine(Folder, "shared")).FullName;
        System.IO.File.WriteAllText(Path.Combine(shared, "theirs"), "");
        var before = System.IO.File.GetUnixFileMode(shared);
        using var folder = DataFolder.TryOpen(shared);
        Assert.Equal(before, System.IO.File.GetUnixFileMode(shared));
    }

    [Fact]
    public async Task Where_nothing_can_be_written_all_is_read_and_writing_says_that_the_disk_is_full()
    {
        await Fill();
        using (var store = Open())
        {
            await store.Append([Sample.Random(1), Sample.Random(2)], "quay");
            await store.Upkeep.SealAll();
        }
        using var database = new AppDatabase(Kept, Clock, isReadOnly: true);
        using var records = new RecordStore(
            File,
            Clock,
            new RecordStoreOptions(Retention.None, Background: false) { IsReadOnly = true }
        );
        Assert.Equal(2, All(records).Count);
        Assert.Equal(200, new PeopleStore(database, Clock).All().Count);
        Assert.Contains("started read only", Assert.Single(records.Notices));
        await Assert.ThrowsAsync<DiskFullException>(() => records.Append([Sample.Random(3)], "quay"));
        await Assert.ThrowsAsync<DiskFullException>(() => new PeopleStore(database, Clock).SetZone(1, "Europe/Dublin"));
        Assert.Empty(Directory.GetFiles(Folder, "*-wal").Concat(Directory.GetFiles(Folder, "*-shm")));
    }

    [Fact]
    public async Task A_log_that_needs_room_to_be_read_is_told_and_not_passed_over()
    {
        await Fill();
        System.IO.File.WriteAllText(Kept + "-wal", "what came last");
        Assert.Contains(
            "kumiko.db-wal",
            Assert.Throws<DiskFullException>(() => new AppDatabase(Kept, Clock, isReadOnly: true)).Message
        );
    }

    [Fact]
    public async Task Whoever_fails_when_told_of_a_commit_ends_nothing()
    {
        using var store = Open();
        var (faults, told) = (new List<Exception>(), 0);
        store.Faulted += faults.Add;
        store.Committed += (_, _) => throw new InvalidOperationException("The quay is closed.");
        store.Committed += (_, _) => told++;
        for (var i = 0; i < 3; i++)
            Assert.True(await store.Append([Sample.Random(i)], "quay"));
        Assert.Equal((3, 3, 3), (All(store).Count, told, faults.Count));
        Assert.Equal("The quay is closed.", faults[0].Message);
    }

    [Fact]
    public async Task Whoever_waits_for_a_place_holds_no_thread_and_may_leave()
    {
        using var database = new AppDatabase(Kept, Clock);
        using var hold = new ManualResetEventSlim();
        using var begun = new ManualResetEventSlim();
        var writer = database.Database.Writer;
        var first = writer.Write(_ =>
        {
            begun.Set();
            hold.Wait();
            return 1;
        });
        // From here on the writer takes nothing from the queue.
        begun.Wait();
        var queued = Enumerable.Range(0, 4_200).Select(i => writer.Write(_ => i)).ToList();
        using var leaves = new CancellationTokenSource();
        var late = writer.Write(_ => 2, cancel: leaves.Token);
        await leaves.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => late);
        hold.Set();
        Assert.Equal(1, await first);
        Assert.Equal(Enumerable.Range(0, 4_200), await Task.WhenAll(queued));
    }

    [Fact]
    public async Task Damage_in_a_stretch_is_told_for_that_stretch()
    {
        long from;
        long to;
        using (var store = Open())
        {
            await store.Append([.. Enumerable.Range(0, 300).Select(i => Sample.Random(i))], "quay");
            await store.Upkeep.SealAll();
            using var snapshot = store.Current;
            (from, to) = (snapshot.Segments.Min(s => s.MinTime), snapshot.Segments.Max(s => s.MaxTime));
            await store.Database.Writer.Write(c =>
                Dapper.SqlMapper.Execute(c, "UPDATE segment SET state = 'damaged', damage = 'A test.'")
            );
        }
        using var again = Open();
        Assert.Contains("are damaged and were set aside", Assert.Single(again.DamageIn(new Window(from, to + 1))));
        Assert.Empty(again.DamageIn(new Window(to + 1, to + 2)));
    }
}
