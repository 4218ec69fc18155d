using System.Text.Json;
using System.Text.Json.Serialization;

namespace Kumiko.Web.Delivery.Messages;

/// <summary>
/// All that a message can tell. As JSON it is what webhooks get; templates call its parts by the same names, such as
/// <c>{{ sentence }}</c> or <c>{{ keys.terminal }}</c>.
/// </summary>
public sealed record MessageFields
{
    /// <summary>started, rose, ended, escalated, failed, result, digest or test.</summary>
    public string Event { get; init; } = "";

    /// <summary>none, warning or critical.</summary>
    public string Level { get; init; } = "none";
    public string Subject { get; init; } = "";

    /// <summary>All in one sentence.</summary>
    public string Sentence { get; init; } = "";
    public string Rule { get; init; } = "";

    /// <summary>The keys together, for people.</summary>
    public string Where { get; init; } = "";
    public IReadOnlyDictionary<string, string> Keys { get; init; } = new Dictionary<string, string>();

    /// <summary>Instants as ISO; the texts in the rule's zone.</summary>
    public string Since { get; init; } = "";
    public string SinceText { get; init; } = "";
    public string? Ended { get; init; }
    public string? Reason { get; init; }
    public double? Figure { get; init; }
    public string FigureText { get; init; } = "";
    public string LimitText { get; init; } = "";

    /// <summary>What the figure is, as the rule's sentence says it.</summary>
    public string RuleSentence { get; init; } = "";
    public IReadOnlyList<string> Labels { get; init; } = [];
    public string Team { get; init; } = "";
    public string Owner { get; init; } = "";
    public string Note { get; init; } = "";
    public string FirstStep { get; init; } = "";
    public IReadOnlyList<DifferenceFields> Differences { get; init; } = [];
    public string DifferencesText { get; init; } = "";
    public IReadOnlyList<string> Changes { get; init; } = [];
    public FollowUpFields? FollowUp { get; init; }

    /// <summary>The alert's page, its records in Search, and the signed link that acknowledges once.</summary>
    public string Link { get; init; } = "";
    public string Search { get; init; } = "";
    public string Acknowledge { get; init; } = "";

    /// <summary>Of a digest: how many tellings, by rule, and the worst of them.</summary>
    public long Count { get; init; } = 1;
    public IReadOnlyList<RuleFields> Rules { get; init; } = [];
    public IReadOnlyList<ItemFields> Alerts { get; init; } = [];

    /// <summary>Of a check's result: all keys, good ones too.</summary>
    public IReadOnlyList<ResultFields> Results { get; init; } = [];

    /// <summary>What else is to be known of this message: that more waits, that its template is broken.</summary>
    public string Remark { get; init; } = "";

    private static readonly JsonSerializerOptions Options = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.SnakeCaseLower,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        WriteIndented = true,
    };

    public string ToJson() => JsonSerializer.Serialize(this, Options);

    /// <summary>The same as nested dictionaries and lists, for templates.</summary>
    public IReadOnlyDictionary<string, object?> ToObjects() =>
        (IReadOnlyDictionary<string, object?>)Objects(JsonSerializer.SerializeToElement(this, Options))!;

    private static object? Objects(JsonElement element) =>
        element.ValueKind switch
        {
            JsonValueKind.Object => element
                .EnumerateObject()
                .ToDictionary(p => p.Name, p => Objects(p.Value), StringComparer.Ordinal),
            JsonValueKind.Array => element.EnumerateArray().Select(Objects).ToList(),
            JsonValueKind.Number => element.GetDecimal(),
            JsonValueKind.True or JsonValueKind.False => element.GetBoolean(),
            JsonValueKind.String => element.GetString(),
            _ => null,
        };
}

/// <param name="Now">Of <paramref name="NowTotal"/> records of the focus, so many have the value; then as well.</param>
public sealed record DifferenceFields(
    string Field,
    string Value,
    long Now,
    long NowTotal,
    long Then,
    long ThenTotal,
    string Text
);

public sealed record FollowUpFields(IReadOnlyList<string> Columns, IReadOnlyList<IReadOnlyList<string>> Rows, string? Problem);

public sealed record RuleFields(string Rule, string Event, string Level, long Count);

public sealed record ItemFields(string Event, string Level, string Sentence, string Link);

public sealed record ResultFields(string Key, double? Figure, string Level);
