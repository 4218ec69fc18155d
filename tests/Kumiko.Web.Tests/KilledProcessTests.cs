using System.Diagnostics;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;
using Kumiko.Tests.Shared;

namespace Kumiko.Web.Tests;

/// <summary>Whatever was acknowledged is there after the process was killed in the middle of taking more.</summary>
public sealed class KilledProcessTests : IDisposable
{
    private readonly string _data = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_data, true);

    [Fact]
    public async Task Nothing_acknowledged_is_lost_and_nothing_is_there_twice()
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
                    _data,
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;
        while (
            await process.StandardOutput.ReadLineAsync() is { } line && !line.StartsWith("Kumiko is at", StringComparison.Ordinal)
        ) { }
        var server = DataFolder.FindServer(_data)!;
        using var client = new HttpClient { BaseAddress = new Uri(server.Address) };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", server.Token);

        var acknowledged = 0;
        var senders = Enumerable
            .Range(0, 3)
            .Select(sender =>
                Task.Run(async () =>
                {
                    for (var batch = 0; batch < 100_000; batch++)
                    {
                        var body = string.Concat(Enumerable.Range(0, 20).Select(i => $"{{\"body\":\"{sender}-{batch}-{i}\"}}\n"));
                        try
                        {
                            var answer = await client.PostAsync(
                                "/intake/records?source=quay",
                                new StringContent(body, Encoding.UTF8)
                            );
                            var taken = JsonDocument
                                .Parse(await answer.Content.ReadAsStringAsync())
                                .RootElement.GetProperty("taken")
                                .GetInt32();
                            if (Interlocked.Add(ref acknowledged, taken) > 3_000)
                                process.Kill();
                        }
                        catch (HttpRequestException)
                        {
                            return;
                        }
                        catch (IOException)
                        {
                            return;
                        }
                    }
                })
            )
            .ToArray();
        await Task.WhenAll(senders);
        await process.WaitForExitAsync();

        using var folder = DataFolder.TryOpen(_data);
        Assert.NotNull(folder);
        using var store = new RecordStore(folder.Records, TimeProvider.System);
        var bodies = store
            .Current.OldestFirst(new Window(long.MinValue, long.MaxValue), BatchTest.All, null, CancellationToken.None)
            .Select(r => r.Body)
            .ToList();
        Assert.Empty(store.Notices);
        Assert.True(bodies.Count >= acknowledged, $"{bodies.Count} of {acknowledged}");
        Assert.Equal(bodies.Count, bodies.Distinct().Count());
        // A batch is there whole or not at all.
        Assert.All(bodies.GroupBy(b => b[..b.LastIndexOf('-')]), batch => Assert.Equal(20, batch.Count()));
    }

    [Fact]
    public async Task Killed_five_times_while_sealing_merging_and_dropping_nothing_acknowledged_is_lost()
    {
        var rounds = new KillRounds(_data, seed: 5);
        // On a machine that hardly gets to sealing between the kills, some more rounds.
        for (var round = 0; round < 5 || (rounds.Segments == 0 && round < 15); round++)
            Assert.Empty(await rounds.Round(round));
        Assert.InRange(rounds.Acknowledged, 10_000, int.MaxValue);
        Assert.InRange(rounds.Segments, 1, 100);
    }
}
