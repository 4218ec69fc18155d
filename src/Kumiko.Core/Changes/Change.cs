namespace Kumiko.Core.Changes;

/// <summary>Something that somebody did: what was changed, where, from what to what.</summary>
/// <param name="Key">Tells one told twice from two.</param>
/// <param name="At">UTC nanoseconds.</param>
public sealed record Change(string Key, long At, string What, string Place, string From, string To, string Who)
{
    /// <summary>The source of what people write down themselves.</summary>
    public const string ByPeople = "written down";

    public const int LongestText = 500;
    public const int MostNames = 1_000;

    /// <summary>Such as deploy, flag, config, restart; empty where it is not said.</summary>
    public string Kind { get; init; } = "";

    /// <summary>The kinds that are told apart.</summary>
    public static readonly IReadOnlyList<string> Kinds =
    [
        "deploy",
        "flag",
        "config",
        "scale",
        "restart",
        "certificate",
        "schedule",
        "other",
    ];

    /// <summary>Where, by what stands there; null while that is only told by <see cref="Place"/>.</summary>
    public ChangeScope? Scope { get; init; }

    /// <summary>What the steps of one roll-out have in common; empty for a change of one step.</summary>
    public string RollOut { get; init; } = "";

    /// <summary>Which part of what runs there has it, 0 to 1; null where it is not said.</summary>
    public double? Share { get; init; }

    public string Source { get; init; } = "";

    /// <summary>The id of the event that told it, and the source that the event names; empty for what a person wrote
    /// down.</summary>
    public string EventId { get; init; } = "";
    public string EventSource { get; init; } = "";

    /// <summary>In a few words: <c>gate firmware 7.3</c>.</summary>
    public string Short => $"{What} {To}".Trim();

    /// <summary>All of it in one line, without its time.</summary>
    public string InWords =>
        What
        + (Place.Length > 0 ? ", " + Place : "")
        + (From.Length + To.Length > 0 ? $": {(From.Length > 0 ? From + " " : "")}→ {To}" : "")
        + (Who.Length > 0 ? ", by " + Who : "");

    /// <summary>In words by a template: <c>{what} {from} → {to}, by {who}</c>. Parts that are not known are left out with what
    /// ties them to the rest.</summary>
    public string By(string template)
    {
        var text = template;
        foreach (
            var (name, value) in new[]
            {
                ("what", What),
                ("where", Place),
                ("from", From),
                ("to", To),
                ("who", Who),
                ("kind", Kind),
            }
        )
            text = text.Replace("{" + name + "}", value.Length > 0 ? value : "\u0000", StringComparison.Ordinal);
        text = text.Replace(", by \u0000", "", StringComparison.Ordinal)
            .Replace("\u0000 → ", "→ ", StringComparison.Ordinal)
            .Replace(" → \u0000", "", StringComparison.Ordinal)
            .Replace("→ \u0000", "", StringComparison.Ordinal)
            .Replace("\u0000", "", StringComparison.Ordinal);
        return text.Trim(' ', ',', ':');
    }

    /// <summary>What a person has to change about it; null when it is good.</summary>
    public string? Problem()
    {
        if (What.Trim().Length == 0)
            return "Say what was changed.";
        if (new[] { What, Place, From, To, Who, Kind, Key, RollOut }.Any(t => t.Length > LongestText))
            return $"A part of a change can have {LongestText} characters.";
        if (Share is { } share && !(share is >= 0 and <= 1))
            return "The share that has the change lies between 0 and 1, or 0 % and 100 %.";
        var names = Scope is { } s ? new[] { s.Services, s.Hosts, s.Instances, s.Places }.SelectMany(n => n).ToList() : [];
        return names.Count > MostNames || names.Exists(n => n.Length > LongestText)
            ? $"A change can name {MostNames} services, hosts, instances and places, of {LongestText} characters each."
            : null;
    }
}
