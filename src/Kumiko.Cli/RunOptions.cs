using System.Net;
using System.Security.Cryptography;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;

namespace Kumiko.Cli;

/// <summary>What the command to run a server was given, as it was typed.</summary>
public sealed record RunOptions
{
    public const string PasswordVariable = "KUMIKO_SMTP_PASSWORD";

    public required string Data { get; init; }
    public int Port { get; init; }
    public string? Smtp { get; init; }
    public string? SmtpPasswordFile { get; init; }
    public string MailFrom { get; init; } = "";
    public string? Address { get; init; }
    public string? Keep { get; init; }
    public string? KeepSize { get; init; }
    public string? KeepLevels { get; init; }
    public string Listen { get; init; } = "";
    public int GrpcPort { get; init; }
    public int SyslogPort { get; init; }
    public IReadOnlyList<string> Reach { get; init; } = [];
    public string? Scripts { get; init; }
    public string? ImportFrom { get; init; }
    public string? TlsCertificate { get; init; }
    public string? TlsKey { get; init; }

    /// <summary>Null where it stands behind none; empty for one on this machine.</summary>
    public IReadOnlyList<string>? Proxies { get; init; }

    /// <summary>As options of a server.</summary>
    /// <exception cref="RunOptionsException">Something of it cannot be; the message says what and how to write it.</exception>
    public ServerOptions Read() =>
        new()
        {
            Data = Data,
            Port = Port,
            Smtp = ReadSmtp(),
            SmtpPassword = ReadPassword(),
            MailFrom = MailFrom,
            PublicAddress = ReadAddress(),
            Retention = new Retention(Age(Keep), ReadSize()),
            KeepLevels = Age(KeepLevels),
            Listen = IPAddress.TryParse(Listen, out var here)
                ? here
                : throw new RunOptionsException($"“{Listen}” is no address. Write one of this machine, or 0.0.0.0 for all."),
            GrpcPort = GrpcPort < 0 ? null : GrpcPort,
            SyslogPort = SyslogPort < 0 ? null : SyslogPort,
            Reach = [.. Reach.Select(Network)],
            Scripts =
                Scripts is null || Directory.Exists(Scripts)
                    ? Scripts
                    : throw new RunOptionsException($"There is no folder {Scripts} for scripts."),
            ImportFrom =
                ImportFrom is null || Directory.Exists(ImportFrom)
                    ? ImportFrom
                    : throw new RunOptionsException($"There is no folder {ImportFrom} to import from."),
            Tls = ReadCertificate(),
            Proxies = Proxies switch
            {
                null => null,
                [] => [IPNetwork.Parse("127.0.0.0/8"), IPNetwork.Parse("::1/128")],
                _ => [.. Proxies.Select(Network)],
            },
        };

    private Uri? ReadSmtp()
    {
        if (Smtp is null)
            return null;
        if (Uri.TryCreate(Smtp, UriKind.Absolute, out var mail) && mail.Scheme is "smtp" or "smtps")
            return mail;
        throw new RunOptionsException("Write the mail server as smtp://host:port or smtps://user@host.");
    }

    private string? ReadPassword()
    {
        if (SmtpPasswordFile is null)
            return Environment.GetEnvironmentVariable(PasswordVariable) is { Length: > 0 } set ? set : null;
        try
        {
            return File.ReadAllText(SmtpPasswordFile).TrimEnd('\r', '\n');
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new RunOptionsException($"The password of the mail server cannot be read: {e.Message}");
        }
    }

    private string? ReadAddress()
    {
        if (Address is null)
            return null;
        if (Uri.TryCreate(Address, UriKind.Absolute, out var uri) && uri.Scheme is "http" or "https")
            return Address.TrimEnd('/');
        throw new RunOptionsException($"“{Address}” is no address. Write it as https://kumiko.example.");
    }

    private TlsCertificate? ReadCertificate()
    {
        if (TlsCertificate is null)
            return TlsKey is null ? null : throw new RunOptionsException("Give the certificate too, with --tls-cert.");
        try
        {
            return new TlsCertificate(TlsCertificate, TlsKey);
        }
        catch (Exception e) when (e is CryptographicException or IOException or UnauthorizedAccessException or ArgumentException)
        {
            throw new RunOptionsException(
                $"The certificate for TLS cannot be read: {e.Message} Give both in PEM, with --tls-cert and --tls-key."
            );
        }
    }

    private long? ReadSize()
    {
        if (KeepSize is null)
            return null;
        if (Quantities.TryParseSize(KeepSize, out var most) && most > 0)
            return most;
        throw new RunOptionsException($"“{KeepSize}” is no size. Write it as 50GB or 500MiB.");
    }

    private static long? Age(string? text)
    {
        if (text is null)
            return null;
        if (Quantities.TryParseDuration(text, out var duration) && duration > 0)
            return duration;
        throw new RunOptionsException($"“{text}” is no time to keep records or levels. Write it as 30d or 12h.");
    }

    private static IPNetwork Network(string text)
    {
        if (IPNetwork.TryParse(text, out var network))
            return network;
        if (IPAddress.TryParse(text, out var one))
            return new IPNetwork(one, one.GetAddressBytes().Length * 8);
        throw new RunOptionsException($"“{text}” is no network. Write it as 10.1.0.0/16.");
    }
}

/// <summary>An option cannot be; the message is for the person who typed it.</summary>
public sealed class RunOptionsException(string message) : Exception(message);
