using System.Globalization;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;

namespace Kumiko.Web.Rendering.Notifications;

/// <summary>What the form of a channel holds, as it was typed.</summary>
public sealed class ChannelForm
{
    public string? Kind { get; set; }
    public string? Name { get; set; }
    public string? To { get; set; }
    public string? Host { get; set; }
    public string? Port { get; set; }
    public string? Security { get; set; } = "starttls";
    public string? User { get; set; }
    public string? From { get; set; }
    public string? Url { get; set; }
    public string? Headers { get; set; }
    public string? Transport { get; set; } = "udp";
    public string? Facility { get; set; } = "16";
    public string? File { get; set; }
    public string? Arguments { get; set; }
    public string? Seconds { get; set; } = "10";

    /// <summary>A new secret; empty to leave the one that is there.</summary>
    public string? Secret { get; set; }
    public bool ForgetSecret { get; set; }
    public string? Template { get; set; }
    public string? Most { get; set; } = "6";
    public string? Per { get; set; } = "10m";
    public string? By { get; set; } = "Rule";
    public string? Gather { get; set; } = "1m";
    public string? Digest { get; set; } = "0s";
    public bool CriticalAtOnce { get; set; } = true;

    public static readonly IReadOnlyList<(string Kind, string Words)> Kinds =
    [
        ("mail", "mail"),
        ("webhook", "webhook"),
        ("syslog", "syslog"),
        ("trap", "SNMP trap"),
        ("script", "script"),
    ];

    public static readonly IReadOnlyList<(string Value, string Words)> Digests =
    [
        ("0s", "at once"),
        ("15m", "every 15 min"),
        ("1h", "every hour"),
        ("4h", "every 4 h"),
        ("1d", "once a day"),
    ];

    public static readonly IReadOnlyList<(string Value, string Words)> Bundlings =
    [
        ("Rule", "of one rule"),
        ("Label", "of one label"),
        ("Team", "of one team"),
        ("Everything", "of any rule"),
    ];

    public static ChannelForm Of(Channel channel)
    {
        var form = new ChannelForm
        {
            Kind = channel.Settings.Kind,
            Name = channel.Name,
            Template = channel.Template,
            Most = channel.Quiet.Most.ToString(CultureInfo.InvariantCulture),
            Per = Quantities.Duration(channel.Quiet.Per),
            By = channel.Quiet.By.ToString(),
            Gather = Quantities.Duration(channel.Quiet.Gather),
            Digest = Quantities.Duration(channel.Quiet.Digest),
            CriticalAtOnce = channel.Quiet.CriticalAtOnce,
        };
        string N(int number) => number > 0 ? number.ToString(CultureInfo.InvariantCulture) : "";
        switch (channel.Settings)
        {
            case MailSettings mail:
                (form.To, form.Host, form.Port, form.Security, form.User, form.From) = (
                    string.Join(", ", mail.To),
                    mail.Host,
                    N(mail.Port),
                    mail.Security,
                    mail.User,
                    mail.From
                );
                break;
            case WebhookSettings hook:
                form.Url = hook.Url;
                break;
            case SyslogSettings syslog:
                (form.Host, form.Port, form.Transport, form.Facility) = (
                    syslog.Host,
                    N(syslog.Port),
                    syslog.Transport,
                    syslog.Facility.ToString(CultureInfo.InvariantCulture)
                );
                break;
            case TrapSettings trap:
                (form.Host, form.Port) = (trap.Host, N(trap.Port));
                break;
            case ScriptSettings script:
                (form.File, form.Arguments, form.Seconds) = (script.File, string.Join("\n", script.Arguments), N(script.Seconds));
                break;
        }
        return form;
    }

    /// <summary>The channel that is meant, and what is wrong with it, each as a sentence.</summary>
    /// <param name="before">As it is kept; null for a new one.</param>
    public (Channel Channel, IReadOnlyList<string> Faults) Read(Channel? before, long author, SecretKeeper secrets)
    {
        var faults = new List<string>();
        var name = (Name ?? "").Trim();
        if (name.Length is 0 or > 100)
            faults.Add("Give the channel a name of up to 100 characters.");
        var settings = Settings(faults);
        var template = (Template ?? "").ReplaceLineEndings("\n");
        if (template.Length > Channel.LongestTemplate)
            faults.Add("The template is too long: up to 20\u2009000 characters.");
        var quiet = new ChannelQuiet
        {
            Most = Whole(Most, 0),
            Per = Duration(Per),
            Gather = Duration(Gather),
            Digest = Duration(Digest),
            By = Enum.TryParse<Bundling>(By, out var by) && Enum.IsDefined(by) ? by : Bundling.Rule,
            CriticalAtOnce = CriticalAtOnce,
        };
        faults.AddRange(quiet.Faults());
        if ((Secret ?? "").Length > 1_000)
            faults.Add("The secret is too long.");
        // A secret stays with where it was meant for: whoever moves the channel elsewhere gives it again.
        var kept = before is not null && !ForgetSecret && before.Secret.Length > 0;
        var leavesSome =
            string.IsNullOrEmpty(Secret)
            || (before?.Settings is WebhookSettings { Headers.Count: > 0 } && string.IsNullOrWhiteSpace(Headers));
        if (kept && leavesSome && before!.Settings.GetType() == settings.GetType() && Place(before.Settings) != Place(settings))
            faults.Add($"The channel leads elsewhere now. Give the {settings.SecretName} again, or let it be forgotten.");
        string secret;
        if (!string.IsNullOrEmpty(Secret))
            secret = secrets.Lock(Secret);
        else if (kept)
            secret = before!.Secret;
        else
            secret = "";
        if (settings is WebhookSettings hook && faults.Count == 0)
        {
            // What is not typed again stays as it is kept.
            var old = kept ? WebhookSecret.Of(secrets.OpenOrNothing(before!.Secret)) : WebhookSecret.None;
            var whole = new WebhookSecret(
                string.IsNullOrEmpty(Secret) ? old.Key : Secret,
                string.IsNullOrWhiteSpace(Headers) ? old.Headers : Lines(Headers)
            );
            (settings, secret) = (hook with { Headers = whole.HeaderNames }, secrets.Lock(whole.ToText()));
        }
        return (
            new Channel
            {
                Id = before?.Id ?? 0,
                Name = name,
                Settings = settings,
                Secret = secret,
                Template = template.Trim(),
                Quiet = quiet,
                IsPaused = before?.IsPaused ?? false,
                Author = before?.Author ?? author,
            },
            faults
        );
    }

    private static string Place(ChannelSettings settings) =>
        settings switch
        {
            MailSettings mail => FormattableString.Invariant($"{mail.Host}:{mail.Port}"),
            WebhookSettings hook => Uri.TryCreate(hook.Url, UriKind.Absolute, out var url)
                ? url.GetLeftPart(UriPartial.Authority)
                : hook.Url,
            TrapSettings trap => FormattableString.Invariant($"{trap.Host}:{trap.Port}"),
            _ => "",
        };

    private ChannelSettings Settings(List<string> faults)
    {
        switch (Kind)
        {
            case "webhook":
                var url = (Url ?? "").Trim();
                if (WebhookSender.AddressFault(url) is { } wrong)
                    faults.Add(wrong);
                faults.AddRange(Lines(Headers).Select(WebhookSender.HeaderFault).OfType<string>().Distinct());
                return new WebhookSettings(url, []);
            case "syslog":
                if (Whole(Facility, -1) is < 0 or > 23)
                    faults.Add("A facility is a number from 0 to 23.");
                return new SyslogSettings(
                    HostOf(faults),
                    PortOf(faults, Transport == "tls" ? 6514 : 514),
                    Transport is "tcp" or "tls" ? Transport : "udp",
                    Whole(Facility, 16)
                );
            case "trap":
                return new TrapSettings(HostOf(faults), PortOf(faults, 162));
            case "script":
                var file = (File ?? "").Trim();
                if (file.Length == 0 || file != Path.GetFileName(file))
                    faults.Add("Choose a script of the folder for scripts.");
                var arguments = Lines(Arguments);
                if (arguments.Count > 20)
                    faults.Add("A script has up to 20 arguments.");
                if (Whole(Seconds, 0) is < 1 or > ScriptSender.LongestSeconds)
                    faults.Add("A script may take 1 to 300 seconds.");
                return new ScriptSettings(file, arguments, Whole(Seconds, 10));
            default:
                string[] to =
                [
                    .. (To ?? "").Split(
                        [',', ';', ' ', '\n'],
                        StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries
                    ),
                ];
                if (to.Length is 0 or > 20)
                    faults.Add("Give 1 to 20 mail addresses.");
                foreach (var address in to.Where(a => !MailAddresses.IsValid(a)))
                    faults.Add($"“{PlainText.Line(address, 100)}” is no mail address.");
                if (!string.IsNullOrWhiteSpace(From) && !MailAddresses.IsValid(From.Trim()))
                    faults.Add("The sender is no mail address.");
                var host = (Host ?? "").Trim();
                if (host.Length > 0 && Uri.CheckHostName(host) == UriHostNameType.Unknown)
                    faults.Add("The mail server is a name or an address, such as mail.example.org.");
                return new MailSettings(
                    to,
                    host,
                    PortOf(faults, 0),
                    Security is "tls" or "none" ? Security : "starttls",
                    (User ?? "").Trim(),
                    (From ?? "").Trim()
                );
        }
    }

    private string HostOf(List<string> faults)
    {
        var host = (Host ?? "").Trim();
        if (Uri.CheckHostName(host) == UriHostNameType.Unknown)
            faults.Add("Give the host as a name or an address.");
        return host;
    }

    private int PortOf(List<string> faults, int usual)
    {
        if (string.IsNullOrWhiteSpace(Port))
            return usual;
        var port = Whole(Port, 0);
        if (port is < 1 or > 65_535)
            faults.Add("A port is a number from 1 to 65535.");
        return port;
    }

    private static List<string> Lines(string? text) =>
        [.. (text ?? "").Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)];

    private static int Whole(string? text, int otherwise) =>
        int.TryParse((text ?? "").Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : otherwise;

    private static long Duration(string? text)
    {
        if (text?.Trim() is "" or "0" or null)
            return 0;
        if (Quantities.TryParseDuration(text.Trim(), out var duration))
            return duration;
        return -1;
    }
}
