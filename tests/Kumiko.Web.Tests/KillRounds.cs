using System.Collections.Concurrent;
using System.Diagnostics;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Tests.Shared;

/// <summary>
/// Kills a server at random moments of taking, sealing, merging and dropping records, again and again in the same
/// folder, and looks each time whether everything acknowledged is there, once, and the folder is sound.
/// </summary>
internal sealed class KillRounds(string data, int seed)
{
    private const int BatchRecords = 2_000;
    private const int Senders = 3;

    private readonly Random _random = new(seed);
    private readonly ConcurrentDictionary<string, bool> _acknowledged = new();

    public int Acknowledged => _acknowledged.Count * BatchRecords;
    public int Segments { get; private set; }

    /// <summary>Runs a server, sends to it, kills it, and checks what it left.</summary>
    /// <returns>What is wrong; nothing where all is well.</returns>
    public async Task<IReadOnlyList<string>> Round(int round)
    {
        using var process = Process.Start(
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
                    data,
                    "--keep",
                    "30d",
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;
        while (
            await process.StandardOutput.ReadLineAsync() is { } line && !line.StartsWith("Kumiko is at", StringComparison.Ordinal)
        ) { }
        var server = DataFolder.FindServer(data)!;
        using var client = new HttpClient { BaseAddress = new Uri(server.Address) };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", server.Token);
        // A number of batches rather than a time, so that a slow machine kills at the same places.
        var left = _random.Next(1, 60);
        await Task.WhenAll(
            Enumerable
                .Range(0, Senders)
                .Select(sender =>
                    Task.Run(async () =>
                    {
                        for (var batch = 0; ; batch++)
                        {
                            var name = $"{round}-{sender}-{batch}";
                            // Every fourth batch is long past its time and is dropped once it is sealed.
                            var old = batch % 4 == 3;
                            try
                            {
                                using var answer = await client.PostAsync(
                                    "/intake/records?source=" + (old ? "attic" : "quay"),
                                    new StringContent(Lines(name, old), Encoding.UTF8)
                                );
                                var taken = JsonDocument
                                    .Parse(await answer.Content.ReadAsStringAsync())
                                    .RootElement.GetProperty("taken")
                                    .GetInt32();
                                if (taken == BatchRecords && !old)
                                    _acknowledged[name] = true;
                                if (Interlocked.Decrement(ref left) == 0)
                                    process.Kill();
                            }
                            catch (Exception e) when (e is HttpRequestException or IOException or JsonException)
                            {
                                return;
                            }
                        }
                    })
                )
        );
        await process.WaitForExitAsync();
        return Look();
    }

    private static string Lines(string name, bool old)
    {
        var text = new StringBuilder();
        var time = old
            ? "2020-05-01T10:00:00Z"
            : DateTime.UtcNow.ToString("yyyy-MM-ddTHH:mm:ss.fffZ", System.Globalization.CultureInfo.InvariantCulture);
        for (var i = 0; i < BatchRecords; i++)
            text.Append("{\"time\":\"")
                .Append(time)
                .Append(old ? "\",\"observed\":\"2020-05-01T10:00:00Z" : "")
                .Append("\",\"service\":\"gate-control\",\"body\":\"gate opened for ")
                .Append(name)
                .Append(' ')
                .Append(i)
                .Append(old ? " old" : "")
                .Append("\"}\n");
        return text.ToString();
    }

    private List<string> Look()
    {
        var wrong = new List<string>();
        using var folder = DataFolder.TryOpen(data);
        if (folder is null)
            return ["The folder is still held."];
        wrong.AddRange(StoreCheck.Run(folder.Records, null, CancellationToken.None).Problems);
        using var store = new RecordStore(
            folder.Records,
            TimeProvider.System,
            RecordStoreOptions.Default with
            {
                Background = false,
            }
        );
        wrong.AddRange(store.Notices);
        using var snapshot = store.Current;
        Segments = snapshot.Segments.Count();
        var batches = new Dictionary<string, HashSet<string>>();
        foreach (
            var body in snapshot
                .OldestFirst(new Window(long.MinValue, long.MaxValue), BatchTest.All, null, CancellationToken.None)
                .Select(r => r.Body)
        )
        {
            var words = body.Split(' ');
            if (!batches.TryGetValue(words[3], out var seen))
                batches[words[3]] = seen = [];
            if (!seen.Add(words[4]))
                wrong.Add($"“{body}” is there twice.");
        }
        foreach (var name in _acknowledged.Keys)
            if (!batches.TryGetValue(name, out var seen) || seen.Count != BatchRecords)
                wrong.Add($"Batch {name} was acknowledged and {seen?.Count ?? 0} of {BatchRecords} records are there.");
        return wrong;
    }
}
