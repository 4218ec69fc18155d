using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Segments;

/// <summary>Segments, templates and first sights in <c>records.db</c>: the SQL, and nothing else. Writes run on the writer
/// thread.</summary>
internal static class SegmentTable
{
    private const string CatalogueColumns = """
        id AS Id, source AS Source, min_time AS MinTime, max_time AS MaxTime, max_observed AS MaxObserved, min_sequence AS MinSequence,
        max_sequence AS MaxSequence, rows AS Rows, severity_mask AS SeverityMask, raw_bytes AS RawBytes, bytes AS Bytes, merges AS Merges
        """;

    /// <summary>The columns of the catalogue; files of before lack the last of them.</summary>
    private static string Catalogue(SqliteConnection connection)
    {
        var there = connection.Query<string>("SELECT name FROM pragma_table_info('segment')").ToHashSet();
        return CatalogueColumns
            + (there.Contains("import") ? ", import AS Import" : ", NULL AS Import")
            + (there.Contains("signal") ? ", signal AS Signal" : ", 0 AS Signal");
    }

    /// <summary>The segments that can be read.</summary>
    public static List<Segment> Live(SqliteConnection connection) => [.. ByChecksum(connection)[true]];

    /// <summary>Segments whose row of the catalogue is damaged.</summary>
    public static List<Segment> Unsure(SqliteConnection connection) => [.. ByChecksum(connection)[false]];

    private static ILookup<bool, Segment> ByChecksum(SqliteConnection connection) =>
        connection
            .Query<Segment, long, (Segment Segment, long Checksum)>(
                $"SELECT {Catalogue(connection)}, CASE state WHEN 'live' THEN checksum ELSE checksum + 1 END AS Checksum FROM segment WHERE state NOT IN ('gone', 'damaged') ORDER BY min_time, id",
                (s, c) => (s, c),
                splitOn: "Checksum"
            )
            .ToLookup(s => ChecksumOf(s.Segment) == s.Checksum, s => s.Segment);

    private static long ChecksumOf(Segment s) =>
        Checksum.Of(
            FormattableString.Invariant(
                $"{s.Source} {s.MinTime} {s.MaxTime} {s.MaxObserved} {s.MinSequence} {s.MaxSequence} {s.Rows} {s.SeverityMask} {s.RawBytes} {s.Bytes} {s.Merges}"
            )
                + (s.Import is { } import ? FormattableString.Invariant($" import {import}") : "")
                + (s.Signal == Signal.Logs ? "" : FormattableString.Invariant($" signal {(int)s.Signal}")),
            s.Id
        );

    public static List<(Segment Segment, string Damage)> Damaged(SqliteConnection connection) =>
        [
            .. connection.Query<Segment, string, (Segment, string)>(
                $"SELECT {Catalogue(connection)}, damage AS Damage FROM segment WHERE state = 'damaged' ORDER BY id",
                (s, d) => (s, d),
                splitOn: "Damage"
            ),
        ];

    /// <summary>Segments that have columns and no row of the catalogue.</summary>
    public static List<long> Strays(SqliteConnection connection)
    {
        var known = connection.Query<long>("SELECT id FROM segment").ToHashSet();
        var strays = new List<long>();
        // One seek a segment, rather than a look at every column.
        var from = long.MinValue;
        while (connection.ExecuteScalar<long?>("SELECT MIN(key) FROM segment_column WHERE key >= @from", new { from }) is { } key)
        {
            // A damaged tree may answer with what was not asked for.
            if (key < from)
                break;
            var id = key >> Segment.ColumnBits;
            if (!known.Contains(id))
                strays.Add(id);
            from = Segment.KeyOf(id + 1, 0);
        }
        return strays;
    }

    public static List<long> Gone(SqliteConnection connection) =>
        [.. connection.Query<long>("SELECT id FROM segment WHERE state = 'gone' ORDER BY id")];

    public static Segment Insert(SqliteConnection connection, EncodedSegment encoded)
    {
        var s = encoded.Catalogue;
        var id = connection.ExecuteScalar<long>(
            """
            INSERT INTO segment (signal, source, import, min_time, max_time, max_observed, min_sequence, max_sequence, rows, severity_mask, raw_bytes, bytes, columns, merges, checksum)
            VALUES (@signal, @Source, @Import, @MinTime, @MaxTime, @MaxObserved, @MinSequence, @MaxSequence, @Rows, @SeverityMask, @RawBytes, @Bytes, @columns, @Merges, 0)
            RETURNING id
            """,
            new
            {
                signal = (int)s.Signal,
                s.Source,
                s.Import,
                s.MinTime,
                s.MaxTime,
                s.MaxObserved,
                s.MinSequence,
                s.MaxSequence,
                s.Rows,
                s.SeverityMask,
                s.RawBytes,
                s.Bytes,
                columns = encoded.Columns.Count,
                s.Merges,
            }
        );
        var inserted = s with { Id = id };
        connection.Execute("UPDATE segment SET checksum = @checksum WHERE id = @id", new { id, checksum = ChecksumOf(inserted) });
        InsertColumns(connection, id, encoded.Columns);
        return inserted;
    }

    private static void InsertColumns(SqliteConnection connection, long segment, IEnumerable<EncodedColumn> columns)
    {
        foreach (var column in columns)
        {
            var key = Segment.KeyOf(segment, column.Column);
            connection.Execute(
                "INSERT INTO segment_column (key, codec, raw_length, checksum, content) VALUES (@key, @codec, @RawLength, @checksum, @Content)",
                new
                {
                    key,
                    codec = (int)column.Codec,
                    column.RawLength,
                    checksum = Checksum.Of(column.Content, key),
                    column.Content,
                }
            );
        }
    }

    /// <summary>They leave the catalogue now; their blobs go later, with <see cref="Remove"/>.</summary>
    public static void MarkGone(SqliteConnection connection, IEnumerable<long> ids) =>
        connection.Execute("UPDATE segment SET state = 'gone' WHERE id = @id", ids.Select(id => new { id }));

    public static int MarkDamaged(SqliteConnection connection, long id, string damage) =>
        connection.Execute(
            "UPDATE segment SET state = 'damaged', damage = @damage WHERE id = @id AND state NOT IN ('gone', 'damaged')",
            new { id, damage }
        );

    public static int Remove(SqliteConnection connection, long id)
    {
        connection.Execute(
            "DELETE FROM segment_column WHERE key BETWEEN @first AND @last",
            new { first = Segment.KeyOf(id, 0), last = Segment.KeyOf(id + 1, 0) - 1 }
        );
        return connection.Execute("DELETE FROM segment WHERE id = @id", new { id });
    }

    public static void SaveTemplates(SqliteConnection connection, IEnumerable<TemplateRow> templates) =>
        connection.Execute(
            """
            INSERT INTO template (id, service, key, merged_into, first_seen, last_seen, is_tail, gaps) VALUES (@Id, @Service, @Key, @MergedInto, @FirstSeen, @LastSeen, @IsTail, @Gaps)
            ON CONFLICT (id) DO UPDATE SET merged_into = excluded.merged_into, first_seen = MIN(first_seen, excluded.first_seen), last_seen = MAX(last_seen, excluded.last_seen), gaps = excluded.gaps
            """,
            templates
        );

    public static List<TemplateRow> Templates(SqliteConnection connection) =>
        [
            .. connection.Query<TemplateRow>(
                "SELECT id AS Id, service AS Service, key AS Key, merged_into AS MergedInto, first_seen AS FirstSeen, last_seen AS LastSeen, is_tail AS IsTail, gaps AS Gaps FROM template ORDER BY id"
            ),
        ];

    public static void SavePatternNames(SqliteConnection connection, IEnumerable<(long Id, long Template)> names) =>
        connection.Execute(
            "INSERT OR IGNORE INTO pattern_name (id, template) VALUES (@Id, @Template)",
            names.Select(n => new { n.Id, n.Template })
        );

    public static List<(long Id, long Template)> PatternNames(SqliteConnection connection) =>
        [.. connection.Query<(long, long)>("SELECT id, template FROM pattern_name")];

    public static void SaveFields(SqliteConnection connection, IEnumerable<KeyValuePair<FieldKey, long>> fields) =>
        connection.Execute(
            """
            INSERT INTO field (name, kind, first_seen) VALUES (@Name, @kind, @seen)
            ON CONFLICT (name, kind) DO UPDATE SET first_seen = MIN(first_seen, excluded.first_seen)
            """,
            fields.Select(f => new
            {
                f.Key.Name,
                kind = (int)f.Key.Kind,
                seen = f.Value,
            })
        );

    public static Dictionary<FieldKey, long> Fields(SqliteConnection connection) =>
        connection
            .Query<(string Name, long Kind, long Seen)>("SELECT name, kind, first_seen FROM field")
            .ToDictionary(f => new FieldKey(f.Name, (ValueKind)f.Kind), f => f.Seen);
}
