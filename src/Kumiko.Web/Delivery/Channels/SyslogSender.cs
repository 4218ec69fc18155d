using System.Globalization;
using System.Net.Security;
using System.Net.Sockets;
using System.Text;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>Sends a line of RFC 5424: over UDP (RFC 5426), TCP with counted octets (RFC 6587) or TLS (RFC 5425). None of them
/// answers.</summary>
public sealed class SyslogSender(NetworkGuard guard) : IChannelSender
{
    private const int LongestDatagram = 2_048;

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(10);

    public async Task<SendAnswer> Send(Outgoing outgoing, CancellationToken cancel)
    {
        var (settings, payload) = ((SyslogSettings)outgoing.Settings, (SyslogPayload)outgoing.Payload);
        var line = Line(settings, payload, outgoing.Key, Instants.ToDateTime(outgoing.Created));
        var bytes = Encoding.UTF8.GetBytes(line);
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limited.CancelAfter(Patience);
        try
        {
            if (settings.Transport == "udp")
            {
                await guard.SendDatagram(
                    bytes.AsMemory(0, Math.Min(bytes.Length, LongestDatagram)),
                    settings.Host,
                    settings.Port,
                    limited.Token
                );
                return new SendAnswer(line, "Sent; UDP has no answers.");
            }
            var stream = await guard.Connect(settings.Host, settings.Port, limited.Token);
            if (settings.Transport == "tls")
            {
                var tls = new SslStream(stream);
                await tls.AuthenticateAsClientAsync(
                    new SslClientAuthenticationOptions { TargetHost = settings.Host },
                    limited.Token
                );
                stream = tls;
            }
            await using (stream)
            {
                await stream.WriteAsync(
                    Encoding.ASCII.GetBytes(bytes.Length.ToString(CultureInfo.InvariantCulture) + " "),
                    limited.Token
                );
                await stream.WriteAsync(bytes, limited.Token);
                await stream.FlushAsync(limited.Token);
            }
            return new SendAnswer(line, "Taken by the connection; syslog has no answers.");
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new SendFailedException($"{settings.Host} did not take it within {Patience.TotalSeconds:0} s.", line);
        }
        catch (Exception e) when (e is SocketException or IOException or System.Security.Authentication.AuthenticationException)
        {
            throw new SendFailedException(e.Message, line, cause: e);
        }
    }

    internal static string Line(SyslogSettings settings, SyslogPayload payload, string key, DateTimeOffset at)
    {
        var data = string.Concat(
            payload.Data.Where(d => d.Value.Length > 0).Append(new("id", key)).Select(d => $" {d.Key}=\"{Escaped(d.Value)}\"")
        );
        return string.Create(
            CultureInfo.InvariantCulture,
            $"<{(settings.Facility * 8) + payload.Severity}>1 {at:yyyy-MM-dd'T'HH:mm:ss.fff'Z'} {HostName()} kumiko - {payload.MessageId} [alert@{TrapSender.Enterprise}{data}] {PlainText.Line(payload.Text)}"
        );
    }

    private static string HostName() =>
        string.Concat(Environment.MachineName.Where(c => c is > ' ' and < (char)127)) is { Length: > 0 } name ? name : "-";

    /// <summary>As RFC 5424 wants it in a parameter's value.</summary>
    private static string Escaped(string value) =>
        PlainText
            .Line(value, 500)
            .Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace("\"", "\\\"", StringComparison.Ordinal)
            .Replace("]", "\\]", StringComparison.Ordinal);
}
