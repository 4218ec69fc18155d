using System.Text.Json;
using System.Text.Json.Serialization;

namespace Kumiko.Core.Rules;

/// <summary>What the checks of a rule have come to, for one key.</summary>
public sealed class KeyState
{
    public string Name { get; init; } = "";
    public IReadOnlyList<string> Keys { get; init; } = [];

    /// <summary>The first check of the present run at which there was something of the key, and the last.</summary>
    public long? FirstSeen { get; set; }
    public long? LastSeen { get; set; }

    /// <summary>What the last checks found, a digit of the level each.</summary>
    public string Marks { get; set; } = "";

    /// <summary>The highest level of the present episode; none while all is well.</summary>
    public AlertLevel Level { get; set; }

    /// <summary>What the last check came to.</summary>
    public AlertLevel Now { get; set; }
    public double Value { get; set; } = double.NaN;
    public double Compared { get; set; } = double.NaN;
    public bool HasNoData { get; set; }

    /// <summary>How bad the worst of the episode was, and the figure then.</summary>
    public double Badness { get; set; }
    public double Worst { get; set; }

    /// <summary>When the latest episodes began.</summary>
    public List<long> Starts { get; init; } = [];
    public bool IsFlapping { get; set; }

    /// <summary>Since when it has been well while it flaps.</summary>
    public long? CalmSince { get; set; }

    /// <summary>Whether a person ended the episode while it was still wrong: it does not begin anew before it was well.</summary>
    public bool IsHeld { get; set; }
}

/// <summary>What the checks of a rule have come to. Live checks keep it with the rule; a trial begins with a new one.</summary>
public sealed class EvaluationState
{
    public Dictionary<string, KeyState> Keys { get; init; } = new(StringComparer.Ordinal);

    /// <summary>Whether what came before the first check was looked at.</summary>
    public bool IsWarm { get; set; }

    /// <summary>Keys of the last check that were too many to be judged.</summary>
    public int LeftOut { get; set; }

    /// <summary>Whether the last check lay outside the hours of checking.</summary>
    public bool IsOutside { get; set; }

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        NumberHandling = JsonNumberHandling.AllowNamedFloatingPointLiterals,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    public string ToJson() => JsonSerializer.Serialize(this, Json);

    public static EvaluationState FromJson(string? json) =>
        string.IsNullOrEmpty(json)
            ? new EvaluationState()
            : JsonSerializer.Deserialize<EvaluationState>(json, Json) ?? new EvaluationState();
}
