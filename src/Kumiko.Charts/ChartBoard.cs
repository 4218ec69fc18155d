using System.Text.Json;
using System.Text.Json.Serialization;
using Kumiko.Core.Language;
using Kumiko.Core.Workbench;

namespace Kumiko.Charts;

/// <summary>A named series with its looks.</summary>
public sealed record BoardSeries(string Name, string Text = "")
{
    public PeersOf? Peers { get; init; }
    public EarlierOf? Earlier { get; init; }
    public bool Hidden { get; init; }

    /// <summary>One of the ten colours; null for the one that its name has.</summary>
    public int? Slot { get; init; }
    public ChartForm? Form { get; init; }
    public Side Side { get; init; }
    public Stroke? Stroke { get; init; }
    public string? Unit { get; init; }
    public int? Decimals { get; init; }

    [JsonIgnore]
    public NamedSeries Series => new(Name, Text) { Peers = Peers, Earlier = Earlier };

    /// <summary>What it is, in words or as it was typed.</summary>
    [JsonIgnore]
    public string InWords =>
        this switch
        {
            { Peers: { } p } =>
                $"{p.Own} beside {p.Of} of every other {p.Key}: {(p.Median ? "median" : "mean")}, and where 10 to 90 % lie",
            { Earlier: { Copies: 1 } e } => $"{e.Of}, {e.By} earlier",
            { Earlier: { } e } => $"{e.Of}, {e.Copies} times {e.By} earlier: mean, lowest to highest",
            _ => Text,
        };
}

/// <summary>A moment that somebody marked.</summary>
/// <param name="At">UTC nanoseconds.</param>
public sealed record BoardPin(long At, string Text);

/// <summary>A chart as people make and keep it: named series with their looks, a form, and what is laid over. Kept as
/// JSON.</summary>
public sealed record ChartBoard
{
    public const int Newest = 1;
    public const int MostPins = 20;
    public const int LongestTitle = 120;

    /// <summary>How a change is told where nothing else is chosen.</summary>
    public const string UsualChangeText = "{what} {from} → {to}, by {who}";

    [JsonIgnore(Condition = JsonIgnoreCondition.Never)]
    public int Version { get; init; } = Newest;
    public string Title { get; init; } = "";
    public IReadOnlyList<BoardSeries> Series { get; init; } = [];

    /// <summary>Of the chart; series over time may have forms of their own.</summary>
    [JsonIgnore]
    public ChartForm Form { get; init; } = ChartForms.Line;

    // Lines are not written down: that would only make addresses longer.
    [JsonPropertyName("form")]
    public ChartForm? WrittenForm
    {
        get => Form == ChartForms.Line ? null : Form;
        init => Form = value ?? ChartForms.Line;
    }
    public string? MultiplesBy { get; init; }

    /// <summary>Whether small multiples have a scale each.</summary>
    public bool OwnScales { get; init; }
    public AxisSpec Left { get; init; } = new();
    public AxisSpec Right { get; init; } = new();
    public Reduction Reduce { get; init; }
    public Choice Choice { get; init; }

    /// <summary>The most series that are drawn; 0 for the usual number.</summary>
    public int Most { get; init; }

    public bool HidesBaseline { get; init; }
    public bool HidesChanges { get; init; }
    public bool HidesAlerts { get; init; }

    /// <summary>Whether only the focus is drawn, without what is around it.</summary>
    public bool HidesAround { get; init; }

    /// <summary>Whether the limits of rules on the same records are drawn.</summary>
    public bool ShowsLimits { get; init; }

    /// <summary>Records that are counted behind the lines; empty for none.</summary>
    public string Records { get; init; } = "";

    /// <summary>How changes are told: {what} {where} {from} {to} {who} {kind}.</summary>
    public string ChangeText { get; init; } = "";
    public IReadOnlyList<BoardPin> Pins { get; init; } = [];

    /// <summary>The series that are drawn at most.</summary>
    [JsonIgnore]
    public int MostDrawn => Most is > 0 and <= 500 ? Most : 20;

    /// <summary>With all texts of its series put right that can be without a person; null where there is none.</summary>
    [JsonIgnore]
    public ChartBoard? Mended
    {
        get
        {
            var mended = this with
            {
                Records = QueryParser.Parse(Records).Mended ?? Records,
                Series = [.. Series.Select(s => QueryParser.Parse(s.Text).Mended is { } text ? s with { Text = text } : s)],
            };
            return mended.Records == Records && mended.Series.SequenceEqual(Series) ? null : mended;
        }
    }

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false) },
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        TypeInfoResolver = new System.Text.Json.Serialization.Metadata.DefaultJsonTypeInfoResolver
        {
            Modifiers = { LeaveOutEmpty },
        },
    };

    /// <summary>Empty lists, texts and axes that say nothing would only make addresses longer.</summary>
    private static void LeaveOutEmpty(System.Text.Json.Serialization.Metadata.JsonTypeInfo type)
    {
        foreach (var property in type.Properties)
            if (property.PropertyType == typeof(string))
                property.ShouldSerialize = static (_, value) => value is string { Length: > 0 };
            else if (property.PropertyType == typeof(AxisSpec))
                property.ShouldSerialize = static (_, value) => !new AxisSpec().Equals(value);
            else if (
                typeof(System.Collections.ICollection).IsAssignableFrom(property.PropertyType)
                || property.PropertyType.Name.StartsWith("IReadOnlyList", StringComparison.Ordinal)
            )
                property.ShouldSerialize = static (_, value) => value is System.Collections.ICollection { Count: > 0 };
    }

    public string ToJson() => JsonSerializer.Serialize(this, Json);

    /// <summary>Reads what <see cref="ToJson"/> wrote; null where it cannot be, with the reason.</summary>
    public static ChartBoard? FromJson(string text, out string? problem)
    {
        problem = null;
        try
        {
            var board = JsonSerializer.Deserialize<ChartBoard>(text, Json);
            problem = board is null ? "There is no chart in it." : board.Fault();
            return problem is null ? board : null;
        }
        catch (JsonException e)
        {
            problem = $"The chart cannot be read: {e.Path} {e.Message.Split(". Path")[0]}";
            return null;
        }
    }

    /// <summary>What is wrong with it, in a sentence; null for nothing.</summary>
    public string? Fault()
    {
        if (Version > Newest)
            return $"The chart has version {Version}; {Newest} is known. Open it with the newer Kumiko that wrote it.";
        // What a hostile address left out is not there.
        if (
            Title is null
            || Series is null
            || Pins is null
            || Left?.Title is null
            || Right?.Title is null
            || Records is null
            || ChangeText is null
            || Pins.Any(p => p?.Text is null)
            || Series.Any(s =>
                s?.Name is null
                || s.Text is null
                || s.Peers is { Of: null } or { Key: null } or { Own: null }
                || s.Earlier is { Of: null } or { By: null }
            )
        )
            return "The chart cannot be read: a part of it is null.";
        if (Series.Count > SeriesBoard.Most)
            return $"A chart can have {SeriesBoard.Most} series.";
        if (Pins.Count > MostPins)
            return $"A chart can have {MostPins} pins.";
        foreach (var series in Series)
            if (NameFault(series.Name) is { } fault)
                return fault;
        return Series.GroupBy(s => s.Name, StringComparer.Ordinal).FirstOrDefault(g => g.Count() > 1) is { } twice
            ? $"Two series are called {twice.Key}. Give one another name."
            : null;
    }

    /// <summary>Why a series cannot be called so; null where it can.</summary>
    public static string? NameFault(string name)
    {
        if (
            name.Length is > 0 and <= 40
            && (char.IsAsciiLetter(name[0]) || name[0] == '_')
            && name.All(c => char.IsAsciiLetterOrDigit(c) || c == '_')
        )
        {
            if (SeriesFormula.Read(name, [name], out _) is null)
                return $"“{name}” is a word of the language, so no formula could call it. Choose another name.";
            return null;
        }

        return $"“{(name.Length > 40 ? name[..40] + "…" : name)}” is no name for a series. Use up to 40 letters, digits and _, beginning with a letter.";
    }

    /// <summary>A name that no series has yet.</summary>
    public string FreeName(string like)
    {
        var name = like;
        for (var n = 2; Series.Any(s => s.Name == name); n++)
            name = like + n.ToString(System.Globalization.CultureInfo.InvariantCulture);
        return name;
    }

    /// <summary>With one series put in the place of the one of a name; with another name, formulas over it follow.</summary>
    public ChartBoard With(string name, BoardSeries series) =>
        this with
        {
            Series =
            [
                .. Series.Select(s =>
                {
                    if (s.Name == name)
                        return series;
                    if (series.Name == name)
                        return s;
                    return Renamed(s, name, series.Name);
                }),
            ],
        };

    private static BoardSeries Renamed(BoardSeries series, string from, string to) =>
        series with
        {
            Text = SeriesFormula.Renamed(series.Text, from, to),
            Peers = series.Peers is { } p && p.Of == from ? p with { Of = to } : series.Peers,
            Earlier = series.Earlier is { } e && e.Of == from ? e with { Of = to } : series.Earlier,
        };
}
