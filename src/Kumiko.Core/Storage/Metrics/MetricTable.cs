using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>The tables of metrics.</summary>
internal static class MetricTable
{
    private sealed class SegmentRow
    {
        public long Id { get; init; }
        public long Day { get; init; }
        public long Closed { get; init; }
        public long Parts { get; init; }
        public long MinTime { get; init; }
        public long MaxTime { get; init; }
        public long Samples { get; init; }
        public long Bytes { get; init; }
        public long Checksum { get; init; }
        public byte[] Directory { get; init; } = [];
    }

    public sealed class SeriesRow
    {
        public long Id { get; init; }
        public long Checksum { get; init; }
        public byte[] Content { get; init; } = [];
        public long LastTime { get; init; }
        public double? LastValue { get; init; }
    }

    public sealed class RecentRow
    {
        public long Id { get; init; }
        public string Source { get; init; } = "";
        public long Checksum { get; init; }
        public byte[] Content { get; init; } = [];
    }

    public static IEnumerable<SeriesRow> Series(SqliteConnection connection) =>
        connection.Query<SeriesRow>(
            "SELECT id AS Id, checksum AS Checksum, content AS Content, last_time AS LastTime, last_value AS LastValue FROM series ORDER BY id",
            buffered: false
        );

    public static IEnumerable<RecentRow> Recent(SqliteConnection connection) =>
        connection.Query<RecentRow>(
            "SELECT id AS Id, source AS Source, checksum AS Checksum, content AS Content FROM metric_recent ORDER BY id",
            buffered: false
        );

    /// <summary>Segments that are in use; each with what is wrong with its row, null where it is sound.</summary>
    public static IEnumerable<(MetricSegment Segment, string? Damage)> Segments(SqliteConnection connection)
    {
        foreach (
            var row in connection.Query<SegmentRow>(
                "SELECT id AS Id, day AS Day, closed AS Closed, parts AS Parts, min_time AS MinTime, max_time AS MaxTime, samples AS Samples, bytes AS Bytes, checksum AS Checksum, directory AS Directory FROM metric_segment WHERE gone = 0 AND damage IS NULL ORDER BY id"
            )
        )
        {
            var segment = new MetricSegment(
                row.Id,
                row.Day,
                row.Closed != 0,
                row.MinTime,
                row.MaxTime,
                row.Samples,
                row.Bytes,
                [],
                [],
                (int)row.Parts
            );
            string? damage = null;
            try
            {
                if (row.Checksum != Checksum.Of(row.Directory, row.Day))
                    throw new InvalidDataException("Its directory does not match its checksum.");
                var (series, offsets) = MetricSegment.ReadDirectory(row.Directory);
                segment = segment with { Series = series, Offsets = offsets };
            }
            catch (InvalidDataException e)
            {
                damage = e.Message;
            }
            yield return (segment, damage);
        }
    }

    public static IEnumerable<long> Gone(SqliteConnection connection) =>
        connection.Query<long>("SELECT id FROM metric_segment WHERE gone <> 0");

    public static MetricSegment Insert(SqliteConnection connection, EncodedMetricSegment encoded)
    {
        var s = encoded.Segment;
        var directory = s.Directory();
        var id = connection.ExecuteScalar<long>(
            "INSERT INTO metric_segment (day, closed, parts, min_time, max_time, samples, bytes, checksum, directory) VALUES (@Day, @closed, @Parts, @MinTime, @MaxTime, @Samples, @Bytes, @checksum, @directory) RETURNING id",
            new
            {
                s.Day,
                closed = s.IsClosed ? 1 : 0,
                s.Parts,
                s.MinTime,
                s.MaxTime,
                s.Samples,
                s.Bytes,
                checksum = Checksum.Of(directory, s.Day),
                directory,
            }
        );
        for (var grain = 0; grain < encoded.Parts.Length; grain++)
            if (encoded.Parts[grain] is { } content)
                connection.Execute(
                    "INSERT INTO metric_part (id, content) VALUES (@part, @content)",
                    new { part = PartId(id, grain), content }
                );
        return s with { Id = id };
    }

    public static void MarkGone(SqliteConnection connection, IEnumerable<long> ids) =>
        connection.Execute("UPDATE metric_segment SET gone = 1 WHERE id = @id", ids.Select(id => new { id }));

    public static int MarkDamaged(SqliteConnection connection, long id, string reason) =>
        connection.Execute(
            "UPDATE metric_segment SET damage = @reason WHERE id = @id AND gone = 0 AND damage IS NULL",
            new { id, reason }
        );

    public static int Remove(SqliteConnection connection, long id)
    {
        connection.Execute(
            "DELETE FROM metric_part WHERE id >= @from AND id < @to",
            new { from = PartId(id, 0), to = PartId(id + 1, 0) }
        );
        return connection.Execute("DELETE FROM metric_segment WHERE id = @id", new { id });
    }

    /// <summary>Takes parts away from a segment that keeps its levels.</summary>
    public static void Thin(SqliteConnection connection, long id, int parts)
    {
        for (var grain = 0; grain < Grains.Count; grain++)
            if ((parts & (1 << grain)) == 0)
                connection.Execute("DELETE FROM metric_part WHERE id = @part", new { part = PartId(id, grain) });
        connection.Execute("UPDATE metric_segment SET parts = @parts WHERE id = @id", new { id, parts });
    }

    /// <summary>Marks segments of which a part is missing.</summary>
    public static int SetAsideIncomplete(SqliteConnection connection) =>
        connection.Execute(
            $"""
            UPDATE metric_segment SET damage = 'Parts were lost with the damaged file.' WHERE gone = 0 AND damage IS NULL AND EXISTS (
                SELECT 1 FROM (SELECT 0 AS grain UNION SELECT 1 UNION SELECT 2 UNION SELECT 3)
                WHERE (metric_segment.parts >> grain) & 1 AND NOT EXISTS (SELECT 1 FROM metric_part WHERE id = metric_segment.id * {Grains.Count} + grain))
            """
        );

    public static long PartId(long segment, int grain) => (segment * Grains.Count) + grain;
}
