using System.Diagnostics;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests;

/// <summary>A server that follows a file which grows and is renamed, killed again and again: each line is there once.</summary>
public sealed class FollowKilledTests : IDisposable
{
    private const int Rounds = 4;

    private readonly string _data = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly string _logs = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose()
    {
        Directory.Delete(_data, true);
        Directory.Delete(_logs, true);
    }

    private string Log => Path.Combine(_logs, "gate.log");

    [Fact]
    public async Task Every_line_is_there_once()
    {
        await Follow();
        var written = 0;
        var random = new Random(25);
        for (var round = 0; round < Rounds; round++)
        {
            using var server = await Start();
            var before = written;
            // It is killed as soon as it has read something of this round, while more is being written.
            written = Write(written, random.Next(1, 4_000));
            while (Taken() <= before)
                await Task.Yield();
            if (round % 2 == 0)
                File.Move(Log, $"{Log}.{round}");
            written = Write(written, random.Next(1, 3_000));
            server.Kill();
            await server.WaitForExitAsync();
        }
        using (var last = await Start())
        {
            while (Taken() < written)
                await Task.Yield();
            last.Kill();
            await last.WaitForExitAsync();
        }
        using var store = new RecordStore(
            Path.Combine(_data, "records.db"),
            TimeProvider.System,
            RecordStoreOptions.Default with
            {
                Background = false,
            }
        );
        using var snapshot = store.Current;
        var bodies = snapshot
            .OldestFirst(new Window(long.MinValue, long.MaxValue), BatchTest.All, null, CancellationToken.None)
            .Select(r => r.Body)
            .ToList();
        Assert.Equal(written, bodies.Count);
        Assert.Equal(written, bodies.Distinct(StringComparer.Ordinal).Count());
    }

    private async Task Follow()
    {
        using var folder = DataFolder.TryOpen(_data)!;
        using var database = new AppDatabase(folder.Kept);
        var settings = new FormatSettings("text") { Start = RecordStart.EachLine };
        await new FollowStore(database, TimeProvider.System).Add(new FollowWish(0, Log, "gates", settings, "Mirek Dane", 0));
    }

    private int Write(int written, int lines)
    {
        File.AppendAllLines(Log, Enumerable.Range(written, lines).Select(i => $"gate opened for ticket {i}"));
        return written + lines;
    }

    /// <summary>Lines that are committed, read beside the server.</summary>
    private long Taken()
    {
        using var connection = new Microsoft.Data.Sqlite.SqliteConnection(
            $"Data Source={Path.Combine(_data, "records.db")};Mode=ReadOnly;Pooling=False"
        );
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = "SELECT COALESCE(SUM(taken), 0) FROM followed_file";
        return (long)command.ExecuteScalar()!;
    }

    private async Task<Process> Start()
    {
        var process = Process.Start(
            new ProcessStartInfo(
                "dotnet",
                [
                    Path.Combine(AppContext.BaseDirectory, "Kumiko.Cli.dll"),
                    "run",
                    "--port",
                    "0",
                    "--grpc-port",
                    "0",
                    "--syslog-port",
                    "0",
                    "--data",
                    _data,
                    "--import-from",
                    _logs,
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;
        while (
            await process.StandardOutput.ReadLineAsync() is { } line && !line.StartsWith("Kumiko is at", StringComparison.Ordinal)
        ) { }
        return process;
    }
}
