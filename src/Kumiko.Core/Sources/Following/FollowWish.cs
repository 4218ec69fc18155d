using Kumiko.Core.Intake.Formats;

namespace Kumiko.Core.Sources.Following;

/// <summary>Files that are to be read as they grow.</summary>
/// <param name="Path">Whole, from the root; names in it may have * and ?.</param>
/// <param name="Source">The name their records come under.</param>
/// <param name="Settings">How they are read; null until it was told from the first lines.</param>
public sealed record FollowWish(long Id, string Path, string Source, FormatSettings? Settings, string Author, long Created)
{
    public const int LongestPath = 1_000;

    /// <summary>What a person has to change about it; null when it is good.</summary>
    public string? Problem()
    {
        if (Path.Length is 0 or > LongestPath || !System.IO.Path.IsPathFullyQualified(Path) || Path.Any(char.IsControl))
            return "Write the whole path of a file, from the root, such as /var/log/ferry/*.log.";
        if (Path.EndsWith('/') || System.IO.Path.GetFileName(Path).Length == 0)
            return "This is a folder. Write which of its files, such as *.log.";
        if (Source.Length is 0 or > 100 || Source.Any(char.IsControl))
            return "Name the source with 1 to 100 characters.";
        return null;
    }
}

/// <summary>How a followed file is doing.</summary>
/// <param name="Place">How far it was read.</param>
/// <param name="Length">Its bytes.</param>
/// <param name="PerMinute">Records of the last minute.</param>
/// <param name="LastLine">The beginning of the last record.</param>
/// <param name="Problem">Why it cannot be read; null for nothing.</param>
public sealed record FollowedFile(
    long Follow,
    string Path,
    Storage.FollowedPlace? Place,
    long Length,
    long PerMinute,
    string LastLine,
    string? Problem
)
{
    /// <summary>Bytes that are still to be read.</summary>
    public long Backlog => Math.Max(0, Length - (Place?.Offset ?? 0));
}
