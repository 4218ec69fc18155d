using System.Net;
using System.Net.Sockets;
using System.Text;
using Microsoft.Extensions.Hosting;
using MimeKit;

namespace Kumiko.Demo.StandIns;

/// <summary>A mail server that takes every mail and hands it to the mailbox. For the demonstration, on loopback only.</summary>
public sealed class SmtpSink : BackgroundService
{
    private const int LongestLine = 4_096;
    private const int LargestMail = 8 << 20;

    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly Mailbox _mailbox;

    public SmtpSink(Mailbox mailbox)
    {
        _mailbox = mailbox;
        _listener.Start();
    }

    /// <summary>User and password that it wants to hear first, as <c>user\0password</c>; null to take mail from
    /// anybody.</summary>
    public string? Login { get; init; }

    public Uri Address => new($"smtp://127.0.0.1:{((IPEndPoint)_listener.LocalEndpoint).Port}");

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            while (true)
            {
                var client = await _listener.AcceptTcpClientAsync(stoppingToken);
                _ = Task.Run(() => Serve(client, stoppingToken), stoppingToken);
            }
        }
        catch (OperationCanceledException)
        { /* the demo stops */
        }
        finally
        {
            _listener.Stop();
        }
    }

    private async Task Serve(TcpClient client, CancellationToken stop)
    {
        using var owned = client;
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(stop);
        limited.CancelAfter(TimeSpan.FromSeconds(30));
        try
        {
            using var reader = new StreamReader(client.GetStream(), Encoding.Latin1);
            await using var writer = new StreamWriter(client.GetStream(), Encoding.ASCII) { NewLine = "\r\n", AutoFlush = true };
            await writer.WriteLineAsync("220 mailbox of the Kumiko demo".AsMemory(), limited.Token);
            var isKnown = Login is null;
            while (await reader.ReadLineAsync(limited.Token) is { Length: <= LongestLine } line)
            {
                var verb = line.Split(' ', ':')[0].ToUpperInvariant();
                if (verb == "DATA")
                {
                    await writer.WriteLineAsync("354 go on, end with a dot".AsMemory(), limited.Token);
                    if (await ReadMail(reader, limited.Token) is not { } content)
                        return;
                    using var stream = new MemoryStream(Encoding.Latin1.GetBytes(content));
                    _mailbox.Add(await MimeMessage.LoadAsync(stream, limited.Token));
                }
                await writer.WriteLineAsync(
                    (
                        verb switch
                        {
                            "EHLO" or "HELO" => Login is null ? "250 welcome" : "250-welcome\r\n250 AUTH PLAIN",
                            "AUTH" => (isKnown = IsLogin(line)) ? "235 known" : "535 not known",
                            "MAIL" when !isKnown => "530 sign in first",
                            "MAIL" or "RCPT" or "RSET" or "NOOP" or "DATA" => "250 taken",
                            "QUIT" => "221 bye",
                            _ => "502 not known here",
                        }
                    ).AsMemory(),
                    limited.Token
                );
                if (verb == "QUIT")
                    return;
            }
        }
        catch (Exception e) when (e is IOException or OperationCanceledException or FormatException or SocketException)
        { /* the sender went away */
        }
    }

    // AUTH PLAIN with its first response (RFC 4616): who it is for, user and password, separated by zeros.
    private bool IsLogin(string line)
    {
        try
        {
            return line.Split(' ') is [_, "PLAIN", var told]
                && Encoding.UTF8.GetString(Convert.FromBase64String(told)).EndsWith("\0" + Login, StringComparison.Ordinal);
        }
        catch (FormatException)
        {
            return false;
        }
    }

    private static async Task<string?> ReadMail(StreamReader reader, CancellationToken cancel)
    {
        var content = new StringBuilder();
        while (await reader.ReadLineAsync(cancel) is { } line)
        {
            if (line == ".")
                return content.ToString();
            content.Append(line.StartsWith('.') ? line[1..] : line).Append("\r\n");
            if (content.Length > LargestMail)
                return null;
        }
        return null;
    }
}
