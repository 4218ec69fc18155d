using System.Globalization;
using System.Reflection;
using System.Text.RegularExpressions;

namespace Kumiko.Demo.World;

/// <summary>When a line of code writes.</summary>
public enum Beat
{
    /// <summary>More by day, most in the peaks.</summary>
    Busy,

    /// <summary>At all hours alike.</summary>
    Steady,

    /// <summary>Once for each sailing of the timetable.</summary>
    Sailing,

    /// <summary>As a step of somebody's booking.</summary>
    Journey,
}

/// <summary>One line of code of a service: how often it writes, how grave it is, and what.</summary>
/// <param name="Id">Service and place among its lines: the truth about patterns.</param>
/// <param name="PerMinute">Mean number in a minute of average business; of a sailing, minutes after its departure.</param>
/// <param name="Attributes">Their names, their text, and whether they are numbers.</param>
public sealed partial record Line(
    string Id,
    string Service,
    string Level,
    double PerMinute,
    Beat Beat,
    LineFormat Text,
    bool IsTraced,
    IReadOnlyList<(string Name, LineFormat Text, bool IsNumber)> Attributes
)
{
    /// <summary>All that the twelve services write when nothing is wrong, small troubles included.</summary>
    public static IReadOnlyList<Line> All { get; } = [.. SkerryLine.Hosts.Keys.SelectMany(Load)];

    /// <summary>What the quay radio bridges write: link and retry messages.</summary>
    public static IReadOnlyList<Line> Radio { get; } = [.. Load(SkerryLine.RadioService)];

    private static IEnumerable<Line> Load(string service)
    {
        using var stream = Assembly.GetExecutingAssembly().GetManifestResourceStream($"Kumiko.Demo.World.Lines.{service}.txt")!;
        using var reader = new StreamReader(stream);
        return
        [
            .. reader
                .ReadToEnd()
                .Split('\n', StringSplitOptions.RemoveEmptyEntries)
                .Select((line, i) => Parse(service, $"{service}:{i + 1}", line)),
        ];
    }

    /// <summary>Reads level, rate, beat, text, <c>traced</c> or <c>-</c>, and attributes, with tabs between.</summary>
    public static Line Parse(string service, string id, string line)
    {
        var columns = line.Split('\t');
        var beat = columns[2].Split(' ');
        var text = new LineFormat(columns[3], Slots.Make);
        var attributes =
            columns.Length < 6
                ? []
                : Space()
                    .Split(columns[5])
                    .Select(a => a.Split('=', 2))
                    .Select(a => (a[0], text.Beside(a[1].TrimStart('#')), a[1][0] == '#'));
        return new Line(
            id,
            service,
            columns[0],
            double.Parse(beat.Length > 1 ? beat[1] : columns[1], CultureInfo.InvariantCulture),
            beat[0] switch
            {
                "busy" => Beat.Busy,
                "steady" => Beat.Steady,
                "sail" => Beat.Sailing,
                "journey" => Beat.Journey,
                _ => throw new FormatException($"{beat[0]} is no beat, in: {line}"),
            },
            text,
            columns.Length > 4 && columns[4] == "traced",
            [.. attributes]
        );
    }

    /// <summary>One record of it.</summary>
    public SimulatedRecord Write(Draw draw, string? trace, string? span)
    {
        var values = Text.NewValues();
        var text = new System.Text.StringBuilder(160);
        Text.Write(draw, values, text);
        var body = text.ToString();
        var attributes = new (string, object)[Attributes.Count];
        for (var i = 0; i < attributes.Length; i++)
        {
            text.Clear();
            Attributes[i].Text.Write(draw, values, text);
            attributes[i] = (
                Attributes[i].Name,
                Attributes[i].IsNumber ? double.Parse(text.ToString(), CultureInfo.InvariantCulture) : text.ToString()
            );
        }
        return new SimulatedRecord(draw.Time, Service, draw.Host, Level, body, attributes, trace, span, Id);
    }

    [GeneratedRegex(@" (?=[\w.]+=)")]
    private static partial Regex Space();
}
