using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Metrics;

/// <param name="MostSeries">Of one metric; samples of more are refused.</param>
/// <param name="SamplesAge">Nanoseconds that samples and levels of a minute are kept; null for ever.</param>
/// <param name="LevelsAge">Nanoseconds that longer levels are kept; null for ever.</param>
/// <param name="Background">Whether sealing, closing of days and retention run by themselves; else when they are called.</param>
public sealed record MetricOptions(
    int MostSeries = 20_000,
    long? SamplesAge = null,
    long? LevelsAge = null,
    bool Background = true
)
{
    public static readonly MetricOptions Default = new();
}

/// <summary>What became of samples that were sent.</summary>
/// <param name="Taken">Samples that are committed.</param>
/// <param name="Refused">The first hundred that are not, and why; places are those of samples in the batch, from 1.</param>
public sealed record MetricsTaken(int Taken, IReadOnlyList<Refused> Refused, long RefusedTotal);

/// <summary>A series with its last sample.</summary>
/// <param name="Time">UTC nanoseconds; 0 where none is known.</param>
public sealed record SeriesState(MetricSeries Series, long Time, double Value);

/// <summary>
/// Samples of metrics: committed to <c>records.db</c> before they are acknowledged, held in memory by series until they
/// are sealed into segments. A query sees both as one.
/// </summary>
public sealed class MetricStore : IDisposable
{
    /// <summary>With more waiting to be sealed, senders wait.</summary>
    private const long MostUnsealed = 16L << 20;

    /// <summary>Samples later than this would hold memory and days for clocks that are wrong.</summary>
    private const long MostAhead = Instants.Day;
    private const int MostToldRefused = 100;
    private static readonly Dictionary<string, long> Nothing = [];
    private const string TooOld = "is older than samples are kept.";
    private const int ReadAtOnce = 128;

    private readonly RecordStore _records;
    private readonly TimeProvider _clock;
    private readonly MetricOptions _options;
    private readonly Lock _lock = new();
    private readonly VersionPins<MetricSegment[]> _pins = new([]);
    private readonly MetricUpkeep _upkeep;
    private SampleBuffer?[] _buffers = new SampleBuffer?[1_024];
    private (long Time, double Value)[] _last = new (long, double)[1_024];
    private long _unsealed;
    private long _lastRecent;

    /// <summary>The highest number that was given to a batch; on the writer thread.</summary>
    private long _newestRecent;

    public MetricStore(RecordStore records, TimeProvider clock, MetricOptions? options = null)
    {
        (_records, _clock, _options) = (records, clock, options ?? MetricOptions.Default);
        Book = new SeriesBook(_options.MostSeries);
        Load();
        _upkeep = new MetricUpkeep(this, records, clock, _options);
    }

    /// <summary>All series that are known.</summary>
    public SeriesBook Book { get; }

    /// <summary>Sealing, closing of days, retention: they run by themselves, or when called.</summary>
    public MetricUpkeep Upkeep => _upkeep;

    /// <summary>Told on the writer thread of each batch that was committed.</summary>
    public event Action<SignalBatch>? Committed;

    /// <summary>Told of what was sent, once it is committed.</summary>
    public event Action<IReadOnlyList<Metric>, string>? Taken;

    /// <summary>Samples that are not sealed yet.</summary>
    internal long Unsealed => Volatile.Read(ref _unsealed);

    internal Database Database => _records.Database;
    internal IReadOnlyList<MetricSegment> Segments => _pins.Newest;

    private void Load()
    {
        using var connection = _records.Database.Read();
        var strings = new StringCache();
        var resources = new Dictionary<ulong, Resource>();
        foreach (var row in MetricTable.Series(connection))
        {
            try
            {
                if (row.Checksum != Checksum.Of(row.Content, row.Id))
                    throw new InvalidDataException("It does not match its checksum.");
                Book.Load(SeriesCodec.Decode((int)row.Id, row.Content, strings, resources), row.Content);
                Last((int)row.Id) = (row.LastTime, row.LastValue ?? double.NaN);
            }
            catch (InvalidDataException e)
            {
                _records.Notice($"Series {row.Id} of metrics is damaged and was set aside: {e.Message}");
            }
        }
        var segments = new List<MetricSegment>();
        foreach (var (segment, damage) in MetricTable.Segments(connection).ToList())
            if (damage is null)
                segments.Add(segment);
            else
                SetAside(segment, damage);
        _pins.Replace([.. segments]);
        foreach (var row in MetricTable.Recent(connection))
        {
            try
            {
                if (row.Checksum != Checksum.Of(row.Content, row.Id))
                    throw new InvalidDataException("It does not match its checksum.");
                Apply(SampleBatch.Decode(row.Content));
            }
            catch (InvalidDataException e)
            {
                _records.Notice($"Batch {row.Id} of metrics from {row.Source} is damaged and was set aside: {e.Message}");
            }
            _lastRecent = _newestRecent = row.Id;
        }
    }

    private long Now => Instants.FromDateTime(_clock.GetUtcNow());

    /// <summary>Commits samples as one batch; they can be read when the task is done. Those that cannot be taken are told, the
    /// rest goes on.</summary>
    /// <exception cref="IOException">The disk is full; nothing was taken.</exception>
    public async Task<MetricsTaken> Append(IReadOnlyList<Metric> metrics, string source, CancellationToken cancel = default)
    {
        while (Unsealed > MostUnsealed && _upkeep.IsRunning)
            await _upkeep.Sealed().WaitAsync(cancel);
        while (true)
        {
            try
            {
                var (batch, refused, total) = Resolve(metrics, source);
                if (batch.Count > 0)
                    await Append(batch, source);
                Taken?.Invoke(metrics, source);
                return new MetricsTaken(batch.Count, refused, total);
            }
            catch (SeriesGoneException)
            { /* found again, it is made anew */
            }
        }
    }

    private (SampleBatch Batch, IReadOnlyList<Refused> Refused, long Total) Resolve(IReadOnlyList<Metric> metrics, string source)
    {
        var count = metrics.Sum(m => m.Samples.Count);
        var (series, times, values) = (new int[count], new long[count], new double[count]);
        long[]? starts = null;
        Distribution?[]? distributions = null;
        var exemplars = new List<(int, Exemplar)>();
        var refused = new List<Refused>();
        var (total, place, at) = (0L, 0L, 0);
        using var finder = new SeriesBook.Finder(Book, source);
        var (latest, oldest) = (Now + MostAhead, _options.SamplesAge is { } age ? Now - age : long.MinValue);
        foreach (var metric in metrics)
        foreach (var sample in metric.Samples)
        {
            place++;
            var id = 0;
            string? reason;
            if (sample.Time > latest)
                reason = $"Its time, {Instants.Format(sample.Time)}, is more than a day ahead. Set the sender's clock.";
            else if (sample.Time < oldest)
                reason = $"Its time, {Instants.Format(sample.Time)}, {TooOld}";
            else if ((id = finder.Find(metric, sample.Attributes)) == 0)
                reason =
                    $"{metric.Name} has {Book.Most} series already, which is the most. Leave out the attribute that has so many values.";
            else
                reason = null;
            if (reason is not null)
            {
                total++;
                if (refused.Count < MostToldRefused)
                    refused.Add(new Refused(place, 0, reason, Head(metric, sample)));
                continue;
            }
            series[at] = id;
            times[at] = sample.Time;
            values[at] = ValueOf(sample);
            if (sample.Start != 0)
                (starts ??= new long[count])[at] = sample.Start;
            if (sample.Distribution is { } distribution)
                (distributions ??= new Distribution?[count])[at] = distribution;
            foreach (var exemplar in sample.Exemplars)
                exemplars.Add((at, exemplar));
            at++;
        }
        var batch =
            at == count
                ? new SampleBatch(series, times, values, starts, distributions)
                : new SampleBatch(series[..at], times[..at], values[..at], starts?[..at], distributions?[..at]);
        return (batch with { Exemplars = exemplars }, refused, total);
    }

    private static double ValueOf(Sample sample)
    {
        if (sample.Distribution is { } d)
            return d.Count > 0 && d.Sum is { } sum ? sum / d.Count : double.NaN;
        // Minus nothing is nothing, and packs like it.
        return sample.Value.IsQuantity ? sample.Value.AsDouble + 0.0 : double.NaN;
    }

    private static byte[] Head(Metric metric, Sample sample) =>
        System.Text.Encoding.UTF8.GetBytes(
            FormattableString.Invariant($"{metric.Name} {Value.Of(sample.Attributes).ToText()} {ValueOf(sample)} {sample.Time}")
        );

    /// <summary>Commits what was computed from other things, of several sources at once. It is not counted as what they
    /// sent.</summary>
    /// <param name="counters">What is noted in the same transaction.</param>
    /// <returns>Why the first sample that was not taken was not; null where all were. Samples older than samples are kept are left
    /// out without a word.</returns>
    internal async Task<string?> AppendDerived(
        IReadOnlyList<(string Source, IReadOnlyList<Metric> Metrics)> metrics,
        IReadOnlyDictionary<string, long> counters
    )
    {
        while (true)
        {
            try
            {
                var resolved = metrics.Select(m => (m.Source, Resolve: Resolve(m.Metrics, m.Source))).ToList();
                await Append(
                    [.. resolved.Select(r => (r.Resolve.Batch, r.Source)).Where(b => b.Batch.Count > 0)],
                    isDerived: true,
                    counters
                );
                return resolved
                    .SelectMany(r => r.Resolve.Refused)
                    .Select(r => r.Reason)
                    .FirstOrDefault(r => !r.EndsWith(TooOld, StringComparison.Ordinal));
            }
            catch (SeriesGoneException)
            { /* found again, it is made anew */
            }
        }
    }

    /// <summary>Commits samples whose series are known.</summary>
    internal Task Append(SampleBatch batch, string source) => Append([(batch, source)], isDerived: false, null);

    private async Task Append(
        IReadOnlyList<(SampleBatch Batch, string Source)> batches,
        bool isDerived,
        IReadOnlyDictionary<string, long>? counters
    )
    {
        var received = Now;
        var parts = batches.Select(b => (b.Batch, b.Source, Content: b.Batch.Encode(), Order: SeriesOrder.Of(b.Batch))).ToList();
        try
        {
            await _records.Database.Writer.Write(
                connection =>
                {
                    var added = Book.Unsaved(parts.SelectMany(p => p.Order.Parts).Select(p => p.Series));
                    foreach (var series in added)
                        Insert(connection, series);
                    foreach (var (batch, source, content, _) in parts)
                        Insert(connection, batch, source, content, received, isDerived);
                    foreach (var (name, value) in counters ?? Nothing)
                        connection.Execute(
                            "INSERT OR REPLACE INTO counter (name, value) VALUES (@name, @value)",
                            new { name, value }
                        );
                    return (Id: _newestRecent, Added: added);
                },
                done =>
                {
                    Book.MarkSaved(done.Added);
                    lock (_lock)
                    {
                        foreach (var part in parts)
                            Apply(part.Batch, part.Order);
                        _lastRecent = done.Id;
                    }
                    if (isDerived)
                        return;
                    foreach (var (batch, source, _, _) in parts)
                        Committed?.Invoke(new SignalBatch(source, batch.Count, batch.Times.Max()));
                },
                parts.Sum(p => p.Content.Length)
            );
        }
        finally
        {
            foreach (var part in parts)
                part.Order.Dispose();
            if (Unsealed > MetricUpkeep.SealedAt)
                _upkeep.Wake();
        }
    }

    private void Insert(
        SqliteConnection connection,
        SampleBatch batch,
        string source,
        byte[] content,
        long received,
        bool isDerived
    )
    {
        // Its number is known before, as a row that is changed afterwards would be written twice.
        var id = ++_newestRecent;
        connection.Execute(
            "INSERT INTO metric_recent (id, source, received, samples, checksum, content) VALUES (@id, @source, @received, @Count, @checksum, @content)",
            new
            {
                id,
                source,
                received,
                batch.Count,
                checksum = Checksum.Of(content, id),
                content,
            }
        );
        Insert(connection, batch);
        if (isDerived)
            return;
        var hour = received - (received % Instants.Hour);
        connection.Execute(
            "INSERT INTO metric_arrival VALUES (@source, @hour, @Count) ON CONFLICT DO UPDATE SET samples = samples + @Count",
            new
            {
                source,
                hour,
                batch.Count,
            }
        );
    }

    private static void Insert(SqliteConnection connection, MetricSeries series)
    {
        var content = SeriesCodec.Encode(series);
        connection.Execute(
            "INSERT OR REPLACE INTO series (id, source, checksum, content) VALUES (@Id, @Source, @checksum, @content)",
            new
            {
                series.Id,
                series.Source,
                checksum = Checksum.Of(content, series.Id),
                content,
            }
        );
    }

    private static void Insert(SqliteConnection connection, SampleBatch batch)
    {
        foreach (var (place, e) in batch.Exemplars)
        {
            using var fields = new ByteWriter();
            SeriesCodec.WriteFields(fields, e.Attributes);
            connection.Execute(
                "INSERT INTO exemplar (series, sample, time, value, trace_id, span_id, fields) VALUES (@series, @sample, @Time, @value, @TraceId, @SpanId, @content)",
                new
                {
                    series = batch.Series[place],
                    sample = batch.Times[place],
                    e.Time,
                    value = e.Value.AsDouble,
                    e.TraceId,
                    e.SpanId,
                    content = fields.ToArray(),
                }
            );
        }
    }

    private void Apply(SampleBatch batch)
    {
        using var order = SeriesOrder.Of(batch);
        Apply(batch, order);
    }

    private void Apply(SampleBatch batch, SeriesOrder order)
    {
        foreach (var (id, first, end) in order.Parts)
        {
            if (id >= _buffers.Length)
                Array.Resize(ref _buffers, Math.Max(id + 1, _buffers.Length * 2));
            (_buffers[id] ??= new SampleBuffer()).Add(order, first, end);
            ref var last = ref Last(id);
            for (var i = first; i < end; i++)
                if (order.Times[i] >= last.Time)
                    last = (order.Times[i], order.Values[i]);
        }
        _unsealed += batch.Count;
    }

    private ref (long Time, double Value) Last(int id)
    {
        if (id >= _last.Length)
            Array.Resize(ref _last, Math.Max(id + 1, _last.Length * 2));
        return ref _last[id];
    }

    /// <summary>Some series with their last samples.</summary>
    public IReadOnlyList<SeriesState> States(IEnumerable<MetricSeries> series)
    {
        lock (_lock)
            return
            [
                .. series.Select(s =>
                {
                    var (time, value) = Last(s.Id);
                    return new SeriesState(s, time, value);
                }),
            ];
    }

    /// <summary>The series of a source that had a sample last, the latest first.</summary>
    public IReadOnlyList<SeriesState> Latest(string source, int most) =>
        [
            .. States(Book.All().Where(s => s.Source == source))
                .Where(s => s.Time > 0)
                .OrderByDescending(s => s.Time)
                .ThenBy(s => s.Series.Name, StringComparer.Ordinal)
                .Take(most),
        ];

    /// <summary>All samples of some series up to now, to be disposed after reading.</summary>
    public MetricSnapshot Snapshot(IReadOnlyList<MetricSeries> series)
    {
        lock (_lock)
        {
            var (segments, pin) = _pins.Take();
            return new MetricSnapshot(
                _records.Database,
                [.. series.OrderBy(s => s.Id)],
                segments,
                [.. series.OrderBy(s => s.Id).Select(s => s.Id < _buffers.Length ? _buffers[s.Id]?.View() ?? default : default)],
                pin,
                SetAside
            );
        }
    }

    /// <summary>All that is kept of the samples in a window, a metric for each series.</summary>
    /// <param name="source">Of one source; null for all.</param>
    public IEnumerable<Metric> Read(Window window, string? source = null)
    {
        using var snapshot = Snapshot([.. Book.All().Where(s => source is null || s.Source == source)]);
        for (var at = 0; at < snapshot.Series.Count; at += ReadAtOnce)
            foreach (
                var (series, pieces) in snapshot.Read(
                    at,
                    Math.Min(snapshot.Series.Count, at + ReadAtOnce),
                    new SampleNeeds(window),
                    CancellationToken.None
                )
            )
            {
                var exemplars = Exemplars(series, window);
                Sample[] samples =
                [
                    .. pieces.SelectMany(p =>
                        Enumerable
                            .Range(p.First, p.End - p.First)
                            .Select(i => new Sample
                            {
                                Time = p.Run!.Times[i],
                                Start = p.Run.Starts?[i] ?? 0,
                                Attributes = series.Attributes,
                                Value =
                                    series.IsDistribution || double.IsNaN(p.Run.Values[i])
                                        ? Value.Missing
                                        : Value.Of(p.Run.Values[i]),
                                Distribution = p.Run.Distributions?[i],
                                Exemplars = [.. exemplars[p.Run.Times[i]]],
                            })
                    ),
                ];
                if (samples.Length > 0)
                    yield return new Metric(
                        series.Name,
                        series.Unit,
                        series.Description,
                        series.Kind,
                        series.Resource,
                        series.Scope,
                        samples
                    )
                    {
                        Temporality = series.Temporality,
                        IsMonotonic = series.IsMonotonic,
                        Metadata = series.Metadata,
                    };
            }
    }

    private sealed class ExemplarRow
    {
        public long Series { get; init; }
        public long Sample { get; init; }
        public long Time { get; init; }
        public double Value { get; init; }
        public string? TraceId { get; init; }
        public string? SpanId { get; init; }
        public byte[] Fields { get; init; } = [];
    }

    /// <summary>All exemplars that were measured in a window, each with its series and the time of its sample.</summary>
    public IEnumerable<(MetricSeries Series, long Sample, Exemplar Exemplar)> Exemplars(Window window)
    {
        using var connection = _records.Database.Read();
        var strings = new StringCache();
        // A sample carries exemplars from before it; how long before is not said, but a day is more than any sender waits.
        var rows = connection.Query<ExemplarRow>(
            $"SELECT series AS Series, {ExemplarColumns} FROM exemplar WHERE sample >= @From AND sample < @Until AND time >= @From AND time < @To ORDER BY id",
            new
            {
                window.From,
                window.To,
                Until = window.To < long.MaxValue - Instants.Day ? window.To + Instants.Day : long.MaxValue,
            },
            buffered: false
        );
        foreach (var row in rows)
            if (Book.Get((int)row.Series) is { } series)
                yield return (series, row.Sample, Read(row, strings));
    }

    private const string ExemplarColumns =
        "sample AS Sample, time AS Time, value AS Value, trace_id AS TraceId, span_id AS SpanId, fields AS Fields";

    private static Exemplar Read(ExemplarRow row, StringCache strings)
    {
        var from = new ByteReader(row.Fields);
        return new Exemplar(row.Time, Value.Of(row.Value), row.TraceId, row.SpanId, SeriesCodec.ReadFields(ref from, strings));
    }

    /// <summary>The exemplars of a series by the time of the sample that carried them.</summary>
    public ILookup<long, Exemplar> Exemplars(MetricSeries series, Window window)
    {
        using var connection = _records.Database.Read();
        var strings = new StringCache();
        return connection
            .Query<ExemplarRow>(
                $"SELECT {ExemplarColumns} FROM exemplar WHERE series = @Id AND sample >= @From AND sample < @To ORDER BY id",
                new
                {
                    series.Id,
                    window.From,
                    window.To,
                }
            )
            .ToLookup(r => r.Sample, r => Read(r, strings));
    }

    /// <summary>Samples by source and day of arrival.</summary>
    /// <param name="starts">The beginnings of days, rising.</param>
    public IReadOnlyList<(string Source, long Day, long Items)> Daily(Window window, IReadOnlyList<long> starts)
    {
        using var connection = _records.Database.Read();
        return
        [
            .. connection
                .Query<(string Source, long Hour, long Samples)>(
                    "SELECT source, hour, samples FROM metric_arrival WHERE hour >= @From AND hour < @To",
                    new { From = window.From - Instants.Hour + 1, window.To }
                )
                .Select(a => (a.Source, Day: starts.LastOrDefault(s => s <= Math.Max(a.Hour, starts[0])), a.Samples))
                .GroupBy(a => (a.Source, a.Day))
                .Select(g => (g.Key.Source, g.Key.Day, g.Sum(a => a.Samples))),
        ];
    }

    /// <summary>What waits to be sealed, and the last committed batch in it.</summary>
    internal (IReadOnlyList<(MetricSeries Series, BufferView View)> Waiting, long LastRecent) Waiting()
    {
        lock (_lock)
        {
            var waiting = new List<(MetricSeries, BufferView)>();
            for (var id = 0; id < _buffers.Length; id++)
                if (_buffers[id] is { Count: > 0 } buffer && Book.Get(id) is { } series)
                    waiting.Add((series, buffer.View()));
            return (waiting, _lastRecent);
        }
    }

    /// <summary>Puts segments in place of what waited.</summary>
    internal Task CommitSealed(
        IReadOnlyList<EncodedMetricSegment> encoded,
        IReadOnlyList<(MetricSeries Series, BufferView View)> sealedViews,
        long lastRecent
    )
    {
        var last = States(sealedViews.Select(v => v.Series))
            .Select(s => new
            {
                s.Series.Id,
                s.Time,
                Value = double.IsFinite(s.Value) ? s.Value : (double?)null,
            })
            .ToList();
        return _records.Database.Writer.Write(
            connection =>
            {
                var segments = encoded.Select(e => MetricTable.Insert(connection, e)).ToList();
                connection.Execute("DELETE FROM metric_recent WHERE id <= @lastRecent", new { lastRecent });
                connection.Execute(
                    "UPDATE series SET last_time = MAX(last_time, @Time), last_value = @Value WHERE id = @Id",
                    last
                );
                return segments;
            },
            segments =>
            {
                lock (_lock)
                {
                    foreach (var (series, view) in sealedViews)
                        _buffers[series.Id] = _buffers[series.Id]?.After(view.Count);
                    _unsealed -= sealedViews.Sum(v => (long)v.View.Count);
                    _pins.Replace([.. _pins.Newest, .. segments]);
                }
            },
            encoded.Sum(e => (int)e.Segment.Bytes)
        );
    }

    /// <summary>Adds segments and takes others from the list.</summary>
    /// <returns>The version that is without them.</returns>
    internal Task<long> Commit(IReadOnlyList<EncodedMetricSegment> added, IReadOnlyList<MetricSegment> gone)
    {
        var version = 0L;
        return _records
            .Database.Writer.Write(
                connection =>
                {
                    var segments = added.Select(e => MetricTable.Insert(connection, e)).ToList();
                    MetricTable.MarkGone(connection, gone.Select(s => s.Id));
                    return segments;
                },
                segments =>
                {
                    var ids = gone.Select(g => g.Id).ToHashSet();
                    lock (_lock)
                        version = _pins.Replace([.. _pins.Newest.Where(s => !ids.Contains(s.Id)), .. segments]);
                },
                added.Sum(e => (int)e.Segment.Bytes)
            )
            .ContinueWith(
                t =>
                {
                    t.GetAwaiter().GetResult();
                    return version;
                },
                TaskScheduler.Default
            );
    }

    /// <summary>Puts segments with fewer parts in place of themselves.</summary>
    internal long Replace(IReadOnlyList<MetricSegment> thinner)
    {
        var byId = thinner.ToDictionary(s => s.Id);
        lock (_lock)
            return _pins.Replace([.. _pins.Newest.Select(s => byId.GetValueOrDefault(s.Id, s))]);
    }

    internal bool IsReadBefore(long version) => _pins.IsReadBefore(version);

    /// <summary>Forgets series that have no samples any more.</summary>
    internal Task<int> ForgetEmpty(long before) =>
        _records.Database.Writer.Write(connection =>
        {
            List<int> empty;
            lock (_lock)
            {
                var used = _pins.Newest.SelectMany(s => s.Series).ToHashSet();
                empty =
                [
                    .. Book.All()
                        .Where(s =>
                            !used.Contains(s.Id)
                            && (s.Id >= _buffers.Length || _buffers[s.Id] is null)
                            && Last(s.Id).Time is > 0 and var time
                            && time < before
                        )
                        .Select(s => s.Id),
                ];
                Book.Remove(empty);
            }
            connection.Execute("DELETE FROM series WHERE id = @id", empty.Select(id => new { id }));
            return empty.Count;
        });

    /// <summary>Takes a damaged segment out of the list and says so; nothing of it is deleted.</summary>
    private void SetAside(MetricSegment segment, string reason)
    {
        lock (_lock)
            _pins.Replace([.. _pins.Newest.Where(s => s.Id != segment.Id)]);
        _records.Database.Writer.Write(
            connection => MetricTable.MarkDamaged(connection, segment.Id, reason),
            marked =>
            {
                if (marked > 0)
                    _records.Notice(
                        FormattableString.Invariant(
                            $"{segment.Samples} samples of {Instants.ToDateTime(segment.Day):yyyy-MM-dd} are damaged and were set aside. Restore them from a backup if there is one. (Segment {segment.Id} of metrics: {reason})"
                        )
                    );
            }
        );
    }

    public void Dispose() => _upkeep.Dispose();
}
