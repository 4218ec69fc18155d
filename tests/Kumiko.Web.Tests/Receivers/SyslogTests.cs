using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Syslog;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>Syslog over real sockets: from our own hands, from Debian's logger and from rsyslog.</summary>
public sealed class SyslogTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private string _token = "";

    private int Port => _server.Get<ServerState>().SyslogPort!.Value;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _token = await _server.Get<TokenStore>().Create(new TokenWish("quay-radio", TokenPurpose.Intake));
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private Task<string> KnowLoopback(long? rate = null) =>
        _server
            .Get<TokenStore>()
            .Create(new TokenWish("loopback", TokenPurpose.Intake) { Addresses = [IPNetwork.Parse("127.0.0.0/8")], Rate = rate });

    private string WithToken(string text) =>
        $"<13>1 {_server.Clock.GetUtcNow():O} radio-hollin relay - - [kumiko@32473 token=\"{_token}\"] {text}";

    private async Task<TcpClient> Connect()
    {
        var client = new TcpClient();
        await client.ConnectAsync(IPAddress.Loopback, Port);
        return client;
    }

    private async Task Send(string stream)
    {
        using var client = await Connect();
        await client.GetStream().WriteAsync(Encoding.UTF8.GetBytes(stream));
    }

    private IReadOnlyList<string> Bodies => [.. _server.Records().Select(r => r.Body)];

    [Fact]
    public async Task Silent_strangers_shut_nobody_out_and_are_let_go_after_a_while()
    {
        var silent = new List<TcpClient>();
        for (var i = 0; i < SyslogListener.MostStrangers + 20; i++)
            silent.Add(await Connect());
        await Send(WithToken("one") + "\n");
        await _server.Arrived(1);
        // The oldest made room; the others have half a minute.
        var ends = silent.Select(c => c.GetStream().ReadAsync(new byte[1]).AsTask()).ToList();
        await Task.WhenAny(ends);
        while (!ends.All(e => e.IsCompleted))
        {
            _server.Clock.Advance(SyslogConnection.KnownBy);
            await Task.Delay(1);
        }
        foreach (var client in silent)
            client.Dispose();
    }

    [Fact]
    public async Task Who_is_known_may_be_silent()
    {
        await KnowLoopback();
        using var client = await Connect();
        for (var i = 0; i < 100; i++)
        {
            _server.Clock.Advance(TimeSpan.FromMinutes(1));
            await Task.Yield();
        }
        await client.GetStream().WriteAsync("<13>1 - - - - - - still here\n"u8.ToArray());
        await _server.Arrived(1);
        Assert.Equal(["still here"], Bodies);
    }

    [Fact]
    public async Task A_token_in_the_structured_data_opens_a_connection_for_all_that_follows()
    {
        var (first, second) = (WithToken("one"), "<13>1 - - - - - - two");
        await Send($"{first.Length} {first}{second.Length} {second}{WithToken("three")}\nfour without an end");
        await _server.Arrived(4);
        Assert.Equal(
            ["one", "two", "three", "four without an end"],
            _server.Records().OrderBy(r => r.Sequence).Select(r => r.Body)
        );
        var source = _server.Get<SourceBook>().Find("quay-radio")!;
        Assert.Equal(
            (4L, "syslog over TCP", "token in its structured data"),
            (source.Records, source.Protocol, source.Recognised)
        );
        Assert.NotNull(_server.Get<TokenStore>().All().Single(t => t.Name == "quay-radio").Used);
    }

    [Fact]
    public async Task Nobody_known_is_cut_off_and_what_they_sent_is_kept_to_look_at()
    {
        using var client = await Connect();
        await client.GetStream().WriteAsync("<13>who goes there\n<13>and again\n"u8.ToArray());
        Assert.Equal(0, await Ended(client));
        var refused = Assert.Single(_server.Get<RecordStore>().Refusals(10));
        Assert.Equal(("<13>who goes there", SyslogSenders.NobodyKnown), (Encoding.UTF8.GetString(refused.Head), refused.Source));
        Assert.Contains("from 127.0.0.1, and the message shows no token that works. Connect the sender", refused.Reason);
        Assert.Empty(Bodies);
    }

    /// <summary>Reads until the server ends the connection.</summary>
    private static async Task<int> Ended(TcpClient client)
    {
        try
        {
            return await client.GetStream().ReadAsync(new byte[1]);
        }
        catch (IOException)
        {
            return 0;
        }
    }

    [Fact]
    public async Task Peers_that_are_gone_at_once_end_nothing_for_others()
    {
        await KnowLoopback();
        for (var i = 0; i < 50; i++)
        {
            using var reset = new Socket(AddressFamily.InterNetwork, SocketType.Stream, ProtocolType.Tcp)
            {
                LingerState = new LingerOption(true, 0),
            };
            await reset.ConnectAsync(IPAddress.Loopback, Port);
        }
        await Send("<13>still here\n");
        await _server.Arrived(1);
        Assert.Equal(["still here"], Bodies);
        Assert.Empty(_server.Get<RecordStore>().Refusals(10));
    }

    [Fact]
    public async Task A_revoked_token_opens_nothing_from_its_next_message_on()
    {
        using var client = await Connect();
        await client.GetStream().WriteAsync(Encoding.UTF8.GetBytes(WithToken("one") + "\n"));
        await _server.Arrived(1);
        Assert.True(await _server.Get<TokenStore>().Revoke(_server.Get<TokenStore>().All().Single().Id));
        await client.GetStream().WriteAsync(Encoding.UTF8.GetBytes(WithToken("two") + "\n"));
        Assert.Equal(0, await Ended(client));
        Assert.Equal(["one"], Bodies);
    }

    [Fact]
    public async Task A_peer_that_stops_within_a_message_is_cut_off_and_others_are_not_hurt()
    {
        await KnowLoopback();
        using var slow = await Connect();
        await slow.GetStream().WriteAsync("<13>whole\n50 <13>never"u8.ToArray());
        await _server.Arrived(1);
        await Send("<13>from another\n");
        await _server.Arrived(2);
        _server.Clock.Advance(TimeSpan.FromSeconds(61));
        Assert.Equal(0, await Ended(slow));
        Assert.Contains(_server.Get<RecordStore>().Refusals(10), r =>
            r.Reason == "The message was broken off after 9 of 50 bytes." && r.Source == "loopback"
        );
        Assert.Equal(["from another", "whole"], Bodies.Order());
    }

    [Fact]
    public async Task Over_its_rate_a_sender_over_TCP_waits_and_over_UDP_loses_and_it_is_counted()
    {
        await KnowLoopback(rate: 10);
        await Send(string.Concat(Enumerable.Range(0, 30).Select(i => $"<13>{i}\n")));
        await _server.Arrived(30);
        // What was sent is counted a moment after it is taken.
        var token = _server.Get<TokenStore>().All().Single(t => t.Name == "loopback");
        Assert.True(SpinWait.SpinUntil(() => _server.Get<RateGates>().Wait(token) > TimeSpan.Zero, TimeSpan.FromSeconds(30)));
        using var udp = new UdpClient("127.0.0.1", Port);
        var refused = new TaskCompletionSource();
        _server.Get<RecordStore>().Kept += (_, _) => refused.TrySetResult();
        await udp.SendAsync("<13>too much"u8.ToArray());
        await refused.Task.WaitAsync(TimeSpan.FromSeconds(30));
        Assert.Equal(
            (30L, 1L),
            (_server.Get<SourceBook>().Find("loopback")!.Records, _server.Get<SourceBook>().Find("loopback")!.Refused)
        );
        _server.Clock.Advance(TimeSpan.FromSeconds(10));
        await udp.SendAsync("<13>enough"u8.ToArray());
        await _server.Arrived(31);
    }

    [Fact]
    public async Task A_full_disk_holds_the_sender_back_and_loses_nothing()
    {
        await KnowLoopback();
        await _server.Get<RecordStore>().LimitPages(1);
        var noise = Enumerable
            .Range(0, 400)
            .Select(_ => Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(500)))
            .ToList();
        await Send(string.Concat(noise.Select(n => $"<13>{n}\n")));
        await _server.Get<RecordStore>().LimitPages(1_000_000);
        var arrived = _server.Arrived(400);
        while (!arrived.IsCompleted)
        {
            _server.Clock.Advance(TimeSpan.FromSeconds(1));
            await Task.Yield();
        }
        await arrived;
        Assert.Equal(noise.Order(), Bodies.Order());
    }

    private static string Run(string program, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
        var error = process.StandardError.ReadToEnd();
        process.WaitForExit();
        return error;
    }

    [Theory]
    [InlineData("--udp --rfc5424")]
    [InlineData("--udp --rfc3164")]
    [InlineData("--tcp --rfc5424")]
    [InlineData("--tcp --rfc3164")]
    [InlineData("--tcp --rfc5424 --octet-count")]
    [InlineData("--tcp --rfc3164 --octet-count")]
    public async Task Logger_is_understood_in_both_formats_and_framings(string how)
    {
        if (!File.Exists("/usr/bin/logger"))
            Assert.Skip("logger is not installed.");
        await KnowLoopback();
        string[] data = how.Contains("5424", StringComparison.Ordinal)
            ? ["--msgid", "LINK", "--sd-id", "link@32473", "--sd-param", "quality=\"4\"", "--sd-param", "mast=\"Hollin \\] 2\""]
            : [];
        Assert.Equal(
            "",
            Run(
                "logger",
                [
                    .. how.Split(' '),
                    "--server",
                    "127.0.0.1",
                    "--port",
                    $"{Port}",
                    "-p",
                    "local3.warning",
                    "-t",
                    "quay/link",
                    "--id=412",
                    .. data,
                    "link lost after 3 tries",
                ]
            )
        );
        await _server.Arrived(1);
        var record = _server.Records().Single();
        Assert.Equal(
            ("link lost after 3 tries", "quay/link", 13, "warning", "local3", "loopback"),
            (
                record.Body,
                record.Resource.Service.AsText,
                record.SeverityNumber,
                record.SeverityText,
                record.Attributes.Get("syslog.facility").AsText,
                record.Source
            )
        );
        Assert.Equal(Value.Of(412), record.Attributes.Get("process.pid"));
        Assert.InRange(Math.Abs(record.Time - record.Observed), 0, 5 * Instants.Second);
        Assert.Equal(Dns.GetHostName().Split('.')[0], record.Resource.Host.AsText.Split('.')[0]);
        if (data.Length > 0)
            Assert.Equal(
                ("4", "Hollin ] 2", "LINK"),
                (
                    record.Attributes.Get("link.quality").AsText,
                    record.Attributes.Get("link.mast").AsText,
                    record.Attributes.Get("syslog.msgid").AsText
                )
            );
        else
            Assert.StartsWith("year ", record.Attributes.Get("syslog.inferred").AsText);
    }

    [Theory]
    [InlineData("RSYSLOG_SyslogProtocol23Format", "tcp", "octet-counted")]
    [InlineData("RSYSLOG_SyslogProtocol23Format", "tcp", "traditional")]
    [InlineData("RSYSLOG_TraditionalForwardFormat", "tcp", "octet-counted")]
    [InlineData("RSYSLOG_TraditionalForwardFormat", "tcp", "traditional")]
    [InlineData("RSYSLOG_ForwardFormat", "udp", "traditional")]
    public async Task Rsyslog_is_understood_in_both_formats_and_framings(string format, string protocol, string framing)
    {
        if (!File.Exists("/usr/sbin/rsyslogd"))
            Assert.Skip("rsyslog is not installed.");
        await KnowLoopback();
        var folder = Directory.CreateTempSubdirectory("kumiko-rsyslog-").FullName;
        var (socket, settings) = (Path.Combine(folder, "log"), Path.Combine(folder, "rsyslog.conf"));
        await File.WriteAllTextAsync(
            settings,
            $"""
            global(workDirectory="{folder}")
            module(load="imuxsock" SysSock.Use="off")
            input(type="imuxsock" Socket="{socket}" CreatePath="on" RateLimit.Interval="0")
            action(type="omfwd" target="127.0.0.1" port="{Port}" protocol="{protocol}" TCP_Framing="{framing}" template="{format}")
            """
        );
        using var rsyslog = Process.Start(
            new ProcessStartInfo("/usr/sbin/rsyslogd", ["-n", "-f", settings, "-i", Path.Combine(folder, "pid")])
            {
                RedirectStandardError = true,
            }
        )!;
        try
        {
            for (var tries = 0; !File.Exists(socket) && tries < 10_000; tries++)
                await Task.Delay(1);
            for (var i = 0; i < 20; i++)
                Assert.Equal("", Run("logger", "-u", socket, "-p", "local4.err", "-t", "relay[7]", $"retry {i}"));
            await _server.Arrived(20);
        }
        finally
        {
            rsyslog.Kill();
            await rsyslog.WaitForExitAsync();
            Directory.Delete(folder, true);
        }
        var relayed = _server.Records().Where(r => r.Resource.Service.ToText() == "relay").ToList();
        Assert.Equal(Enumerable.Range(0, 20).Select(i => $"retry {i}"), relayed.OrderBy(r => r.Sequence).Select(r => r.Body));
        Assert.All(relayed, r =>
            Assert.Equal(
                ("err", 17, "local4", Value.Of(7)),
                (r.SeverityText, r.SeverityNumber, r.Attributes.Get("syslog.facility").AsText, r.Attributes.Get("process.pid"))
            )
        );
        Assert.All(relayed, r => Assert.InRange(Math.Abs(r.Time - r.Observed), 0, 30 * Instants.Second));
    }
}
