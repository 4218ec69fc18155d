namespace Kumiko.Core.Storage;

/// <summary>How long records are kept. Whole segments go: by the later of their last time and their last observed time.</summary>
/// <param name="Age">Nanoseconds; null keeps for ever.</param>
/// <param name="Bytes">Of segments on disk; the oldest go beyond it. Null for any.</param>
/// <param name="Sources">Sources with an age of their own. Their records share no segment with others.</param>
public sealed record Retention(long? Age = null, long? Bytes = null, IReadOnlyDictionary<string, long>? Sources = null)
{
    public static readonly Retention None = new();

    public long? AgeOf(string? source) => source is not null && Sources?.TryGetValue(source, out var own) == true ? own : Age;

    /// <summary>Whether records of this source may lie in a segment with those of others.</summary>
    public bool MayShare(string source) => Sources?.ContainsKey(source) != true;
}
