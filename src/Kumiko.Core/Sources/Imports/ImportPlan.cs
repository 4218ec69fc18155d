using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;

namespace Kumiko.Core.Sources.Imports;

/// <summary>Looks at files before they are imported.</summary>
public static class ImportPlan
{
    /// <summary>A file on this machine, as part of an import.</summary>
    /// <exception cref="IOException">It cannot be read.</exception>
    public static ImportFile FileOf(string path, bool isOurs = false, string? name = null)
    {
        using var file = Open(path);
        return new ImportFile(name ?? Path.GetFileName(path), path, file.Length, FileMark.Of(file), isOurs);
    }

    private static FileStream Open(string path) =>
        new(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);

    /// <summary>What the beginning of a file becomes.</summary>
    /// <param name="settings">What is known of it.</param>
    /// <param name="isDecided">Whether that was told by a person.</param>
    /// <exception cref="IOException">It cannot be read, or is no text; the message says which.</exception>
    public static FilePreview Preview(ImportFile file, FormatSettings? settings, bool isDecided, string source, long now)
    {
        using var stream = Open(file.Path);
        IReadOnlyList<PackedText> texts;
        try
        {
            texts = Unpacking.Open(stream, file.Name);
        }
        catch (InvalidDataException e)
        {
            throw new IOException($"{file.Name}: the archive cannot be opened. {e.Message}", e);
        }
        if (texts.Count == 0)
            throw new IOException($"{file.Name} is an archive without files.");
        return FilePreview.Of(FilePreview.Start(texts[0]), settings, isDecided, source, now);
    }

    /// <summary>Sentences on files that seem to be of another format than the first.</summary>
    public static IReadOnlyList<string> Others(IReadOnlyList<ImportFile> files, FormatSettings settings, long now)
    {
        const double Fitting = 0.5;
        const int MostLooked = 50;
        var told = new List<string>();
        foreach (var file in files.Skip(1).Take(MostLooked))
        {
            try
            {
                var guess = Preview(file, null, false, "", now).Guess;
                if (guess.Settings.Format != settings.Format && guess.Fit > Fitting)
                    told.Add($"{file.Name} looks like another format: {guess.Format.Title}. Import it by itself.");
            }
            catch (IOException e)
            {
                told.Add(e.Message);
            }
        }
        return told;
    }
}
