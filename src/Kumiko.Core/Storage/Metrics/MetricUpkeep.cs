using Dapper;
using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>
/// What keeps the samples in shape, on a thread of its own or when called: one thing at a time, each a transaction of its
/// own, so that a killed process goes on where it was.
/// </summary>
public sealed class MetricUpkeep : IDisposable
{
    /// <summary>So many samples are sealed at once, and not later than after an hour.</summary>
    internal const long SealedAt = 4L << 20;

    private static readonly long SealEvery = Instants.Hour;
    private static readonly long CloseAfter = 10 * Instants.Minute;
    private static readonly long RetainEvery = Instants.Minute;
    private const int SeriesOfClosed = 128;

    private readonly MetricStore _store;
    private readonly MetricOptions _options;
    private readonly UpkeepLoop _loop;
    private readonly List<(long Id, int Parts, long Version)> _leaving = [];
    private long _sealedAt;
    private long _retained;

    internal MetricUpkeep(MetricStore store, RecordStore records, TimeProvider clock, MetricOptions options)
    {
        (_store, _options) = (store, options);
        _loop = new UpkeepLoop(
            "Samples of metrics could not be put in order, and it is tried again: ",
            records.Notice,
            records.Forget,
            RunOnce,
            clock
        );
        _sealedAt = Now;
        using (var connection = records.Database.Read())
            _leaving.AddRange(MetricTable.Gone(connection).Select(id => (id, 0, 0L)));
        if (options.Background)
            _loop.Start("upkeep of metrics");
    }

    internal bool IsRunning => _loop.IsRunning;

    private long Now => _loop.Now;

    internal void Wake() => _loop.Wake();

    /// <summary>Done when something was sealed, or tried to be.</summary>
    internal Task Sealed() => _loop.Round();

    private async Task RunOnce()
    {
        if (!_loop.MayTry)
            return;
        if (_store.Unsealed >= SealedAt || (_store.Unsealed > 0 && Now - _sealedAt >= SealEvery))
            await Seal();
        await CloseDays();
        if (Now - _retained >= RetainEvery || Now < _retained)
            await Retain();
        await Sweep();
        _loop.Healed();
    }

    /// <summary>Puts all that waits into segments.</summary>
    public async Task Seal()
    {
        using var turn = await _loop.Turn();
        _sealedAt = Now;
        var (waiting, lastRecent) = _store.Waiting();
        if (waiting.Count == 0)
            return;
        var runs = new SampleRun[waiting.Count];
        Parallel.For(0, runs.Length, new ParallelOptions { MaxDegreeOfParallelism = 2 }, i => runs[i] = waiting[i].View.Run());
        var days = new SortedDictionary<long, List<(MetricSeries Series, SampleRun Run)>>();
        for (var i = 0; i < runs.Length; i++)
            foreach (var (day, part) in ByDay(runs[i]))
            {
                if (!days.TryGetValue(day, out var list))
                    days.Add(day, list = []);
                list.Add((waiting[i].Series, part));
            }
        var cut = days.SelectMany(d => Cut(d.Value, int.MaxValue).Select(c => (Day: d.Key, Runs: c))).ToArray();
        var encoded = new EncodedMetricSegment[cut.Length];
        Parallel.For(0, cut.Length, new ParallelOptions { MaxDegreeOfParallelism = 2 }, i =>
            encoded[i] = MetricSegmentWriter.Write(cut[i].Runs, cut[i].Day, closed: false)
        );
        await _store.CommitSealed(encoded, waiting, lastRecent);
    }

    private static IEnumerable<(long Day, SampleRun Run)> ByDay(SampleRun run)
    {
        for (var first = 0; first < run.Count; )
        {
            var day = MetricSegment.DayOf(run.Times[first]);
            var (_, end) = run.Range(day, day + Instants.Day);
            if (first == 0 && end == run.Count)
            {
                yield return (day, run);
                yield break;
            }
            yield return (day, Slice(run, first, end));
            first = end;
        }
    }

    private static SampleRun Slice(SampleRun run, int first, int end) =>
        new(
            new TimeBlock(run.Times[first..end]),
            run.Values[first..end],
            run.Starts?[first..end],
            run.Distributions?[first..end]
        );

    /// <summary>Runs of rising series as the runs of segments, none with more samples or series than one may have.</summary>
    private static IEnumerable<List<(MetricSeries Series, SampleRun Run)>> Cut(
        IEnumerable<(MetricSeries Series, SampleRun Run)> runs,
        int mostSeries
    )
    {
        var (next, samples) = (new List<(MetricSeries, SampleRun)>(), 0);
        foreach (var (series, run) in runs)
            for (var first = 0; first < run.Count; first += MetricSegmentWriter.MostSamples)
            {
                var part =
                    run.Count <= MetricSegmentWriter.MostSamples
                        ? run
                        : Slice(run, first, Math.Min(run.Count, first + MetricSegmentWriter.MostSamples));
                // A second part of one series begins a segment of its own, as each has a chunk for a series.
                if (
                    next.Count > 0
                    && (samples + part.Count > MetricSegmentWriter.MostSamples || next.Count >= mostSeries || first > 0)
                )
                {
                    yield return next;
                    (next, samples) = ([], 0);
                }
                next.Add((series, part));
                samples += part.Count;
            }
        if (next.Count > 0)
            yield return next;
    }

    /// <summary>Brings the segments of each day that is over into chunks of a whole day, with levels.</summary>
    /// <returns>How many days were closed.</returns>
    public async Task<int> CloseDays()
    {
        using var turn = await _loop.Turn();
        var over = Now - Instants.Day - CloseAfter;
        var days = _store.Segments.Where(s => !s.IsClosed && s.Day <= over).Select(s => s.Day).Distinct().Order().ToList();
        foreach (var day in days)
            await Close(day);
        return days.Count;
    }

    private async Task Close(long day)
    {
        var open = _store.Segments.Where(s => s.Day == day && !s.IsClosed).ToList();
        var late = open.SelectMany(s => s.Series).ToHashSet();
        // Of the closed ones only those whose series have something new.
        var touched = _store
            .Segments.Where(s => s.Day == day && s.IsClosed && s.HasSamples && s.Series.Any(late.Contains))
            .ToList();
        List<MetricSegment> sources = [.. touched, .. open];
        var ids = sources.SelectMany(s => s.Series).Distinct().Order().ToList();
        var series = ids.Select(_store.Book.Get).OfType<MetricSeries>().ToList();
        // Of a series whose row is damaged the samples stay as they are, until it is restored.
        if (series.Count < ids.Count)
            return;
        for (var at = 0; at < series.Count; at += SeriesOfClosed)
        {
            _loop.Stopping.ThrowIfCancellationRequested();
            var some = series.GetRange(at, Math.Min(SeriesOfClosed, series.Count - at));
            var runs = new List<(MetricSeries, SampleRun)>();
            using (var snapshot = _store.Snapshot(some))
                runs.AddRange(snapshot.OfSegments(sources).Where(r => r.Run.Count > 0));
            var cut = Cut(runs, SeriesOfClosed).ToArray();
            var encoded = new EncodedMetricSegment[cut.Length];
            Parallel.For(0, cut.Length, new ParallelOptions { MaxDegreeOfParallelism = 2 }, i =>
                encoded[i] = MetricSegmentWriter.Write(cut[i], day, closed: true)
            );
            // A part at a time: until the last, a reader finds some samples twice, which counts them once.
            var last = at + SeriesOfClosed >= series.Count;
            var version = await _store.Commit(encoded, last ? sources : []);
            if (last)
                Leave(sources.Select(s => (s.Id, 0)), version);
        }
    }

    private void Leave(IEnumerable<(long Id, int Parts)> segments, long version)
    {
        lock (_leaving)
            _leaving.AddRange(segments.Select(s => (s.Id, s.Parts, version)));
    }

    /// <summary>Drops samples and levels that are too old, and series that have none left.</summary>
    public async Task Retain()
    {
        using var turn = await _loop.Turn();
        _retained = Now;
        if (_options.SamplesAge is not { } samples)
            return;
        var levels = _options.LevelsAge is { } age ? Math.Max(age, samples) : long.MaxValue;
        var now = Now;
        const int Kept = (1 << Grains.TenMinutes) | (1 << Grains.Hours);
        // Whole days: once one goes, no late sample of it is taken any more.
        long Age(MetricSegment segment) => now - segment.Day - Instants.Day;
        var old = _store.Segments.Where(s => Age(s) > samples).ToList();
        var gone = old.Where(s => Age(s) > levels || (s.IsClosed && (s.Parts & Kept) == 0)).ToList();
        if (gone.Count > 0)
            Leave(gone.Select(s => (s.Id, 0)), await _store.Commit([], gone));
        // What is not closed yet has no levels; it is closed first.
        var thinner = old.Except(gone)
            .Where(s => s.IsClosed && (s.Parts & ~Kept) != 0)
            .Select(s => s with { Parts = s.Parts & Kept })
            .ToList();
        if (thinner.Count > 0)
        {
            await _store.Database.Writer.Write(c =>
                c.Execute("UPDATE metric_segment SET parts = @Parts WHERE id = @Id", thinner.Select(s => new { s.Id, s.Parts }))
            );
            Leave(thinner.Select(s => (s.Id, s.Parts)), _store.Replace(thinner));
        }
        if (gone.Count > 0)
            await _store.ForgetEmpty(now - samples);
        await _store.Database.Writer.Write(c =>
            c.Execute("DELETE FROM exemplar WHERE sample < @before", new { before = now - samples })
        );
        await _store.Database.Writer.Write(c =>
            c.Execute("DELETE FROM metric_arrival WHERE hour < @before", new { before = now - samples - Instants.Day })
        );
    }

    /// <summary>Removes what nobody reads any more.</summary>
    /// <returns>How many segments it was.</returns>
    public async Task<int> Sweep()
    {
        using var turn = await _loop.Turn();
        List<(long Id, int Parts, long Version)> free;
        lock (_leaving)
            free = [.. _leaving.Where(l => !_store.IsReadBefore(l.Version))];
        foreach (var (id, parts, _) in free)
            await _store.Database.Writer.Write(c =>
            {
                if (parts == 0)
                    return MetricTable.Remove(c, id);
                MetricTable.Thin(c, id, parts);
                return 1;
            });
        lock (_leaving)
            _leaving.RemoveAll(free.Contains);
        return free.Count;
    }

    public void Dispose() => _loop.Dispose();
}
