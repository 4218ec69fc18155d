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

    /// <summary>For each request that an operation answers.</summary>
    Done,

    /// <summary>For each that it turns down.</summary>
    Refused,

    /// <summary>For each that fails.</summary>
    Failed,

    /// <summary>For each call to a service that fails.</summary>
    Missed,

    /// <summary>When a process begins.</summary>
    Starts,
}

/// <summary>One line of code of a service: how often it writes, how grave it is, and what.</summary>
/// <param name="Id">Service and place among its lines: the truth about patterns.</param>
/// <param name="PerMinute">Mean number in a minute of average business; of a sailing, minutes after its departure; of requests,
/// how often next to other lines for the same.</param>
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
    /// <summary>Of which operation, or about which callee; a star at its end stands for anything.</summary>
    public string Of { get; init; } = "";

    /// <summary>Whether it is written of an operation or callee.</summary>
    public bool IsOf(Beat beat, string name) =>
        Beat == beat
        && (
            Of.EndsWith('*')
                ? name.StartsWith(Of[..^1], StringComparison.Ordinal)
                : string.Equals(Of, name, StringComparison.Ordinal)
        );

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
        var beat = columns[2].Split(' ', 2);
        var isSailing = beat[0] == "sail";
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
            double.Parse(isSailing ? beat[1] : columns[1], CultureInfo.InvariantCulture),
            beat[0] switch
            {
                "busy" => Beat.Busy,
                "steady" => Beat.Steady,
                "sail" => Beat.Sailing,
                "done" => Beat.Done,
                "refused" => Beat.Refused,
                "failed" => Beat.Failed,
                "missed" => Beat.Missed,
                "starts" => Beat.Starts,
                _ => throw new FormatException($"{beat[0]} is no beat, in: {line}"),
            },
            text,
            columns.Length > 4 && columns[4] == "traced",
            [.. attributes]
        )
        {
            Of = beat.Length > 1 && !isSailing ? beat[1] : "",
        };
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
