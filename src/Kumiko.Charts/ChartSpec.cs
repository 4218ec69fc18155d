using System.Text.Json;
using System.Text.Json.Serialization;
using NodaTime;

namespace Kumiko.Charts;

public enum Side
{
    Left,
    Right,
}

public enum ScaleKind
{
    Linear,
    Logarithmic,
}

/// <summary>How the steps of a series become one figure.</summary>
public enum Reduction
{
    Last,
    Mean,
    Min,
    Max,
    Sum,
}

/// <summary>Which series are drawn where there are more than fit.</summary>
public enum Choice
{
    HighestTotal,
    HighestPeak,
    HighestLast,
    LowestTotal,
}

/// <summary>How a line with more points than pixels is thinned.</summary>
public enum Thinning
{
    /// <summary>The lowest and the highest point of each pixel stay.</summary>
    Extremes,

    /// <summary>The points that span the largest triangles with their neighbours: Steinarsson, Downsampling Time Series for
    /// Visual Representation, 2013.</summary>
    Triangles,
}

/// <summary>A value axis.</summary>
/// <param name="Zero">Whether it begins at zero; null where the form decides.</param>
/// <param name="Unit">As UCUM spells it; null for that of the column.</param>
/// <param name="Decimals">Of figures; null for as many as tell something.</param>
public sealed record AxisSpec(
    string Title = "",
    ScaleKind Scale = ScaleKind.Linear,
    double? Min = null,
    double? Max = null,
    bool? Zero = null,
    string? Unit = null,
    int? Decimals = null
);

/// <summary>How one column of figures is drawn where it differs from the rest.</summary>
/// <param name="Form">Of those over time; null for the chart's.</param>
public sealed record LayerSpec(string Column, ChartForm? Form = null, Side Side = Side.Left, bool Hidden = false)
{
    /// <summary>One of the ten colours; null for the one that the name has.</summary>
    public int? Slot { get; init; }

    /// <summary>How its line is drawn; null for the one of its colour.</summary>
    public Stroke? Stroke { get; init; }

    /// <summary>As UCUM spells it; null for that of the axis, or the column.</summary>
    public string? Unit { get; init; }

    /// <summary>Of figures; null for those of the axis.</summary>
    public int? Decimals { get; init; }

    /// <summary>The column in which the shaded range ends that begins at this one; null where it is a line.</summary>
    public string? Until { get; init; }

    /// <summary>The column that it only stands behind for comparison, thin and pale, in that one's colour; for a range the column
    /// around which it lies.</summary>
    public string? GhostOf { get; init; }

    /// <summary>What it is called instead of its column.</summary>
    public string? Label { get; init; }
}

/// <summary>How a line is drawn.</summary>
public enum Stroke
{
    Whole,
    Dashed,
    Dotted,
}

/// <summary>Something at one moment that is laid over a chart.</summary>
/// <param name="Kind">change or pin.</param>
public sealed record ChartEvent(long Time, string Label, string Kind = "change");

/// <summary>Something that lasts, such as an alert, laid over a chart as a bar at its head.</summary>
/// <param name="Level">critical, warning or plain.</param>
public sealed record ChartSpan(long From, long To, string Label, string Level = "plain");

/// <summary>Counts by step that stand behind a chart as pale columns at its foot.</summary>
public sealed record ChartCounts(IReadOnlyList<(long Time, double Count)> Steps, string Label);

/// <summary>What is laid over a chart over time.</summary>
public sealed record ChartOver
{
    public IReadOnlyList<ChartEvent> Events { get; init; } = [];
    public IReadOnlyList<ChartSpan> Spans { get; init; } = [];
    public ChartCounts? Counts { get; init; }
}

/// <summary>A level drawn across a chart, such as a rule's limit.</summary>
/// <param name="Level">critical, warning, well or plain.</param>
public sealed record Threshold(double Value, string Label, string Level = "plain", Side Side = Side.Left)
{
    /// <summary>The name under which the page may move it up and down; null where it stays.</summary>
    public string? Handle { get; init; }
}

/// <summary>A range of values that is shaded.</summary>
public sealed record ValueBand(double From, double To, string Label, string Level = "well", Side Side = Side.Left);

/// <summary>How a frame is shown; kept as JSON.</summary>
public sealed record ChartSpec
{
    /// <summary>The version that this code writes and reads.</summary>
    public const int Newest = 1;

    [JsonIgnore(Condition = JsonIgnoreCondition.Never)]
    public int Version { get; init; } = Newest;

    /// <summary>Null for the one that the frame's shape suggests.</summary>
    public ChartForm? Form { get; init; }
    public string Title { get; init; } = "";
    public AxisSpec Left { get; init; } = new();
    public AxisSpec Right { get; init; } = new();
    public IReadOnlyList<LayerSpec> Layers { get; init; } = [];
    public IReadOnlyList<Threshold> Thresholds { get; init; } = [];
    public IReadOnlyList<ValueBand> Bands { get; init; } = [];

    /// <summary>A key of which each value has a chart of its own.</summary>
    public string? MultiplesBy { get; init; }

    /// <summary>Whether small multiples have one value axis.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.Never)]
    public bool SharedScale { get; init; } = true;

    /// <summary>The most series that are drawn; bars and rankings show all that fit and scroll.</summary>
    public int Most { get; init; } = 10;
    public Choice Choice { get; init; }
    public Reduction Reduce { get; init; }

    /// <summary>Whether dots of a scatter are the darker the later they are.</summary>
    public bool ShadeByTime { get; init; }
    public Thinning Thinning { get; init; }

    /// <summary>Whether nights and weekends are shaded.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.Never)]
    public bool Nights { get; init; } = true;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false) },
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
    };

    public string ToJson() => JsonSerializer.Serialize(this, Json);

    /// <summary>Reads what <see cref="ToJson"/> wrote; null where it cannot be, with the reason.</summary>
    public static ChartSpec? FromJson(string text, out string? problem)
    {
        problem = null;
        try
        {
            var spec = JsonSerializer.Deserialize<ChartSpec>(text, Json);
            if (spec is null)
                problem = "There is no specification.";
            else if (spec.Version > Newest)
                problem =
                    $"The specification has version {spec.Version}; {Newest} is known. Open it with the newer Kumiko that wrote it.";
            else if (spec.Most is < 1 or > 500)
                problem = "most must lie between 1 and 500.";
            return problem is null ? spec : null;
        }
        catch (JsonException e)
        {
            problem = $"The specification cannot be read: {e.Path} {e.Message.Split(". Path")[0]}";
            return null;
        }
    }
}

/// <summary>Where and when a chart is looked at.</summary>
/// <param name="Now">The present: steps that reach beyond it are unfinished.</param>
public sealed record ChartView(double Width, double Height, DateTimeZone Zone, long Now)
{
    /// <summary>Whether title and legend are part of the picture, as one that leaves the page needs them.</summary>
    public bool Alone { get; init; }

    /// <summary>The stretch that figures are for, where more than it is drawn; the rest is muted.</summary>
    public Kumiko.Core.Frames.Window? Focus { get; init; }

    /// <summary>What is laid over; null for nothing.</summary>
    public ChartOver? Over { get; init; }
}
