using Dapper;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources;

/// <summary>Keeps how sources' lines are read.</summary>
internal sealed class SourceFormatStore(AppDatabase database)
{
    /// <summary>All that can be used; what an older program wrote and this one does not know is left out.</summary>
    public IEnumerable<(string Source, FormatSettings Settings)> All()
    {
        using var connection = database.Database.Read();
        foreach (var row in connection.Query<Row>("SELECT source AS Source, settings AS Settings FROM source_format"))
            if (FormatSettings.FromJson(row.Settings) is { } settings && FormatList.Find(settings.Format) is not null)
                yield return (row.Source, settings);
    }

    /// <param name="now">UTC nanoseconds.</param>
    public Task Save(string source, FormatSettings settings, long now) =>
        database.Database.Writer.Write(c =>
            c.Execute(
                "INSERT OR REPLACE INTO source_format (source, settings, changed) VALUES (@source, @json, @now)",
                new
                {
                    source,
                    json = settings.ToJson(),
                    now,
                }
            )
        );

    public Task Forget(string source) =>
        database.Database.Writer.Write(c => c.Execute("DELETE FROM source_format WHERE source = @source", new { source }));

    private sealed class Row
    {
        public string Source { get; init; } = "";
        public string Settings { get; init; } = "";
    }
}
