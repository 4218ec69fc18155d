using System.Globalization;
using Kumiko.Worlds.Disturbances;

namespace Kumiko.Demo.World;

/// <summary>What the services of Skerry Line write into their lines.</summary>
public static class Slots
{
    private static readonly string[] FirstNames =
    [
        "Ines",
        "Tomas",
        "Oluchi",
        "Mirek",
        "Sunniva",
        "Aldo",
        "Petra",
        "Juno",
        "Kasper",
        "Bram",
        "Tove",
        "Sanna",
        "Edda",
        "Ruben",
        "Livia",
        "Osk",
        "Nils",
        "Mara",
        "Yara",
        "Piet",
    ];
    private static readonly string[] LastNames =
    [
        "Halloran",
        "Verrall",
        "Brandt",
        "Dane",
        "Aske",
        "Orrey",
        "Quill",
        "Tarn",
        "Lowe",
        "Strand",
        "Maddock",
        "Fenn",
        "Grieve",
        "Holt",
        "Iversen",
    ];
    private static readonly string[] Accounts =
    [
        "ines",
        "tomas",
        "oluchi",
        "mirek",
        "sunniva",
        "aldo",
        "petra",
        "juno",
        "kasper",
        "bram",
        "tove",
        "sanna",
        "edda",
        "ruben",
        "livia",
        "orrey",
        "quill",
        "holt",
        "strand",
        "maddock",
    ];
    private static readonly string[] MailHosts = ["hollin.example", "stennet.example", "post.example", "ferrin.example"];
    private static readonly string[] Routes = ["hollin-tarnhead", "stennet-marrowick", "lindle-orra", "ferrin-duskey"];
    private static readonly string[] Agents =
    [
        "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101",
        "Mozilla/5.0 (iPhone; CPU iPhone OS 17_5 like Mac OS X)",
        "kiosk browser (Skerry Line)",
        "curl/8.5.0",
    ];

    /// <summary>The slot of a name.</summary>
    /// <exception cref="FormatException">There is none of this name.</exception>
    public static SlotValue Make(string name, string[] arguments)
    {
        double Number(int place, double otherwise) =>
            place < arguments.Length ? double.Parse(arguments[place], CultureInfo.InvariantCulture) : otherwise;
        var (first, second) = (Number(0, 1), Number(1, 100));
        return name switch
        {
            "int" => d => Draw.Text(d.Int((int)first, (int)second)),
            "float" => d => d.Between(first, second).ToString("0.00", CultureInfo.InvariantCulture),
            "hex" => d => d.Hex((int)first),
            "took" => d => Draw.Took(d.Milliseconds(first)),
            "operation" => d => d.Operation,
            "target" => d =>
                d.Operation.Replace("{sailing}", SkerryLine.SailingNear(d.Time, d.Random), StringComparison.Ordinal)
                    .Replace("{id}", Draw.Text(d.Int(100_000, 999_999)), StringComparison.Ordinal),
            "error" => d => d.Visit?.Error is { Length: > 0 } error ? error : "timeout",
            "status" => d => Draw.Text(d.Visit is { } visit ? Kumiko.Worlds.Signals.Spans.StatusOf(visit) : 500),
            "flag" => d => d.Visit?.Trace.Flag is { IsOn: true } ? "on" : "off",
            "release" => d => d.Release,
            "firmware" => d => d.Strength(1) > 0.5 && d.Host.StartsWith("gate-t", StringComparison.Ordinal) ? "7.3" : "7.2",
            "uuid" => d => $"{d.Hex(8)}-{d.Hex(4)}-4{d.Hex(3)}-a{d.Hex(3)}-{d.Hex(12)}",
            "pid" => d => Draw.Text(d.Int(300, 900)),
            "money" => d => d.Between(3.9, 98).ToString("0.00", CultureInfo.InvariantCulture),
            "address" => d => $"10.20.{d.Int(0, 9)}.{d.Int(2, 250)}",
            "client" => d => $"{d.Int(11, 190)}.{d.Int(0, 255)}.{d.Int(0, 255)}.{d.Int(1, 254)}",
            "version" => d => $"{d.Int(3, 5)}.{d.Int(0, 20)}.{d.Int(0, 9)}",
            "terminal" => d => SkerryLine.GateTerminals.TryGetValue(d.Host, out var own) ? d.Of(own) : d.Of(SkerryLine.Terminals),
            "station" => d => d.Of(SkerryLine.Terminals),
            "vessel" => d => d.Of(SkerryLine.Vessels),
            "sailing" => d => SkerryLine.SailingNear(d.Time, d.Random),
            "ticket" => d => $"SK-{d.Int(10000, 99999)}-{(char)('A' + d.Int(0, 3))}",
            "seat" => d => $"{d.Int(1, 48)}{(char)('A' + d.Int(0, 3))}",
            "plate" => d => $"SK {d.Int(100, 999)} {(char)('A' + d.Int(0, 25))}{(char)('A' + d.Int(0, 25))}",
            "person" => d => $"{d.Of(FirstNames)} {d.Of(LastNames)}",
            "account" => d => d.Of(Accounts),
            "mailhost" => d => d.Of(MailHosts),
            "code" => d => d.Of("ISLANDER", "SPRING", "CREWKIN"),
            "scheme" => d => d.Of("northcard", "tally", "skerry-pass"),
            "route" => d => d.Of(Routes),
            "page" => d =>
                d.Of("/timetable", "/sailings/" + SkerryLine.SailingNear(d.Time, d.Random), "/basket", "/account", "/fares"),
            "referrer" => d => "https://www.skerry.example" + d.Of("/", "/timetable", "/fares?class=foot"),
            "agent" => d => d.Of(Agents),
            "clf" => d => d.Time.UtcDateTime.ToString("dd/MMM/yyyy:HH:mm:ss +0000", CultureInfo.InvariantCulture),
            "date" => d => d.Time.DateTime.AddDays(d.Int(0, 30)).ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            "clock" => d => d.Time.DateTime.ToString("HH:mm", CultureInfo.InvariantCulture),
            "screen" => d => $"{d.Of(SkerryLine.Terminals).ToLowerInvariant()}-{d.Int(1, 4)}",
            "tide" => Tide,
            "disk" => d => Draw.Text((long)Math.Round(Manifest.Disk(d.Time, d.Plays) + d.Between(-0.6, 0.6))),
            "consumer" => d => d.Host,
            "queue" => d => Draw.Text((long)d.Plays.Waiting("notices", d.Time) + d.Int(0, 30)),
            "lag" => d => Draw.Text((long)(d.Plays.Waiting("notices", d.Time) / 20) + d.Int(1, 4)),
            _ => throw new FormatException($"No slot is called {name}."),
        };
    }

    private static string Tide(Draw d)
    {
        var height = SkerryLine.Tide(d.Time, d.Int(0, 7));
        // Centimetres, and nobody told those who read it.
        return (d.Strength(3) > 0.5 ? height * 100 : height).ToString("0.00", CultureInfo.InvariantCulture);
    }
}
