using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>Reads all that is kept of metrics and says what is wrong with it.</summary>
internal static class MetricCheck
{
    public static IEnumerable<string> Problems(SqliteConnection connection, CancellationToken cancel)
    {
        if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = 'metric_segment'") == 0)
            yield break;
        var series = new HashSet<int>();
        foreach (var row in MetricTable.Series(connection))
        {
            series.Add((int)row.Id);
            if (row.Checksum != Checksum.Of(row.Content, row.Id))
                yield return $"Series {row.Id} of metrics does not match its checksum.";
        }
        foreach (var row in MetricTable.Recent(connection))
        {
            cancel.ThrowIfCancellationRequested();
            if (row.Checksum != Checksum.Of(row.Content, row.Id))
                yield return $"Batch {row.Id} of metrics does not match its checksum.";
        }
        foreach (var (segment, damage) in MetricTable.Segments(connection))
        {
            cancel.ThrowIfCancellationRequested();
            if ((damage ?? Problem(connection, segment, series)) is { } problem)
                yield return $"Segment {segment.Id} of metrics: {problem}";
        }
    }

    private static string? Problem(SqliteConnection connection, MetricSegment segment, HashSet<int> series)
    {
        if (!segment.Series.All(series.Contains))
            return "It has samples of a series that is not there.";
        for (var grain = 0; grain < Grains.Count; grain++)
        {
            if (!segment.Has(grain))
                continue;
            var content = connection.QueryFirstOrDefault<byte[]>(
                "SELECT content FROM metric_part WHERE id = @id",
                new { id = MetricTable.PartId(segment.Id, grain) }
            );
            // A segment that went while it was looked at is no damage.
            if (content is null)
                return
                    connection.ExecuteScalar<long>(
                        "SELECT COUNT(*) FROM metric_segment WHERE id = @Id AND gone = 0 AND (parts >> @grain) & 1",
                        new { segment.Id, grain }
                    ) == 0
                    ? null
                    : "A part of it is missing.";
            var offsets = segment.Offsets[grain];
            for (var i = 0; i + 1 < offsets.Length; i++)
            {
                if (offsets[i] == offsets[i + 1])
                    continue;
                try
                {
                    SampleChunk.Open(content.AsSpan(offsets[i], offsets[i + 1] - offsets[i]));
                }
                catch (Exception e) when (e is InvalidDataException or ArgumentOutOfRangeException)
                {
                    return "A chunk of samples does not match its checksum.";
                }
            }
        }
        return null;
    }
}
