using CsvHelper;

namespace Kumiko.Web.Api;

/// <summary>Reads what an import refused back from its table of reasons.</summary>
internal static class RefusedLines
{
    public static IEnumerable<ImportLine> Of(string path, int most)
    {
        if (!File.Exists(path))
            yield break;
        using var reader = CsvReader.Create(File.OpenRead(path), new CsvReaderOptions());
        for (var i = 0; i < most && reader.Read(); i++)
            yield return new ImportLine(reader.GetString(0), reader.GetString(1), reader.GetString(2), reader.GetString(3));
    }
}
