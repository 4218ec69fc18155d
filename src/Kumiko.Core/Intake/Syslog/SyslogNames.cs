using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>What the numbers of a priority mean (RFC 5424, 6.2.1), and the severity numbers OpenTelemetry gives them.</summary>
internal static class SyslogNames
{
    public static readonly string[] Facilities =
    [
        "kern",
        "user",
        "mail",
        "daemon",
        "auth",
        "syslog",
        "lpr",
        "news",
        "uucp",
        "cron",
        "authpriv",
        "ftp",
        "ntp",
        "audit",
        "alert",
        "clock",
        "local0",
        "local1",
        "local2",
        "local3",
        "local4",
        "local5",
        "local6",
        "local7",
    ];

    public static readonly Value[] FacilityValues = [.. Facilities.Select(Value.Of)];

    /// <summary>From 0, the gravest.</summary>
    public static readonly (string Name, int Number)[] Severities =
    [
        ("emerg", 21),
        ("alert", 19),
        ("crit", 18),
        ("err", 17),
        ("warning", 13),
        ("notice", 10),
        ("info", 9),
        ("debug", 5),
    ];
}
