using System.Diagnostics;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Tests.Storage;

/// <summary>A disk that is really full: a small one of memory, which needs root.</summary>
public sealed class FullDiskTests : StoreTest, IAsyncLifetime
{
    private bool _isMounted;

    private string Disk => Path.Combine(Folder, "disk");

    private static bool Run(string command, params string[] arguments)
    {
        try
        {
            using var process = Process.Start(new ProcessStartInfo(command, arguments) { RedirectStandardError = true })!;
            process.WaitForExit();
            return process.ExitCode == 0;
        }
        catch (System.ComponentModel.Win32Exception)
        {
            return false;
        }
    }

    public ValueTask InitializeAsync()
    {
        Directory.CreateDirectory(Disk);
        _isMounted = Run("mount", "-t", "tmpfs", "-o", "size=16M", "tmpfs", Disk);
        return ValueTask.CompletedTask;
    }

    public ValueTask DisposeAsync()
    {
        if (_isMounted)
            Run("umount", Disk);
        Dispose();
        return ValueTask.CompletedTask;
    }

    private void FillUp()
    {
        using var file = new FileStream(
            Path.Combine(Disk, "fill"),
            FileMode.Create,
            FileAccess.Write,
            FileShare.None,
            bufferSize: 0
        );
        var block = new byte[4_096];
        try
        {
            while (true)
                file.Write(block);
        }
        catch (IOException)
        { /* full */
        }
    }

    [Fact]
    public async Task Nothing_is_taken_for_damaged_and_all_is_read()
    {
        Assert.SkipUnless(_isMounted, "A small disk of memory cannot be mounted here.");
        var (records, people) = (Path.Combine(Disk, "records.db"), Path.Combine(Disk, "kumiko.db"));
        using (var store = Open(path: records))
        using (var database = new AppDatabase(people, Clock))
        {
            await store.Append([Sample.Random(1), Sample.Random(2)], "quay");
            await new PeopleStore(database, Clock).Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        }
        FillUp();
        foreach (var open in new Action[] { () => Open(path: records).Dispose(), () => new AppDatabase(people, Clock).Dispose() })
            Assert.True(DiskFullException.IsFull(Assert.Throws<SqliteException>(open)));
        Assert.Empty(Directory.GetFiles(Disk, "*damaged*"));
        using var reading = new RecordStore(
            records,
            Clock,
            new RecordStoreOptions(Retention.None, Background: false) { IsReadOnly = true }
        );
        using var known = new AppDatabase(people, Clock, isReadOnly: true);
        Assert.Equal(2, All(reading).Count);
        var ines = new PeopleStore(known, Clock).FindByEmail("ines@skerryline.example")!;
        // Whoever is to free the disk gets in.
        var sessions = new SessionStore(known, Clock);
        Assert.NotNull(sessions.Find(await sessions.Begin(ines, "127.0.0.1", "")));
    }
}
