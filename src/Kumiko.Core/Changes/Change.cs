namespace Kumiko.Core.Changes;

/// <summary>Something that somebody did: what was changed, where, from what to what.</summary>
/// <param name="Key">Tells one told twice from two.</param>
/// <param name="At">UTC nanoseconds.</param>
public sealed record Change(string Key, long At, string What, string Place, string From, string To, string Who)
{
    /// <summary>The source of what people write down themselves.</summary>
    public const string ByPeople = "written down";

    public const int LongestText = 500;

    /// <summary>Such as deploy, flag, config, restart; empty where it is not said.</summary>
    public string Kind { get; init; } = "";

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
        return new[] { What, Place, From, To, Who, Kind, Key }.Any(t => t.Length > LongestText)
            ? $"A part of a change can have {LongestText} characters."
            : null;
    }
}
