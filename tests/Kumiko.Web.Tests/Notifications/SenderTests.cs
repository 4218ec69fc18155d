using System.Formats.Asn1;
using System.Net;
using System.Net.Sockets;
using System.Text;
using Kumiko.Core.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;
using Kumiko.Web.Hosting;
using static Kumiko.Web.Tests.Notifications.NotificationFixtures;

namespace Kumiko.Web.Tests.Notifications;

public sealed class SenderTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    private static Outgoing Out(ChannelSettings settings, MessageFields fields, string secret = "", string template = "") =>
        new(
            "k1",
            1,
            At,
            settings.Recipients[0],
            settings,
            secret,
            new MessageComposer().Compose(settings, template, fields, null).Payload
        );

    [Fact]
    public async Task No_kind_of_channel_reaches_this_machine_unless_that_is_allowed()
    {
        var guard = new NetworkGuard([]);
        (IChannelSender Sender, ChannelSettings Settings)[] all =
        [
            (new SyslogSender(guard), new SyslogSettings("127.0.0.1", 514, "udp")),
            (new SyslogSender(guard), new SyslogSettings("localhost", 514, "tcp")),
            (new SyslogSender(guard), new SyslogSettings("[::1]", 6514, "tls")),
            (new TrapSender(guard), new TrapSettings("127.0.0.1", 162)),
            (
                new MailSender(new Kumiko.Web.Hosting.ServerOptions { Data = "" }, guard),
                new MailSettings(["ines@skerryline.example"], "127.0.0.1", 25, "none")
            ),
        ];
        foreach (var (sender, settings) in all)
        {
            var refused = await Assert.ThrowsAsync<SendFailedException>(() => sender.Send(Out(settings, Fields()), default));
            Assert.Contains("--reach", refused.Message);
            Assert.True(refused.IsFinal);
        }
    }

    [Fact]
    public async Task A_syslog_line_is_one_line_of_the_standard()
    {
        using var server = new UdpClient(new IPEndPoint(IPAddress.Loopback, 0));
        var settings = new SyslogSettings("127.0.0.1", ((IPEndPoint)server.Client.LocalEndPoint!).Port, "udp");
        await new SyslogSender(NotificationFixtures.ThisMachine).Send(
            Out(settings, Fields("Tarn]\"\\head\r\n<0>1 forged")),
            default
        );
        var line = Encoding.UTF8.GetString((await server.ReceiveAsync()).Buffer);
        Assert.StartsWith("<130>1 2026-11-23T17:54:00.000Z ", line);
        Assert.DoesNotContain('\n', line);
        Assert.Contains(
            " kumiko - started [alert@32473 rule=\"Refusals at the gates\" where=\"Tarn\\]\\\"\\\\head  <0>1 forged\" level=\"critical\"",
            line
        );
        Assert.Contains("id=\"k1\"] Critical: Refusals at the gates. Refusals", line);
    }

    [Fact]
    public async Task Over_tcp_its_octets_are_counted()
    {
        var server = new TcpListener(IPAddress.Loopback, 0);
        server.Start();
        var sending = new SyslogSender(NotificationFixtures.ThisMachine).Send(
            Out(new SyslogSettings("127.0.0.1", ((IPEndPoint)server.LocalEndpoint).Port, "tcp"), Fields("Café")),
            default
        );
        using var client = await server.AcceptTcpClientAsync();
        await sending;
        using var all = new MemoryStream();
        await client.GetStream().CopyToAsync(all);
        var text = Encoding.UTF8.GetString(all.ToArray());
        var space = text.IndexOf(' ');
        Assert.Equal(all.Length - space - 1, int.Parse(text[..space], System.Globalization.CultureInfo.InvariantCulture));
        server.Stop();
        Assert.False(
            (
                await Assert.ThrowsAsync<SendFailedException>(() =>
                    new SyslogSender(NotificationFixtures.ThisMachine).Send(
                        Out(new SyslogSettings("127.0.0.1", 1, "tcp"), Fields()),
                        default
                    )
                )
            ).IsFinal
        );
    }

    [Fact]
    public void A_trap_decodes_to_what_was_told()
    {
        var payload = (TrapPayload)Out(new TrapSettings("127.0.0.1", 162), Fields(Markup)).Payload;
        var (community, bindings) = TrapSender.Decode(TrapSender.Encode("skerry", "k1", payload));
        Assert.Equal("skerry", community);
        var values = bindings.ToDictionary(b => b.Name, b => b.Value);
        Assert.Equal("1.3.6.1.4.1.32473.77.0.1", values["1.3.6.1.6.3.1.1.4.1.0"]);
        Assert.Equal(
            ("k1", "started", "2", "Refusals at the gates"),
            (
                values[TrapSender.Root + ".1.1.0"],
                values[TrapSender.Root + ".1.2.0"],
                values[TrapSender.Root + ".1.3.0"],
                values[TrapSender.Root + ".1.4.0"]
            )
        );
        Assert.DoesNotContain('\u202e', values[TrapSender.Root + ".1.5.0"]);
        Assert.Equal("1.3.6.1.2.1.1.3.0", bindings[0].Name);
        Assert.EndsWith(
            ".0.2",
            TrapSender.Decode(TrapSender.Encode("c", "k", payload with { Event = "ended" })).Bindings[1].Value
        );
    }

    [Fact]
    public void A_trap_fits_into_one_datagram_whatever_it_tells()
    {
        var payload = new TrapPayload(
            "started",
            2,
            new string('é', 9_000),
            new string('日', 9_000),
            new string('x', 9_000),
            new string('y', 9_000)
        );
        Assert.InRange(TrapSender.Encode("public", "k", payload).Length, 1_000, 65_000 / 8);
        Assert.Throws<AsnContentException>(() => TrapSender.Decode(new byte[] { 0x30, 0x05, 0x02, 0x01, 0x00, 0x04, 0x00 }));
    }

    private async Task<SendAnswer> Run(string script, ScriptSettings settings, MessageFields? fields = null)
    {
        var path = Path.Combine(_folder, settings.File);
        await File.WriteAllTextAsync(path, script);
        if (!OperatingSystem.IsWindows())
            File.SetUnixFileMode(path, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        return await new ScriptSender(new ServerOptions { Data = "", Scripts = _folder }).Send(
            Out(settings, fields ?? Fields()),
            default
        );
    }

    [Fact]
    public async Task A_script_gets_arguments_one_by_one_an_environment_and_the_fields()
    {
        var answer = await Run(
            "#!/bin/sh\necho \"$#\"; for a in \"$@\"; do echo \"[$a]\"; done; echo \"$KUMIKO_LEVEL $KUMIKO_ID $HOME\"; head -c 1; echo",
            new ScriptSettings("a.sh", ["{{ where }}", "{{ owner }}", "plain"]),
            Fields("$(touch /tmp/x); `id` \"'\n*")
        );
        Assert.Equal("3\n[$(touch /tmp/x); `id` \"' *]\n[]\n[plain]\ncritical k1 \n{", answer.Answered);
    }

    [Fact]
    public async Task A_script_that_hangs_floods_or_fails_is_ended_and_its_output_kept()
    {
        var hung = await Assert.ThrowsAsync<SendFailedException>(() =>
            Run("#!/bin/sh\necho begun\nsleep 600 &\nwait", new ScriptSettings("hang.sh", [], 1))
        );
        Assert.Contains("longer than 1 s", hung.Message);
        Assert.Contains("begun", hung.Answered);
        var flood = await Assert.ThrowsAsync<SendFailedException>(() =>
            Run("#!/bin/sh\nyes", new ScriptSettings("flood.sh", [], 60))
        );
        Assert.Contains("more than 1 MB", flood.Message);
        Assert.InRange(flood.Answered.Length, 100, 4_100);
        Assert.Contains(
            "ended with 3",
            (
                await Assert.ThrowsAsync<SendFailedException>(() =>
                    Run("#!/bin/sh\necho no >&2; exit 3", new ScriptSettings("fail.sh", []))
                )
            ).Message
        );
    }

    [Theory]
    [InlineData("../out.sh")]
    [InlineData("/bin/sh")]
    [InlineData("link.sh")]
    [InlineData(".hidden.sh")]
    [InlineData("not-there.sh")]
    public async Task Only_scripts_of_the_folder_are_run(string file)
    {
        File.CreateSymbolicLink(Path.Combine(_folder, "link.sh"), "/bin/sh");
        await File.WriteAllTextAsync(Path.Combine(_folder, ".hidden.sh"), "");
        var sender = new ScriptSender(new ServerOptions { Data = "", Scripts = _folder });
        Assert.True(
            (
                await Assert.ThrowsAsync<SendFailedException>(() =>
                    sender.Send(Out(new ScriptSettings(file, []), Fields()), default)
                )
            ).IsFinal
        );
        Assert.Empty(sender.Files());
        Assert.Contains(
            "--scripts",
            (
                await Assert.ThrowsAsync<SendFailedException>(() =>
                    new ScriptSender(new ServerOptions { Data = "" }).Send(Out(new ScriptSettings(file, []), Fields()), default)
                )
            ).Message
        );
    }
}
