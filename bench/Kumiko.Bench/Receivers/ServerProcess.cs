using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using Kumiko.Core.Storage;

namespace Kumiko.Bench.Receivers;

/// <summary>A server in a process of its own, as its memory and its share of the processors are to be told from the
/// sender's.</summary>
internal sealed class ServerProcess : IDisposable
{
    private readonly string _data = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
    private readonly Process _process;
    private readonly Timer _watch;
    private long _highest;

    public ServerProcess()
    {
        _process = Process.Start(
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
        while (_process.StandardOutput.ReadLine() is { } line)
            if (line.StartsWith("OTLP over gRPC: ", StringComparison.Ordinal))
            {
                SyslogPort = int.Parse(line.Split("syslog: ")[1], CultureInfo.InvariantCulture);
                break;
            }
        var server = DataFolder.FindServer(_data)!;
        Client = new HttpClient { BaseAddress = new Uri(server.Address), Timeout = TimeSpan.FromMinutes(5) };
        Client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", server.Token);
        _watch = new Timer(_ => _highest = Math.Max(_highest, Memory()), null, 0, 250);
    }

    public HttpClient Client { get; }
    public int SyslogPort { get; }

    /// <summary>The most memory since this was last asked, in MB.</summary>
    public long HighestMegabytes()
    {
        var highest = Math.Max(Memory(), Interlocked.Exchange(ref _highest, 0));
        return highest >> 20;
    }

    private long Memory()
    {
        try
        {
            var line = File.ReadLines($"/proc/{_process.Id}/status").First(l => l.StartsWith("VmRSS:", StringComparison.Ordinal));
            return long.Parse(line.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture) * 1024;
        }
        catch (Exception e) when (e is IOException or InvalidOperationException)
        {
            return 0;
        }
    }

    /// <summary>How many records of a source can be found.</summary>
    public async Task<long> Count(string source)
    {
        var answer = await Client.GetStringAsync(
            $"/api/query?from=2026-01-01T00:00:00Z&to=2027-12-31T00:00:00Z&format=csv&q={Uri.EscapeDataString($"source = {source} | group count() as n")}"
        );
        return long.Parse(answer.Trim().Split('\n')[^1].Trim(), CultureInfo.InvariantCulture);
    }

    public void Dispose()
    {
        _watch.Dispose();
        Client.Dispose();
        _process.Kill();
        _process.WaitForExit();
        _process.Dispose();
        Directory.Delete(_data, true);
    }
}
