namespace Kumiko.Core.Export;

/// <summary>All ways to write an answer out: a new one is a line here.</summary>
public static class ExportFormats
{
    public static readonly ExportFormat Csv = new CsvExport();
    public static readonly ExportFormat Ndjson = new NdjsonExport();
    public static readonly ExportFormat Parquet = new ParquetExport();

    public static readonly IReadOnlyList<ExportFormat> All = [Csv, Ndjson, Parquet];

    /// <summary>Their names, as a sentence has them.</summary>
    public static string Names => string.Join(", ", All.Take(All.Count - 1).Select(f => f.Name)) + " or " + All[^1].Name;

    /// <summary>Null where there is none of this name.</summary>
    public static ExportFormat? Find(string? name) => All.FirstOrDefault(f => f.Name == name);

    /// <summary>The format that a name or, without one, a list of media types asks for; null where the name is none.</summary>
    public static ExportFormat? Of(string? name, string accept) =>
        string.IsNullOrEmpty(name)
            ? All.FirstOrDefault(f => accept.Contains(f.MediaType.Split(';')[0], StringComparison.OrdinalIgnoreCase)) ?? Ndjson
            : Find(name);
}
