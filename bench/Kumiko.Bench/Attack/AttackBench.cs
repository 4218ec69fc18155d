using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Headers;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;
using Kumiko.Bench.Receivers;
using Kumiko.Bench.Store;

namespace Kumiko.Bench.Attack;

/// <summary>What an honest sender notices while somebody means harm: each attack for some seconds, from this machine to
/// itself.</summary>
internal static partial class AttackBench
{
    private const int Seconds = 10;
    private const int SlowUploads = 300;
    private const int Strangers = 64;
    private const int HeavyQueries = 24;
    private const int SilentPeers = 500;
    private const int DatagramsASecond = 20_000;
    private const string Heavy = "| group distinct(body) as bodies, p95(wait_ms) as late, count() as n by host, service";

    public static async Task Measure(long records)
    {
        Console.WriteLine(
            $"# Attacks on a server of {records} records, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n"
        );
        using var server = new ServerProcess();
        foreach (var batch in new FerryLog(200_000).Batches(records))
            using (
                var answer = await server.Client.PostAsync("/intake/records?source=history", new ByteArrayContent(batch.Lines))
            )
                answer.EnsureSuccessStatusCode();
        Console.WriteLine(
            $"| for {Seconds} s | honest intake: median ms | highest ms | /healthz: highest ms | memory before, MB | highest, MB | 5 s after, of queries a minute after, MB |\n|---|---|---|---|---|---|---|"
        );
        await One(server, "nothing", _ => Task.CompletedTask);
        await One(server, $"{SlowUploads} gzip uploads at 400 bytes a second, by 10 tokens", cancel =>
            SlowUpload(server, cancel)
        );
        await One(server, $"{Strangers} strangers who guess passwords", cancel => Guess(server, cancel));
        await One(
            server,
            $"{HeavyQueries} heavy queries at once, by 8 tokens",
            cancel => Ask(server, cancel),
            after: TimeSpan.FromMinutes(1)
        );
        await One(server, $"{SilentPeers} silent peers of syslog", cancel => Silence(server, cancel));
        await One(server, $"{DatagramsASecond} datagrams a second of nobody known", cancel => Flood(server, cancel));
        Console.WriteLine();
        Console.WriteLine(
            Answers.Count == 0
                ? ""
                : "Answers to the attackers: "
                    + string.Join(", ", Answers.OrderBy(a => a.Key, StringComparer.Ordinal).Select(a => $"{a.Key}: {a.Value}"))
        );
    }

    private static readonly Dictionary<string, int> Answers = [];

    private static void Note(string what, HttpStatusCode status)
    {
        lock (Answers)
            Answers[$"{what} {(int)status}"] = Answers.GetValueOrDefault($"{what} {(int)status}") + 1;
    }

    private static async Task One(ServerProcess server, string name, Func<CancellationToken, Task> attack, TimeSpan? after = null)
    {
        var rest = after ?? TimeSpan.FromSeconds(5);
        if (Environment.GetEnvironmentVariable("ONLY") is { } only && !name.Contains(only, StringComparison.OrdinalIgnoreCase))
            return;
        var before = server.HighestMegabytes();
        using var stop = new CancellationTokenSource();
        var attacking = Task.Run(() => attack(stop.Token));
        var honest = Repeat(
            server,
            "intake",
            client => client.PostAsync("/intake/records", new StringContent("{\"body\":\"ticket refused at Tarnhead\"}")),
            stop.Token
        );
        var health = Repeat(server, null, client => client.GetAsync("/healthz"), stop.Token);
        await Task.Delay(TimeSpan.FromSeconds(Seconds));
        await stop.CancelAsync();
        var (intake, well) = (await honest, await health);
        try
        {
            await attacking;
        }
        catch (Exception e) when (e is OperationCanceledException or IOException or SocketException or HttpRequestException)
        { /* it was ended */
        }
        var highest = server.HighestMegabytes();
        await Task.Delay(rest);
        server.HighestMegabytes();
        await Task.Delay(500);
        Console.WriteLine(
            $"| {name} | {intake[intake.Count / 2]:0} | {intake[^1]:0} | {well[^1]:0} | {before} | {highest} | {server.HighestMegabytes()} |"
        );
    }

    /// <summary>Milliseconds that each request took, rising; one after the other, twenty a second at most.</summary>
    private static async Task<List<double>> Repeat(
        ServerProcess server,
        string? purpose,
        Func<HttpClient, Task<HttpResponseMessage>> ask,
        CancellationToken stop
    )
    {
        using var client = new HttpClient { BaseAddress = server.Client.BaseAddress, Timeout = TimeSpan.FromMinutes(1) };
        if (purpose is not null)
            client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", await Token(server, purpose));
        var taken = new List<double>();
        while (!stop.IsCancellationRequested)
        {
            var started = Stopwatch.GetTimestamp();
            using (var answer = await ask(client))
                answer.EnsureSuccessStatusCode();
            taken.Add(Stopwatch.GetElapsedTime(started).TotalMilliseconds);
            await Task.Delay(50, CancellationToken.None);
        }
        taken.Sort();
        return taken;
    }

    private static async Task<string> Token(ServerProcess server, string purpose)
    {
        using var answer = await server.Client.PostAsync($"/control/token?name=bench-{Guid.NewGuid():N}&for={purpose}", null);
        return await answer.Content.ReadAsStringAsync();
    }

    private static async Task SlowUpload(ServerProcess server, CancellationToken cancel)
    {
        var tokens = new List<string>();
        for (var i = 0; i < 10; i++)
            tokens.Add(await Token(server, "intake"));
        await Task.WhenAll(
            Enumerable
                .Range(0, SlowUploads)
                .Select(async i =>
                {
                    using var peer = new TcpClient();
                    await peer.ConnectAsync(IPAddress.Loopback, server.Client.BaseAddress!.Port, cancel);
                    var stream = peer.GetStream();
                    await stream.WriteAsync(
                        Encoding.ASCII.GetBytes(
                            $"POST /intake/records HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {tokens[i % 10]}\r\nContent-Encoding: gzip\r\nContent-Length: 1000000\r\n\r\n"
                        ),
                        cancel
                    );
                    var head = new byte[] { 0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3 };
                    await stream.WriteAsync(head, cancel);
                    while (true)
                    {
                        await Task.Delay(100, cancel);
                        await stream.WriteAsync(new byte[40], cancel);
                    }
                })
        );
    }

    private static Task Guess(ServerProcess server, CancellationToken cancel) =>
        Task.WhenAll(
            Enumerable
                .Range(0, Strangers)
                .Select(async i =>
                {
                    using var client = new HttpClient(
                        new HttpClientHandler { AllowAutoRedirect = false, CookieContainer = new CookieContainer() }
                    )
                    {
                        BaseAddress = server.Client.BaseAddress,
                    };
                    var token = FormToken().Match(await client.GetStringAsync("/signin", cancel)).Groups[1].Value;
                    for (var n = 0; ; n++)
                    {
                        // Of another account each time, so that nothing but the queue and the address slow it down.
                        using var answer = await client.PostAsync(
                            "/signin",
                            new FormUrlEncodedContent(
                                new Dictionary<string, string>
                                {
                                    ["email"] = $"p{i}-{n}@skerryline.example",
                                    ["password"] = "guess " + n,
                                    ["__RequestVerificationToken"] = token,
                                }
                            ),
                            cancel
                        );
                        Note("sign-in", answer.StatusCode);
                    }
                })
        );

    [GeneratedRegex("name=\"__RequestVerificationToken\"[^>]*value=\"([^\"]+)\"")]
    private static partial Regex FormToken();

    private static async Task Ask(ServerProcess server, CancellationToken cancel)
    {
        var tokens = new List<string>();
        for (var i = 0; i < 8; i++)
            tokens.Add(await Token(server, "query"));
        await Task.WhenAll(
            Enumerable
                .Range(0, HeavyQueries)
                .Select(async i =>
                {
                    using var client = new HttpClient { BaseAddress = server.Client.BaseAddress };
                    client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", tokens[i % 8]);
                    while (true)
                    {
                        using var answer = await client.GetAsync(
                            $"/api/query?from=2020-01-01T00:00:00Z&to=2030-01-01T00:00:00Z&q={Uri.EscapeDataString(Heavy)}",
                            cancel
                        );
                        await answer.Content.ReadAsStringAsync(cancel);
                        Note("query", answer.StatusCode);
                    }
                })
        );
    }

    private static async Task Silence(ServerProcess server, CancellationToken cancel)
    {
        var peers = new List<TcpClient>();
        try
        {
            for (var i = 0; i < SilentPeers; i++)
            {
                var peer = new TcpClient();
                peers.Add(peer);
                await peer.ConnectAsync(IPAddress.Loopback, server.SyslogPort, cancel);
            }
            // Somebody honest comes last, and is heard.
            using var honest = new TcpClient();
            await honest.ConnectAsync(IPAddress.Loopback, server.SyslogPort, cancel);
            var line = $"<13>1 - quay radio - - [kumiko@32473 token=\"{await Token(server, "intake")}\"] over and out\n";
            var started = Stopwatch.GetTimestamp();
            await honest.GetStream().WriteAsync(Encoding.UTF8.GetBytes(line), cancel);
            while (
                await server.Client.GetStringAsync(
                    $"/api/query?from=-1h&to=now&format=csv&q={Uri.EscapeDataString("\"over and out\" | group count() as n")}",
                    cancel
                )
                    is var csv
                && csv.Trim().EndsWith('0')
            )
                await Task.Delay(10, cancel);
            Console.Error.WriteLine(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"syslog beside silent peers was found after {Stopwatch.GetElapsedTime(started).TotalMilliseconds:0} ms"
                )
            );
            await Task.Delay(Timeout.Infinite, cancel);
        }
        finally
        {
            foreach (var peer in peers)
                peer.Dispose();
        }
    }

    private static async Task Flood(ServerProcess server, CancellationToken cancel)
    {
        using var udp = new UdpClient();
        udp.Connect(IPAddress.Loopback, server.SyslogPort);
        var datagram = Encoding.UTF8.GetBytes("<13>1 - nobody nothing - - - " + new string('x', 300));
        while (!cancel.IsCancellationRequested)
        {
            for (var i = 0; i < DatagramsASecond / 100; i++)
                await udp.SendAsync(datagram, cancel);
            await Task.Delay(10, cancel);
        }
    }
}
