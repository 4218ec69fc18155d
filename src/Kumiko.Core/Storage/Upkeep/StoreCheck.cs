using System.Globalization;
using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Segments;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Upkeep;

/// <param name="Records">Records that could be read.</param>
/// <param name="Problems">What is damaged, one sentence each; none for a sound folder.</param>
public sealed record CheckReport(long Records, int Segments, int Batches, IReadOnlyList<string> Problems)
{
    /// <summary>Spans that could be read.</summary>
    public long Spans { get; init; }

    public bool IsSound => Problems.Count == 0;

    /// <summary>The same with more problems.</summary>
    public CheckReport With(IReadOnlyList<string> more) => this with { Problems = [.. Problems, .. more] };
}

/// <summary>
/// Verifies a file of records without changing it: SQLite's own structure, every checksum, every column decoded, the
/// catalogue against the rows, and that no record is there twice.
/// </summary>
public static class StoreCheck
{
    private const int MostProblems = 1_000;

    /// <summary>Checks a file that no store has open.</summary>
    /// <param name="progress">Told the number of segments done.</param>
    public static CheckReport Run(string path, IProgress<int>? progress, CancellationToken cancel)
    {
        var state = new State();
        try
        {
            using var connection = new SqliteConnection(
                new SqliteConnectionStringBuilder
                {
                    DataSource = path,
                    Mode = SqliteOpenMode.ReadWrite,
                    Pooling = false,
                }.ToString()
            );
            connection.Open();
            connection.Execute("PRAGMA query_only = 1");
            foreach (var line in connection.Query<string>("PRAGMA quick_check").Where(l => l != "ok"))
                state.Add("SQLite: " + line);
            if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = 'segment'") > 0)
            {
                CheckSegments(connection, SegmentTable.Live(connection), state, progress, cancel);
                FindStrays(connection, state);
            }
            CheckRecent(connection, state, cancel);
            CheckSignals(connection, state, cancel);
            foreach (var problem in MetricCheck.Problems(connection, cancel))
                state.Add(problem);
        }
        catch (SqliteException e) when (RecordRescue.IsDamage(e))
        {
            state.Add("The file cannot be read further. SQLite: " + e.Message);
        }
        state.FindDoubles();
        return state.Report();
    }

    /// <summary>
    /// Checks a store while it works, by one snapshot. SQLite's own structure is left out: looking at it would hold the
    /// write-ahead log for too long.
    /// </summary>
    public static CheckReport Run(RecordStore store, IProgress<int>? progress, CancellationToken cancel)
    {
        var state = new State();
        using var snapshot = store.Current;
        using var connection = store.Database.Read();
        try
        {
            CheckSegments(connection, [.. snapshot.AllSegments.Select(s => s.Segment)], state, progress, cancel);
            CheckSignals(connection, state, cancel);
            foreach (var problem in MetricCheck.Problems(connection, cancel))
                state.Add(problem);
        }
        catch (SqliteException e) when (RecordRescue.IsDamage(e))
        {
            state.Add("The file cannot be read further. SQLite: " + e.Message);
        }
        foreach (var batch in snapshot.Everything.OfType<RecentBatch>())
            state.See(batch.Signal, batch.Block.SequenceOf, "the records that are not sealed");
        state.Batches = store.Recent.Entries.Count;
        state.FindDoubles();
        return state.Report();
    }

    private sealed class State
    {
        private readonly List<(long First, long End, string Where)> _sequences = [];

        public long Records { get; private set; }
        public long Spans { get; private set; }

        public CheckReport Report() => new(Records, Segments, Batches, Problems) { Spans = Spans };

        public int Segments { get; set; }
        public int Batches { get; set; }
        public List<string> Problems { get; } = [];

        public void Add(string problem)
        {
            if (Problems.Count < MostProblems)
                Problems.Add(problem);
            else if (Problems.Count == MostProblems)
                Problems.Add("There are more; these are the first.");
        }

        /// <summary>Takes note of sequences as runs without holes, which are few.</summary>
        public void See(Signal signal, long[] sequences, string where)
        {
            if (signal == Signal.Logs)
                Records += sequences.Length;
            else
                Spans += sequences.Length;
            Array.Sort(sequences);
            for (var i = 0; i < sequences.Length; )
            {
                var start = i++;
                while (i < sequences.Length && sequences[i] == sequences[i - 1] + 1)
                    i++;
                _sequences.Add((sequences[start], sequences[i - 1] + 1, where));
            }
        }

        public void FindDoubles()
        {
            _sequences.Sort();
            for (var i = 1; i < _sequences.Count; i++)
                if (_sequences[i].First < _sequences[i - 1].End)
                    Add(
                        string.Create(
                            CultureInfo.InvariantCulture,
                            $"Record {_sequences[i].First} is twice: in {_sequences[i - 1].Where} and in {_sequences[i].Where}."
                        )
                    );
        }
    }

    private static void CheckSegments(
        SqliteConnection connection,
        IReadOnlyList<Segment> segments,
        State state,
        IProgress<int>? progress,
        CancellationToken cancel
    )
    {
        var expected = connection
            .Query<(long Id, long Columns)>("SELECT id, columns FROM segment")
            .ToDictionary(s => s.Id, s => s.Columns);
        foreach (var (segment, damage) in SegmentTable.Damaged(connection))
            state.Add($"Segment {segment.Id} was set aside before: {damage}");
        foreach (var segment in SegmentTable.Unsure(connection))
            state.Add($"Segment {segment.Id}: its row of the catalogue does not match its checksum.");
        foreach (var segment in segments)
        {
            cancel.ThrowIfCancellationRequested();
            var source = new CheckedColumns(connection, segment, state.Add);
            try
            {
                source.ReadAll(expected[segment.Id]);
                var rows = new SegmentRows(segment, source);
                rows.Decode(rows: true);
                Compare(segment, rows, state);
            }
            catch (DamagedSegmentException e)
            {
                state.Add(e.Message);
            }
            catch (InvalidDataException e)
            {
                state.Add($"Segment {segment.Id}: {e.Message}");
            }
            state.Segments++;
            progress?.Report(state.Segments);
        }
    }

    private static void FindStrays(SqliteConnection connection, State state)
    {
        foreach (var stray in SegmentTable.Strays(connection))
            state.Add($"There are columns of a segment {stray} that is not in the catalogue.");
    }

    private static void Compare(Segment segment, SegmentRows rows, State state)
    {
        var sequences = new long[rows.Count];
        var before = new RecordId(long.MinValue, long.MinValue);
        var sorted = true;
        for (var i = 0; i < rows.Count; i++)
        {
            var record = rows[i];
            sequences[i] = record.Sequence;
            sorted &= before < record.Id;
            before = record.Id;
        }
        if (!sorted)
            state.Add($"Segment {segment.Id}: its records are not in order.");
        if (rows.Times[0] != segment.MinTime || rows.Times[^1] != segment.MaxTime)
            state.Add($"Segment {segment.Id}: the catalogue says other times than its records have.");
        state.See(segment.Signal, sequences, $"segment {segment.Id}");
    }

    private static void CheckRecent(SqliteConnection connection, State state, CancellationToken cancel)
    {
        var strings = new StringCache();
        var there = connection.Query<string>("SELECT name FROM pragma_table_info('recent')").ToHashSet();
        foreach (
            var (first, content, checksum, signal) in connection.Query<(long First, byte[] Content, long? Checksum, long Signal)>(
                $"SELECT first_sequence, content, {(there.Contains("checksum") ? "checksum" : "NULL")}, {(there.Contains("signal") ? "signal" : "0")} FROM recent ORDER BY first_sequence",
                buffered: false
            )
        )
        {
            cancel.ThrowIfCancellationRequested();
            state.Batches++;
            try
            {
                if (checksum is { } sum && sum != Checksum.Of(content, first))
                    throw new InvalidDataException("It does not match its checksum.");
                state.See((Signal)signal, BatchCodec.Decode(content, first, strings).SequenceOf, $"batch {first}");
            }
            catch (InvalidDataException e)
            {
                state.Add($"Batch {first}: {e.Message}");
            }
        }
    }

    private static void CheckSignals(SqliteConnection connection, State state, CancellationToken cancel)
    {
        if (connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_schema WHERE name = 'signal'") == 0)
            return;
        foreach (
            var (id, kind, oldest, checksum, content) in connection.Query<(long, string, long, long, byte[])>(
                "SELECT id, kind, min_time, checksum, content FROM signal ORDER BY id",
                buffered: false
            )
        )
        {
            cancel.ThrowIfCancellationRequested();
            if (checksum != Checksum.Of(content, oldest))
                state.Add($"Batch {id} of {kind} does not match its checksum.");
        }
    }

    /// <summary>Columns of one segment on a connection of the check's own.</summary>
    private sealed class CheckedColumns(SqliteConnection connection, Segment segment, Action<string> told) : IColumnSource
    {
        private readonly Dictionary<SegmentColumn, byte[]> _columns = [];

        private sealed class Row
        {
            public long Key { get; init; }
            public long Codec { get; init; }
            public long RawLength { get; init; }
            public long Checksum { get; init; }
            public byte[] Content { get; init; } = [];
        }

        public void ReadAll(long expected)
        {
            var rows = connection
                .Query<Row>(
                    "SELECT key AS Key, codec AS Codec, raw_length AS RawLength, checksum AS Checksum, content AS Content FROM segment_column WHERE key BETWEEN @first AND @last",
                    new { first = Segment.KeyOf(segment.Id, 0), last = Segment.KeyOf(segment.Id + 1, 0) - 1 }
                )
                .ToList();
            if (rows.Count != expected)
                told($"Segment {segment.Id}: {rows.Count} of its {expected} columns are there.");
            foreach (var row in rows)
            {
                var column = (SegmentColumn)(row.Key & ((1 << Segment.ColumnBits) - 1));
                if (Checksum.Of(row.Content, row.Key) != row.Checksum)
                    throw new InvalidDataException($"Column {column} does not match its checksum.");
                var raw = new byte[row.RawLength];
                Codecs.Unpack(row.Content, (Codec)row.Codec, raw);
                _columns[column] = raw;
            }
            if (!_columns.TryGetValue(SegmentColumn.Bundle, out var bundle))
                return;
            var from = new ByteReader(bundle);
            while (from.Left > 0)
                _columns[(SegmentColumn)from.Count(1 << Segment.ColumnBits)] = from.Sized().ToArray();
        }

        public ColumnBytes Read(SegmentColumn column) =>
            _columns.TryGetValue(column, out var bytes)
                ? new ColumnBytes(bytes, 0, bytes.Length, owned: false)
                : ColumnBytes.None;
    }
}
