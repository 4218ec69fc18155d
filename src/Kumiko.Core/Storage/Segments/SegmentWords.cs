using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>What can be said of the words in a segment without reading its rows: variables and values by the filter, constant text by the templates.</summary>
internal sealed class SegmentWords(TokenFilter? filter, string[] constants, List<MinuteCount> counts)
{
    private const int BytesOfCount = 32;

    public int Size => (filter?.Size ?? 0) + constants.Sum(c => c.Length * 2) + (counts.Count * BytesOfCount);

    public IReadOnlyList<MinuteCount> Counts => counts;

    /// <summary>False where no value of any record is this text, in any case.</summary>
    public bool MayHaveValue(string text) => filter is null || filter.MayHold(TokenSet.Whole(text));

    /// <summary>False where some token of this text is nowhere in the segment.</summary>
    public bool MayHaveTokens(string text)
    {
        if (filter is null) return true;
        foreach (var token in TokenSet.TokenTexts(text))
            if (!filter.MayHold(TokenSet.HashOfUpper(token)) && !Array.Exists(constants, c => c.Contains(token, StringComparison.OrdinalIgnoreCase))) return false;
        return true;
    }
}
