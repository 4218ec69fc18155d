using System.Runtime.CompilerServices;
using Kumiko.Core.Changes;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Entities;

/// <summary>
/// What runs here: services and hosts by name, and instances with each of their runs. Told by the resources of all that comes in;
/// restarts by start times, by counters that fall, by first lines; ends by what records tell of them.
/// </summary>
public sealed class InstanceBook : IDisposable
{
    private const int MostInstances = 50_000;
    private const int MostNames = 50_000;
    private const int MostRuns = 200_000;

    /// <summary>A start time is told a little differently by each part of a program.</summary>
    private const long SameStart = 2 * Instants.Second;

    /// <summary>So near to the start of an instance a first line of its service on its host is of it, though it does not say
    /// so.</summary>
    private const long SameBeginning = 2 * Instants.Minute;
    private const int StartsKept = 64;
    private const long Kept = 90 * Instants.Day;
    private const long SaveEvery = Instants.Minute;

    private readonly RecordStore _records;
    private readonly MetricStore _metrics;
    private readonly InstanceStore _store;
    private readonly ChangeStore _changes;
    private readonly UpkeepLoop _loop;
    private readonly Lock _lock = new();
    private readonly Dictionary<string, InstanceRun> _latest = new(StringComparer.Ordinal);
    private readonly Dictionary<(string, long), InstanceRun> _unsaved = [];
    private readonly List<InstanceRun> _forgotten = [];
    private readonly HashSet<string> _services = new(StringComparer.Ordinal);
    private readonly HashSet<string> _hosts = new(StringComparer.Ordinal);
    private readonly Dictionary<string, (string Series, double Value, long Time)> _counters = new(StringComparer.Ordinal);

    // When instances that say so began, by service and host.
    private readonly Dictionary<(string Service, string Host), Queue<long>> _starts = [];
    private readonly FirstLines _firstLines = new();
    private readonly ConditionalWeakTable<Resource, Identified> _identities = [];
    private long? _saved;
    private long? _pruned;

    private sealed record Identified(InstanceIdentity? Identity);

    public InstanceBook(
        RecordStore records,
        MetricStore metrics,
        InstanceStore store,
        ChangeStore changes,
        TimeProvider clock,
        bool isBackground = true
    )
    {
        (_records, _metrics, _store, _changes) = (records, metrics, store, changes);
        foreach (var run in store.Latest(MostInstances))
        {
            _latest[run.Instance] = run;
            Name(run.Service, run.Host);
        }
        foreach (var series in metrics.Book.All())
            Name(series.Resource.Service.ToText(), series.Resource.Host.ToText());
        _loop = new UpkeepLoop(
            "What runs here could not be written down, and it is tried again: ",
            records.Notice,
            records.Forget,
            RunOnce,
            clock
        );
        records.Committed += Look;
        records.SpansCommitted += Look;
        metrics.Taken += Look;
        if (isBackground)
            _loop.Start("instances");
    }

    /// <summary>What a name is called that runs here; null for one that does not.</summary>
    public EntityKind? KindOf(string name)
    {
        lock (_lock)
        {
            if (_services.Contains(name))
                return EntityKind.Service;
            if (_hosts.Contains(name))
                return EntityKind.Host;
            return _latest.ContainsKey(name) ? EntityKind.Instance : null;
        }
    }

    /// <summary>The services that are known, by name.</summary>
    public IReadOnlyList<string> Services
    {
        get
        {
            lock (_lock)
                return [.. _services.Order(StringComparer.Ordinal)];
        }
    }

    /// <summary>Runs that touch a window, by their start.</summary>
    public IReadOnlyList<InstanceRun> In(Window window)
    {
        var runs = _store.In(window).ToDictionary(r => (r.Instance, r.Started));
        lock (_lock)
        {
            foreach (var run in _forgotten)
                runs.Remove((run.Instance, run.Started));
            foreach (var (key, run) in _unsaved)
                if (run.Started < window.To && Math.Max(run.Seen, run.Ended ?? run.Seen) >= window.From)
                    runs[key] = run;
        }
        return [.. runs.Values.OrderBy(r => r.Started).ThenBy(r => r.Instance, StringComparer.Ordinal)];
    }

    private void Name(string service, string host)
    {
        if (service.Length is > 0 and <= InstanceIdentity.Longest && _services.Count < MostNames)
            _services.Add(service);
        if (host.Length is > 0 and <= InstanceIdentity.Longest && _hosts.Count < MostNames)
            _hosts.Add(host);
    }

    private InstanceIdentity? IdentityOf(Resource resource) =>
        _identities.GetValue(resource, r => new Identified(InstanceIdentity.Of(r))).Identity;

    private void Look(string source, RecordBlock block)
    {
        var seen = new (long First, long Last)[block.Resources.Length];
        Array.Fill(seen, (long.MaxValue, long.MinValue));
        for (var row = 0; row < block.Count; row++)
        {
            ref var of = ref seen[block.ResourceOf[row]];
            of = (Math.Min(of.First, block.TimeOf[row]), Math.Max(of.Last, block.TimeOf[row]));
        }
        lock (_lock)
        {
            for (var r = 0; r < block.Resources.Length; r++)
            {
                var resource = block.Resources[r];
                Name(resource.Service.ToText(), resource.Host.ToText());
                if (seen[r].First <= seen[r].Last && IdentityOf(resource) is { } identity)
                    See(identity, source, seen[r].First, seen[r].Last, InstanceRun.ByStartTime);
            }
            if (block.Signal != Signal.Logs)
                return;
            foreach (var (row, reason) in EndReasons.In(block))
                if (EndReasons.InstanceOf(block, row) is { } ended)
                    End(ended, source, block.TimeOf[row], reason);
            foreach (var row in FirstLines.In(block))
            {
                var resource = block.Resources[block.ResourceOf[row]];
                if (IdentityOf(resource) is not { Start: not null })
                    Begins(resource, source, block.TimeOf[row]);
            }
        }
    }

    /// <summary>Something of an instance was seen.</summary>
    /// <param name="noticed">By what its start is known, where it says that it started.</param>
    private void See(InstanceIdentity identity, string source, long first, long last, string noticed)
    {
        if (!_latest.TryGetValue(identity.Id, out var run))
        {
            if (identity.Start is { } began)
                Began(identity, began);
            Put(
                New(identity, source, identity.Start ?? first, identity.Start is null ? InstanceRun.ByFirstSight : noticed, last)
            );
            return;
        }
        if (identity.Start is { } start && start > run.Started + SameStart && start > run.Seen - Instants.Hour)
        {
            Replace(run, New(identity, source, start, noticed, last));
            return;
        }
        // What comes after its end is another run, though nobody told of its start.
        if (run.Ended is { } ended && first > ended + SameStart && identity.Start is null)
        {
            Replace(run, New(identity, source, first, InstanceRun.ByFirstSight, last));
            return;
        }
        if (identity.Start is { } earlier && earlier < run.Started - SameStart && run.Noticed == InstanceRun.ByFirstSight)
        {
            _forgotten.Add(run);
            _unsaved.Remove((run.Instance, run.Started));
            run = run with { Started = earlier, Noticed = noticed };
        }
        Put(
            run with
            {
                Seen = Math.Max(run.Seen, last),
                Service = run.Service.Length > 0 ? run.Service : identity.Service,
                Host = run.Host.Length > 0 ? run.Host : identity.Host,
            }
        );
    }

    /// <summary>An instance says when it began: what only a first line told of this beginning is forgotten.</summary>
    private void Began(InstanceIdentity identity, long start)
    {
        if (!_starts.TryGetValue((identity.Service, identity.Host), out var starts))
        {
            if (_starts.Count >= MostNames)
                _starts.Clear();
            _starts.Add((identity.Service, identity.Host), starts = new Queue<long>());
        }
        starts.Enqueue(start);
        if (starts.Count > StartsKept)
            starts.Dequeue();
        var nameless = Nameless(identity.Service, identity.Host);
        if (!_latest.TryGetValue(nameless, out var run) || run.Noticed != InstanceRun.ByFirstLine)
            return;
        if (Math.Abs(run.Started - start) >= SameBeginning)
            return;
        _latest.Remove(nameless);
        _unsaved.Remove((run.Instance, run.Started));
        _forgotten.Add(run);
    }

    private static string Nameless(string service, string host) => $"{service}@{host}";

    private static InstanceRun New(InstanceIdentity identity, string source, long started, string noticed, long seen) =>
        new(identity.Id, started, identity.Kind, identity.Service, identity.Host, source, noticed, Math.Max(seen, started));

    private void Put(InstanceRun run)
    {
        // Many at once, as looking for the oldest at each would cost a flood of new ones dear.
        if (_latest.Count >= MostInstances && !_latest.ContainsKey(run.Instance))
            foreach (var old in _latest.Values.OrderBy(r => r.Seen).Take(MostInstances / 10).ToList())
                _latest.Remove(old.Instance);
        _latest[run.Instance] = run;
        if (_unsaved.Count < 2 * MostInstances || _unsaved.ContainsKey((run.Instance, run.Started)))
            _unsaved[(run.Instance, run.Started)] = run;
    }

    /// <summary>An instance began anew: the run before ended when it was last seen, unless somebody told when.</summary>
    private void Replace(InstanceRun before, InstanceRun now)
    {
        Put(before with { Ended = before.Ended ?? Math.Min(before.Seen, now.Started) });
        Put(now with { MemoryLimit = before.MemoryLimit, CpuLimit = before.CpuLimit });
    }

    private void End(InstanceIdentity identity, string source, long at, string reason)
    {
        if (!_latest.TryGetValue(identity.Id, out var run))
            run = New(identity, source, Math.Min(identity.Start ?? at, at), InstanceRun.ByFirstSight, at);
        // What is told late of the run before is not of this one.
        if (at < run.Started)
            return;
        Put(run with { Ended = at, Reason = reason, Seen = Math.Max(run.Seen, at) });
    }

    private void Begins(Resource resource, string source, long at)
    {
        var (service, host) = (resource.Service.ToText(), resource.Host.ToText());
        if (service.Length == 0 || !_firstLines.Tells(service, host, at))
            return;
        var named = IdentityOf(resource);
        if (named is null && _starts.TryGetValue((service, host), out var starts))
            if (starts.Any(s => Math.Abs(s - at) < SameBeginning))
                return;
        var identity = named ?? new InstanceIdentity(Nameless(service, host), "process", service, host, null);
        var now = New(identity, source, at, InstanceRun.ByFirstLine, at);
        if (!_latest.TryGetValue(identity.Id, out var run))
            Put(now);
        else if (at > run.Started + SameStart)
            Replace(run, now);
    }

    private void Look(IReadOnlyList<Metric> metrics, string source)
    {
        lock (_lock)
            foreach (var metric in metrics)
            {
                Name(metric.Resource.Service.ToText(), metric.Resource.Host.ToText());
                if (metric.Samples.Count == 0 || IdentityOf(metric.Resource) is not { } identity)
                    continue;
                var (first, last) = (metric.Samples.Min(s => s.Time), metric.Samples.Max(s => s.Time));
                var isNew = !_latest.ContainsKey(identity.Id);
                if (isNew)
                    See(identity, source, first, last, InstanceRun.ByStartTime);
                // Before it is noted that it was seen: the run before ended when it was seen last.
                if (metric is { Kind: MetricKind.Sum, IsMonotonic: true, Temporality: Temporality.Cumulative })
                    Counter(identity, source, metric);
                if (!isNew)
                    See(identity, source, first, last, InstanceRun.ByStartTime);
                Limits(identity, metric);
            }
    }

    private void Limits(InstanceIdentity identity, Metric metric)
    {
        var name = metric.Name.Replace('_', '.');
        var (isMemory, isCpu) = (
            name.EndsWith("memory.limit", StringComparison.Ordinal),
            name.EndsWith("cpu.limit", StringComparison.Ordinal)
        );
        if ((!isMemory && !isCpu) || !metric.Samples[^1].Value.IsQuantity)
            return;
        var (run, limit) = (_latest[identity.Id], metric.Samples[^1].Value.AsDouble);
        if ((isMemory ? run.MemoryLimit : run.CpuLimit) != limit)
            Put(isMemory ? run with { MemoryLimit = limit } : run with { CpuLimit = limit });
    }

    /// <summary>One counter of each instance is followed: where it falls, the instance began anew.</summary>
    private void Counter(InstanceIdentity identity, string source, Metric metric)
    {
        // Those that say when they started are believed.
        if (identity.Start is not null)
            return;
        foreach (var sample in metric.Samples)
        {
            if (!sample.Value.IsQuantity)
                continue;
            var (series, value) = ($"{metric.Name} {Value.Of(sample.Attributes).ToText()}", sample.Value.AsDouble);
            if (_counters.TryGetValue(identity.Id, out var before))
            {
                if (before.Series != series || sample.Time <= before.Time)
                    continue;
                if (value < before.Value)
                    Replace(
                        _latest[identity.Id],
                        New(
                            identity,
                            source,
                            sample.Start > before.Time ? sample.Start : sample.Time,
                            InstanceRun.ByCounter,
                            sample.Time
                        )
                    );
            }
            else if (_counters.Count >= MostInstances)
                continue;
            _counters[identity.Id] = (series, value, sample.Time);
        }
    }

    private async Task RunOnce()
    {
        if (!_loop.MayTry || !IsOver(_saved, SaveEvery))
            return;
        await Save();
        _loop.Healed();
    }

    /// <summary>Whether it is so long since a time, or a clock went back behind it.</summary>
    private bool IsOver(long? since, long length) => since is not { } then || _loop.Now - then >= length || _loop.Now < then;

    /// <summary>Writes down what changed, and tells changes of before where they were made.</summary>
    public async Task Save()
    {
        InstanceRun[] runs;
        InstanceRun[] forgotten;
        lock (_lock)
            (runs, forgotten) = ([.. _unsaved.Values], [.. _forgotten]);
        _saved = _loop.Now;
        if (forgotten.Length > 0)
            await _store.Forget(forgotten);
        if (runs.Length > 0)
            await _store.Save(runs);
        lock (_lock)
        {
            foreach (var run in runs)
                if (_unsaved.GetValueOrDefault((run.Instance, run.Started)) == run)
                    _unsaved.Remove((run.Instance, run.Started));
            _forgotten.RemoveAll(forgotten.Contains);
        }
        if (IsOver(_pruned, Instants.Hour))
        {
            _pruned = _loop.Now;
            await _store.Prune(_loop.Now - Kept, MostRuns);
        }
        bool knows;
        lock (_lock)
            knows = _services.Count + _hosts.Count > 0;
        while (knows && await _changes.Fill(KindOf) > 0) { }
    }

    public void Dispose()
    {
        _records.Committed -= Look;
        _records.SpansCommitted -= Look;
        _metrics.Taken -= Look;
        _loop.Dispose();
    }
}
