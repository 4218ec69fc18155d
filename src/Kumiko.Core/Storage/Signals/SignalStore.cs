using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Signals;

/// <summary>What a committed batch of metrics or spans was.</summary>
/// <param name="Items">Samples, or spans.</param>
/// <param name="Newest">The latest time in it, UTC nanoseconds.</param>
public sealed record SignalBatch(string Source, int Items, long Newest);

/// <summary>Spans as they came in, committed to <c>records.db</c> before they are acknowledged.</summary>
public sealed class SignalStore(RecordStore records, TimeProvider clock)
{
    /// <summary>Told on the writer thread of each batch that was committed.</summary>
    public event Action<SignalBatch>? Committed;

    /// <exception cref="IOException">The disk is full.</exception>
    public Task Append(IReadOnlyList<Span> spans, string source, CancellationToken cancel = default) =>
        spans.Count == 0
            ? Task.CompletedTask
            : Insert(
                "spans",
                SpanCodec.Encode(spans),
                new SignalBatch(source, spans.Count, spans.Max(s => Math.Max(s.Start, s.End))),
                spans.Min(s => s.Start),
                cancel
            );

    private Task Insert(string kind, byte[] content, SignalBatch batch, long oldest, CancellationToken cancel)
    {
        var now = Instants.FromDateTime(clock.GetUtcNow());
        var checksum = Checksum.Of(content, oldest);
        return records.Database.Writer.Write(
            c =>
                c.Execute(
                    "INSERT INTO signal (kind, source, received, items, min_time, max_time, checksum, content) VALUES (@kind, @Source, @now, @Items, @oldest, @Newest, @checksum, @content)",
                    new
                    {
                        kind,
                        batch.Source,
                        now,
                        batch.Items,
                        oldest,
                        batch.Newest,
                        checksum,
                        content,
                    }
                ),
            _ => Committed?.Invoke(batch),
            content.Length,
            cancel
        );
    }

    /// <summary>Spans that touch a window, batch by batch in the order of arrival.</summary>
    /// <exception cref="InvalidDataException">A batch is damaged.</exception>
    public IEnumerable<Span> Spans(Window window, string? source = null)
    {
        foreach (var content in Read("spans", window, source))
        foreach (var span in SpanCodec.Decode(content))
            if (span.Start < window.To && span.End >= window.From)
                yield return span;
    }

    /// <summary>Spans that began in a window, the newest first, read only as far as asked: what is held at a time are those of
    /// batches that overlap.</summary>
    /// <param name="mayRead">Which sources are read.</param>
    /// <exception cref="InvalidDataException">A batch is damaged.</exception>
    public IEnumerable<Span> NewestFirst(Window window, Func<string, bool> mayRead, CancellationToken cancel)
    {
        var held = new PriorityQueue<Span, (long Start, int Place)>();
        var place = 0;
        foreach (var (id, source, latest) in Latest(window))
        {
            // No span of this batch or of one behind it began later than it ends.
            while (held.TryPeek(out var next, out _) && next.Start > latest)
                yield return held.Dequeue();
            if (!mayRead(source))
                continue;
            cancel.ThrowIfCancellationRequested();
            foreach (var span in Batch(id).Where(s => window.Contains(s.Start)))
                held.Enqueue(span, (-span.Start, place++));
        }
        while (held.TryDequeue(out var span, out _))
            yield return span;
    }

    /// <summary>Batches of spans that touch a window, by their latest time, falling.</summary>
    private List<(long Id, string Source, long Latest)> Latest(Window window)
    {
        using var connection = records.Database.Read();
        return
        [
            .. connection.Query<(long, string, long)>(
                """
                SELECT id, source, max_time FROM signal
                WHERE kind = 'spans' AND min_time < @To AND max_time >= @From
                ORDER BY max_time DESC
                """,
                new { window.From, window.To }
            ),
        ];
    }

    /// <summary>The spans of a batch; none where it was dropped meanwhile.</summary>
    private IReadOnlyList<Span> Batch(long id)
    {
        using var connection = records.Database.Read();
        var row = connection.QueryFirstOrDefault<Row>(
            """
            SELECT id AS Id, kind AS Kind, min_time AS MinTime, checksum AS Checksum, content AS Content
            FROM signal WHERE id = @id
            """,
            new { id }
        );
        return row is null ? [] : SpanCodec.Decode(Unpacked(row));
    }

    /// <summary>The spans of a source that came last; null where there is none.</summary>
    public IReadOnlyList<Span>? Latest(string source)
    {
        using var connection = records.Database.Read();
        var row = connection.QueryFirstOrDefault<Row>(
            "SELECT kind AS Kind, min_time AS MinTime, checksum AS Checksum, content AS Content FROM signal WHERE source = @source AND kind = 'spans' ORDER BY id DESC LIMIT 1",
            new { source }
        );
        return row is null ? null : SpanCodec.Decode(Unpacked(row));
    }

    /// <summary>Samples and spans by source and day of arrival.</summary>
    /// <param name="starts">The beginnings of days, rising.</param>
    public IReadOnlyList<(string Source, long Day, long Items)> Daily(Window window, IReadOnlyList<long> starts)
    {
        using var connection = records.Database.Read();
        var days = new List<(string, long, long)>();
        for (var i = 0; i < starts.Count; i++)
        {
            var (from, to) = (starts[i], i + 1 < starts.Count ? starts[i + 1] : window.To);
            days.AddRange(
                connection
                    .Query<(string Source, long Items)>(
                        "SELECT source, SUM(items) FROM signal WHERE received >= @from AND received < @to GROUP BY source",
                        new { from, to }
                    )
                    .Select(d => (d.Source, from, d.Items))
            );
        }
        return days;
    }

    private IEnumerable<byte[]> Read(string kind, Window window, string? source)
    {
        const int AtOnce = 64;
        for (long last = 0; ; )
        {
            List<Row> rows;
            // A few at a time, so that no read transaction lasts.
            using (var connection = records.Database.Read())
                rows =
                [
                    .. connection.Query<Row>(
                        "SELECT id AS Id, kind AS Kind, min_time AS MinTime, checksum AS Checksum, content AS Content FROM signal WHERE kind = @kind AND id > @last AND min_time < @To AND max_time >= @From AND (@source IS NULL OR source = @source) ORDER BY id LIMIT @AtOnce",
                        new
                        {
                            kind,
                            last,
                            window.From,
                            window.To,
                            source,
                            AtOnce,
                        }
                    ),
                ];
            foreach (var row in rows)
                yield return Unpacked(row);
            if (rows.Count < AtOnce)
                yield break;
            last = rows[^1].Id;
        }
    }

    private static byte[] Unpacked(Row row) =>
        row.Checksum == Checksum.Of(row.Content, row.MinTime)
            ? SignalWriter.Unpack(row.Content)
            : throw new InvalidDataException($"Batch {row.Id} of {row.Kind} does not match its checksum.");

    private sealed class Row
    {
        public long Id { get; init; }
        public string Kind { get; init; } = "";
        public long MinTime { get; init; }
        public long Checksum { get; init; }
        public byte[] Content { get; init; } = [];
    }
}
