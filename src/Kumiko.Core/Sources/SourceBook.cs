using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;

namespace Kumiko.Core.Sources;

/// <summary>
/// Counts what each source sends. It hears of everything that the stores commit or keep as refused; receivers tell how
/// a source was recognised. Counts are written down now and then: a killed process loses the last seconds of them.
/// </summary>
public sealed class SourceBook
{
    private const int MostSources = 20_000;
    private const int DelaysOfBatch = 8;

    private readonly SourceStore _store;
    private readonly TimeProvider _clock;
    private readonly Dictionary<string, SourceCounts> _sources = new(StringComparer.Ordinal);

    public SourceBook(RecordStore records, SpanStore signals, MetricStore metrics, AppDatabase database, TimeProvider clock)
    {
        (_store, _clock) = (new SourceStore(database), clock);
        foreach (var row in _store.All())
            _sources[row.Name] = row;
        records.Committed += CountRecords;
        records.Kept += (source, refused) => Count(source, 0, 0, s => s.Refused += refused);
        metrics.Committed += batch => Count(batch.Source, batch.Items, batch.Newest, s => s.Samples += batch.Items);
        signals.Committed += batch => Count(batch.Source, batch.Items, batch.Newest, s => s.Spans += batch.Items);
    }

    private long Now => Instants.FromDateTime(_clock.GetUtcNow());

    private void CountRecords(string source, RecordBlock records)
    {
        Count(source, records.Count, records.TimeOf.Max(), s =>
        {
            s.Records += records.Count;
            for (var i = 0; i < DelaysOfBatch && i < records.Count; i++)
            {
                var row = (int)((long)i * records.Count / Math.Min(DelaysOfBatch, records.Count));
                var (time, observed) = (records.TimeOf[row], records.ObservedOf[row]);
                // Where the sender gave no time, the observed one stands for it and there is nothing to learn.
                if (time != observed)
                    s.AddDelay(observed - time);
            }
        });
    }

    /// <summary>Counts changes, which a store of their own keeps.</summary>
    public void CountChange(string source, long at) => Count(source, 1, at, s => s.Changes++);

    /// <summary>Notes how a source sends and how it was told from others.</summary>
    public void Recognise(string source, string protocol, string how)
    {
        lock (_sources)
        {
            if (Of(source) is not { } counts || (counts.Protocol == protocol && counts.Recognised == how))
                return;
            (counts.Protocol, counts.Recognised, counts.IsChanged) = (protocol, how, true);
        }
    }

    private void Count(string source, long items, long newest, Action<SourceCounts> count)
    {
        lock (_sources)
        {
            if (Of(source) is not { } counts)
                return;
            // What was refused was seen too, but is no sign of its records.
            if (items > 0)
                counts.Add(Now, items, newest);
            else if (counts.FirstSeen == 0)
                counts.FirstSeen = Now;
            counts.IsChanged = true;
            count(counts);
        }
    }

    private SourceCounts? Of(string source)
    {
        if (_sources.TryGetValue(source, out var known))
            return known;
        return _sources.Count >= MostSources ? null : _sources[source] = new SourceCounts { Name = source };
    }

    /// <summary>All sources, by name.</summary>
    public IReadOnlyList<SourceState> All()
    {
        var now = Now;
        lock (_sources)
            return [.. _sources.Values.Select(s => s.At(now)).OrderBy(s => s.Name, StringComparer.Ordinal)];
    }

    public SourceState? Find(string name)
    {
        lock (_sources)
            return _sources.GetValueOrDefault(name)?.At(Now);
    }

    /// <summary>Writes down what changed.</summary>
    public Task Save()
    {
        List<SourceState> changed;
        lock (_sources)
        {
            changed = [.. _sources.Values.Where(s => s.IsChanged).Select(s => s.At(0))];
            foreach (var source in _sources.Values)
                source.IsChanged = false;
        }
        return changed.Count == 0 ? Task.CompletedTask : _store.Save(changed);
    }
}
