using System.Text.Json.Serialization;
using Kumiko.Core.Records;

namespace Kumiko.Core.Delivery;

/// <summary>How a channel reaches somebody. What must stay secret is not in here.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(MailSettings), "mail")]
[JsonDerivedType(typeof(WebhookSettings), "webhook")]
[JsonDerivedType(typeof(SyslogSettings), "syslog")]
[JsonDerivedType(typeof(TrapSettings), "trap")]
[JsonDerivedType(typeof(ScriptSettings), "script")]
public abstract record ChannelSettings
{
    [JsonIgnore]
    public abstract string Kind { get; }

    /// <summary>Those that a telling goes to, each with a message of its own.</summary>
    [JsonIgnore]
    public abstract IReadOnlyList<string> Recipients { get; }

    /// <summary>What its secret is, in words; null where it needs none.</summary>
    [JsonIgnore]
    public virtual string? SecretName => null;
}

/// <summary>Mail to some addresses; by the server's own mail server, or by another.</summary>
/// <param name="Security">How TLS is used: <c>starttls</c>, <c>tls</c> from the first byte, or <c>none</c>.</param>
public sealed record MailSettings(
    IReadOnlyList<string> To,
    string Host = "",
    int Port = 0,
    string Security = "starttls",
    string User = "",
    string From = ""
) : ChannelSettings
{
    public override string Kind => "mail";
    public override IReadOnlyList<string> Recipients => To;
    public override string SecretName => "password of the mail server";
}

/// <summary>JSON by HTTP POST, signed where there is a secret.</summary>
/// <param name="Headers">Names of further headers; their values are part of the secret.</param>
public sealed record WebhookSettings(string Url, IReadOnlyList<string> Headers) : ChannelSettings
{
    public override string Kind => "webhook";

    /// <summary>The host alone: the rest of an address often lets its holder in.</summary>
    public override IReadOnlyList<string> Recipients =>
        [Uri.TryCreate(Url, UriKind.Absolute, out var url) ? url.GetLeftPart(UriPartial.Authority) : Url];
    public override string SecretName => "signing secret";
}

/// <summary>A line of RFC 5424.</summary>
/// <param name="Transport"><c>udp</c>, <c>tcp</c> or <c>tls</c>.</param>
public sealed record SyslogSettings(string Host, int Port, string Transport, int Facility = 16) : ChannelSettings
{
    public override string Kind => "syslog";
    public override IReadOnlyList<string> Recipients => [FormattableString.Invariant($"{Host}:{Port}/{Transport}")];
}

/// <summary>An SNMP v2c trap. Its secret is the community.</summary>
public sealed record TrapSettings(string Host, int Port) : ChannelSettings
{
    public override string Kind => "trap";
    public override IReadOnlyList<string> Recipients => [FormattableString.Invariant($"{Host}:{Port}")];
    public override string SecretName => "community";
}

/// <summary>A script of the allowed folder.</summary>
/// <param name="Arguments">Each is one argument; templates of their own.</param>
public sealed record ScriptSettings(string File, IReadOnlyList<string> Arguments, int Seconds = 10) : ChannelSettings
{
    public override string Kind => "script";
    public override IReadOnlyList<string> Recipients => [File];
}

/// <summary>What is told together.</summary>
public enum Bundling
{
    /// <summary>Alerts of one rule.</summary>
    Rule,
    Label,
    Team,
    Everything,
}

/// <summary>How a channel keeps floods away. The first message goes at once; what follows is gathered.</summary>
public sealed record ChannelQuiet
{
    public static readonly ChannelQuiet Default = new();

    /// <summary>At most so many messages in <see cref="Per"/>; the last of them says that more is waiting.</summary>
    public int Most { get; init; } = 6;
    public long Per { get; init; } = 10 * Instants.Minute;

    public Bundling By { get; init; } = Bundling.Rule;

    /// <summary>How long after a message the next one about the same waits, to be told together with what comes
    /// meanwhile.</summary>
    public long Gather { get; init; } = Instants.Minute;

    /// <summary>All in one message at whole multiples of this; 0 for at once.</summary>
    public long Digest { get; init; }

    /// <summary>Whether critical alerts do not wait for the digest.</summary>
    public bool CriticalAtOnce { get; init; } = true;

    /// <summary>What is wrong with it, each as a sentence.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (Most is < 1 or > 1000)
            faults.Add("Let 1 to 1000 messages through.");
        if (Per is < 10 * Instants.Second or > Instants.Day)
            faults.Add("Messages are counted over 10s to 1d.");
        if (Gather is < 0 or > Instants.Hour)
            faults.Add("Gather for up to 1h.");
        if (Digest is < 0 or > Instants.Day)
            faults.Add("A digest comes at least once a day.");
        return faults;
    }
}

/// <summary>A way to tell somebody.</summary>
public sealed record Channel
{
    public const int LongestTemplate = 20_000;

    public long Id { get; init; }
    public string Name { get; init; } = "";
    public required ChannelSettings Settings { get; init; }

    /// <summary>Encrypted; empty for none.</summary>
    public string Secret { get; init; } = "";

    /// <summary>The text of its messages; empty for the usual one.</summary>
    public string Template { get; init; } = "";
    public ChannelQuiet Quiet { get; init; } = ChannelQuiet.Default;
    public bool IsPaused { get; init; }
    public long Author { get; init; }
}
