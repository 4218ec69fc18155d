using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Rules;

/// <summary>
/// Rules on every record: shown each that was committed, once, whatever its time. After a restart those are shown that came after
/// the
/// last that were.
/// </summary>
public sealed class RecordRules : IDisposable
{
    /// <summary>With more waiting they are read from the store again, so that a flood does not fill memory.</summary>
    private const int MostWaiting = 100_000;

    private readonly RuleStore _rules;
    private readonly RecordStore _records;
    private readonly QuerySources _sources;
    private readonly RuleCheckStore _store;
    private readonly ConcurrentQueue<RecordBlock> _waiting = new();
    private int _count;
    private volatile bool _isBehind = true;
    private long _position;
    private IReadOnlyList<Rule> _known = [];

    public RecordRules(RuleStore rules, RecordStore records, QuerySources sources)
    {
        (_rules, _records, _sources, _store) = (rules, records, sources, new RuleCheckStore(rules));
        // Before the first start of all, what is there already was never waited for.
        _position = rules.Position() ?? Newest();
        records.Committed += Take;
    }

    private long Newest()
    {
        using var snapshot = _records.Current;
        return snapshot.Batches.Select(b => b.MaxSequence).DefaultIfEmpty(-1).Max();
    }

    private void Take(string source, RecordBlock records)
    {
        if (_isBehind)
            return;
        if (Interlocked.Add(ref _count, records.Count) > MostWaiting)
            _isBehind = true;
        else
            _waiting.Enqueue(records);
    }

    /// <summary>Whether records wait to be shown.</summary>
    public bool HasWaiting => _isBehind || !_waiting.IsEmpty;

    /// <summary>Shows the rules what waits; returns how many records matched.</summary>
    public async Task<int> ShowWaiting(CancellationToken cancel)
    {
        try
        {
            return await ShowAll(cancel);
        }
        catch
        {
            // What was taken from the queue and not shown is read from the store again.
            _isBehind = true;
            throw;
        }
    }

    private async Task<int> ShowAll(CancellationToken cancel)
    {
        _known = [.. _rules.Rules().Where(r => !r.Paused && r.Definition.Quantity is EachRecord)];
        var records = new List<LogRecord>();
        if (_isBehind)
        {
            // From now on they are handed over again; what comes twice is seen by its sequence.
            _waiting.Clear();
            _count = 0;
            _isBehind = false;
            if (_known.Count > 0)
                records.AddRange(Missed(cancel));
            else
                _position = Math.Max(_position, Newest());
        }
        while (_waiting.TryDequeue(out var batch))
        {
            Interlocked.Add(ref _count, -batch.Count);
            // Where nobody asks for them, records are not made of it.
            if (_known.Count > 0)
                records.AddRange(batch.Records);
            else
                _position = Math.Max(_position, batch.LastSequence);
        }
        // What was read from the store may have been handed over as well.
        records = [.. records.Where(r => r.Sequence > _position).DistinctBy(r => r.Sequence)];
        if (records.Count == 0)
            return 0;
        var last = records.Max(r => r.Sequence);
        var matched = 0;
        foreach (var rule in _known)
            matched += await Show(rule, records, cancel);
        _position = Math.Max(_position, last);
        if (_known.Count > 0)
            await _store.SetPosition(_position);
        return matched;
    }

    private List<LogRecord> Missed(CancellationToken cancel)
    {
        using var snapshot = _records.Current;
        var missed = new List<LogRecord>();
        foreach (var batch in snapshot.Batches.Where(b => b.MaxSequence > _position))
        {
            cancel.ThrowIfCancellationRequested();
            try
            {
                var rows = batch.Open(records: true);
                for (var i = 0; i < batch.Count; i++)
                    if (rows[i] is var record && record.Sequence > _position)
                        missed.Add(record);
            }
            // The store has set it aside and said so; the rest goes on.
            catch (DamagedSegmentException) { }
        }
        missed.Sort((a, b) => a.Sequence.CompareTo(b.Sequence));
        return missed;
    }

    private async Task<int> Show(Rule rule, List<LogRecord> records, CancellationToken cancel)
    {
        var definition = rule.Definition;
        var parsed = QueryParser.Parse(((EachRecord)definition.Quantity).Query);
        if (!parsed.Ok)
            return 0;
        try
        {
            using var run = new Run(
                new Question(
                    "rule",
                    parsed,
                    new Window(long.MinValue / 4, long.MaxValue / 4),
                    records[^1].Observed,
                    definition.TimeZone,
                    Limits.Default
                ),
                _records.Current,
                _sources
            );
            var read = run.Reader(definition.Keys);
            var found = new List<(LogRecord Record, Value[] Keys)>();
            foreach (var record in records)
                if (read(record) is { } keys)
                    found.Add((record, keys));
            if (found.Count == 0)
                return 0;
            cancel.ThrowIfCancellationRequested();
            await _store.SaveHappenings(rule, evaluator =>
            {
                var transitions = new List<AlertTransition>();
                foreach (var (record, keys) in found.OrderBy(f => f.Record.Time).ThenBy(f => f.Record.Sequence))
                {
                    transitions.AddRange(evaluator.Calm(record.Time));
                    if (
                        evaluator.Happened(
                            EachRecord.NameOf(keys),
                            [.. keys.Select(k => k.IsMissing ? "" : k.ToText())],
                            record.Time
                        ) is
                        { } transition
                    )
                        transitions.Add(transition);
                }
                return transitions;
            });
            return found.Count;
        }
        catch (QueryRefusedException)
        {
            return 0; /* the next check says so */
        }
    }

    public void Dispose() => _records.Committed -= Take;
}
