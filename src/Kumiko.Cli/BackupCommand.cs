using System.Net.Http.Json;
using Kumiko.Charts;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;
using Kumiko.Web.Api;

namespace Kumiko.Cli;

/// <summary>Copies a data folder, and puts a copy in place.</summary>
public static class BackupCommand
{
    public static async Task<int> Backup(string data, string to, CancellationToken cancel)
    {
        if (!Directory.Exists(data))
        {
            Console.Error.WriteLine($"There is no folder {data}.");
            return 1;
        }
        using var access = DataAccess.Open(data);
        if (access is null)
            return 1;
        to = Path.GetFullPath(to);
        BackupAnswer done;
        try
        {
            if (access.Folder is { } folder)
            {
                using var store = new RecordStore(
                    folder.Records,
                    TimeProvider.System,
                    RecordStoreOptions.Default with
                    {
                        Background = false,
                    }
                );
                using var database = new AppDatabase(folder.Kept);
                var (records, problems) = await StoreBackup.Run(store, database, to, null, cancel);
                done = new BackupAnswer(records, [.. store.Notices, .. problems]);
            }
            else
            {
                using var answer = await access.Server!.PostAsync("/control/backup?to=" + Uri.EscapeDataString(to), null, cancel);
                if (!answer.IsSuccessStatusCode)
                    throw new IOException(await answer.Content.ReadFromJsonAsync<string>(cancel));
                done = (await answer.Content.ReadFromJsonAsync<BackupAnswer>(cancel))!;
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine(e.Message);
            return 1;
        }
        foreach (var problem in done.Problems)
            Console.Error.WriteLine(problem);
        Console.WriteLine($"{Format.Count(done.Records, "record", "records")} copied to {to}");
        return done.Problems.Count == 0 ? 0 : 1;
    }

    public static int Restore(string data, string from)
    {
        using var folder = DataFolder.TryOpen(data);
        if (folder is null)
        {
            Console.Error.WriteLine($"Another Kumiko works in {data}. Stop it, or give another folder with --data.");
            return 1;
        }
        try
        {
            var report = StoreBackup.Restore(from, data, CancellationToken.None);
            Console.WriteLine($"{Format.Count(report.Records, "record", "records")} restored to {data}");
            return 0;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine(e.Message);
            return 1;
        }
    }
}
