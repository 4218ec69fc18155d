using Kumiko.Core.Intake.Formats;

namespace Kumiko.Core.Sources.Imports;

/// <summary>Where an import is.</summary>
public enum ImportState
{
    /// <summary>Its files are there, and somebody looks at how they will be read.</summary>
    Draft,
    Running,
    Done,

    /// <summary>Somebody stopped it; what was in by then stays.</summary>
    Stopped,

    /// <summary>It could not go on; what was in by then stays.</summary>
    Broken,

    /// <summary>Its records were removed again.</summary>
    TakenOut,
}

/// <summary>A file of an import.</summary>
/// <param name="Name">As it is shown.</param>
/// <param name="Path">Where it lies.</param>
/// <param name="Mark">Tells its content from others'.</param>
/// <param name="IsOurs">Whether it was uploaded, and goes when it was read.</param>
public sealed record ImportFile(string Name, string Path, long Bytes, string Mark, bool IsOurs);

/// <summary>Files that are taken in together: their records lie apart from all others and can be taken out again.</summary>
/// <param name="Settings">How they are read; null until it was looked at.</param>
/// <param name="Author">Who began it.</param>
/// <param name="Created">UTC nanoseconds, as all its times.</param>
public sealed record Import(
    long Id,
    string Source,
    IReadOnlyList<ImportFile> Files,
    FormatSettings? Settings,
    string Author,
    long Created
)
{
    public ImportState State { get; init; }
    public long? Started { get; init; }
    public long? Ended { get; init; }

    /// <summary>Bytes of its files that were read.</summary>
    public long BytesRead { get; init; }
    public long Taken { get; init; }
    public long Refused { get; init; }

    /// <summary>What stopped it, or went wrong with one of its files; null for nothing.</summary>
    public string? Problem { get; init; }

    public long Bytes => Files.Sum(f => f.Bytes);

    /// <summary>The names of its files, in one line.</summary>
    public string Title =>
        Files.Count switch
        {
            0 => "no files",
            1 => Files[0].Name,
            _ => $"{Files[0].Name} and {Files.Count - 1} more",
        };

    /// <summary>Whether its records are in the store, all or some.</summary>
    public bool IsIn => State is ImportState.Done or ImportState.Stopped or ImportState.Broken && Taken > 0;
}
