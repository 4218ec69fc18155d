using Kumiko.Worlds.Topologies;

namespace Kumiko.Demo.World;

/// <summary>The made-up island ferry line: its terminals, vessels, services and hosts.</summary>
public static class SkerryLine
{
    public static readonly string[] Terminals =
    [
        "Hollin",
        "Stennet",
        "Marrowick",
        "Tarnhead",
        "Lindle",
        "Ferrin",
        "Orra",
        "Duskey",
    ];
    public static readonly string[] Vessels = ["Merganser", "Whimbrel", "Turnstone", "Dunlin", "Sanderling"];

    /// <summary>The timetable of a day: route and departure, in minutes after midnight.</summary>
    public static readonly (string Name, int Departs)[] Timetable =
    [
        .. new[]
        {
            "SM-0600",
            "FO-0655",
            "HS-0710",
            "MT-0740",
            "TL-0820",
            "OD-0930",
            "DH-1115",
            "SM-1240",
            "HS-1410",
            "DH-1540",
            "FO-1635",
            "HS-1725",
            "MT-1750",
            "TL-1810",
            "OD-1905",
            "SM-2010",
        }.Select(name =>
            (
                name,
                (int.Parse(name.AsSpan(3, 2), System.Globalization.CultureInfo.InvariantCulture) * 60)
                    + int.Parse(name.AsSpan(5), System.Globalization.CultureInfo.InvariantCulture)
            )
        ),
    ];

    /// <summary>A sailing that people deal with at a time: mostly one of the next few, at times a later one.</summary>
    public static string SailingNear(DateTimeOffset time, Random random)
    {
        var minute = (int)time.TimeOfDay.TotalMinutes;
        var next = Array.FindIndex(Timetable, s => s.Departs >= minute);
        var ahead = Math.Min(random.Next(8), random.Next(8));
        return Timetable[(Math.Max(0, next) + ahead) % Timetable.Length].Name;
    }

    /// <summary>Rehearsal hosts are where changes are tried first.</summary>
    public static string EnvironmentOf(string host) =>
        host.EndsWith("-r1", StringComparison.Ordinal) ? "rehearsal" : "production";

    /// <summary>What runs where, and who calls whom.</summary>
    public static readonly Topology Topology = TopologyFile.Named("skerry-line");

    /// <summary>The hosts of each service.</summary>
    public static readonly IReadOnlyDictionary<string, string[]> Hosts = Topology
        .Services.Where(s => s.Kind == PartyKind.Service)
        .ToDictionary(s => s.Name, s => s.Hosts.Select(h => h.Name).ToArray());

    /// <summary>The bridges of the quay radio: devices rather than services, whose messages are syslog.</summary>
    public const string RadioService = "quay-radio";

    public static readonly string[] Radios = ["radio-hollin", "radio-orra", "radio-tarnhead"];

    /// <summary>Which terminals each gate controller serves.</summary>
    public static readonly IReadOnlyDictionary<string, string[]> GateTerminals = new Dictionary<string, string[]>
    {
        ["gate-h1"] = ["Hollin", "Stennet"],
        ["gate-m1"] = ["Marrowick", "Lindle"],
        ["gate-o1"] = ["Orra", "Ferrin", "Duskey"],
        ["gate-t1"] = ["Tarnhead"],
        ["gate-t2"] = ["Tarnhead"],
        ["gate-t3"] = ["Tarnhead"],
    };

    /// <summary>The people who have accounts, with their roles.</summary>
    public static readonly (string Name, string Email, Core.Accounts.Role Role)[] People =
    [
        ("Ines Halloran", "ines@skerryline.example", Core.Accounts.Role.Analyst),
        ("Tomas Verrall", "tomas@skerryline.example", Core.Accounts.Role.Analyst),
        ("Oluchi Brandt", "oluchi@skerryline.example", Core.Accounts.Role.Analyst),
        ("Mirek Dane", "mirek@skerryline.example", Core.Accounts.Role.Administrator),
        ("Sunniva Aske", "sunniva@skerryline.example", Core.Accounts.Role.Viewer),
    ];

    /// <summary>
    /// How busy the line is at a time of day, 1 on average over a day: two peaks around the morning and the
    /// evening sailings, quiet nights, fuller weekends, slowly more towards the holidays.
    /// </summary>
    public static double Busy(DateTimeOffset time)
    {
        var hour = time.TimeOfDay.TotalHours;
        var peaks = Bell(hour, 7.6, 1.3) * 1.45 + Bell(hour, 17.7, 1.6) * 1.6;
        var day = Bell(hour, 13, 4.6) * 0.8;
        var weekend = time.DayOfWeek is DayOfWeek.Saturday or DayOfWeek.Sunday ? 1.2 : 1;
        // From the year's quiet months towards the holidays.
        var holidays =
            1
            + (0.15 * Math.Cos((time.DayOfYear - 355) / 365.0 * 2 * Math.PI))
            + (0.004 * Math.Max(0, 28 - Math.Abs(time.DayOfYear - 355)));
        return (0.17 + peaks + day) * weekend * holidays * 0.85;
    }

    /// <summary>The height of the tide in metres, with its season of 12.4 hours.</summary>
    public static double Tide(DateTimeOffset time, int station) =>
        2.3 + (1.7 * Math.Sin((time.ToUnixTimeSeconds() / 3600.0 / 12.4 * 2 * Math.PI) + (station * 0.4)));

    private static double Bell(double hour, double middle, double width) =>
        Math.Exp(-(hour - middle) * (hour - middle) / (2 * width * width));
}
