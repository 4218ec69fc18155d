using System.Collections.Concurrent;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>The runs that pages read from. A run ends ten seconds after its last reader.</summary>
public sealed class RunRegistry : IDisposable
{
    private static readonly TimeSpan Idle = TimeSpan.FromSeconds(10);

    private readonly RecordStore _store;
    private readonly TimeProvider _clock;
    private readonly ConcurrentDictionary<string, RegisteredRun> _runs = new();
    private readonly ITimer _timer;

    private sealed class RegisteredRun(Run run, DateTimeOffset used)
    {
        public Run Run { get; } = run;
        public DateTimeOffset Used { get; set; } = used;
    }

    public RunRegistry(RecordStore store, TimeProvider clock, QuerySources? sources = null, WorkGate? gate = null)
    {
        (_store, _clock, Sources) = (store, clock, (sources ?? QuerySources.None) with { Gate = gate });
        _timer = clock.CreateTimer(_ => Sweep(), null, Idle, Idle);
    }

    /// <summary>What runs of people and tokens can reach; they work in turn.</summary>
    public QuerySources Sources { get; }

    public int Count => _runs.Count;

    public Run Open(Question question)
    {
        var run = new Run(question, _store.Current, Sources);
        _runs[run.Id] = new RegisteredRun(run, _clock.GetUtcNow());
        return run;
    }

    /// <summary>A run by its id if this person opened it and asked the same; else a new one of the question.</summary>
    public Run FindOrOpen(string? id, Question question)
    {
        if (
            id is null
            || !_runs.TryGetValue(id, out var held)
            || held.Run.IsStopped
            || held.Run.Question.Person != question.Person
            || !held.Run.Question.Asks(question)
        )
            return Open(question);
        held.Used = _clock.GetUtcNow();
        return held.Run;
    }

    /// <summary>A run of this question that the person has open already, whoever asked for it; else a new one.</summary>
    public Run Shared(Question question)
    {
        foreach (var (_, held) in _runs)
        {
            if (held.Run.IsStopped || held.Run.Question.Person != question.Person || !held.Run.Question.Asks(question))
                continue;
            held.Used = _clock.GetUtcNow();
            return held.Run;
        }
        return Open(question);
    }

    private void Sweep()
    {
        var now = _clock.GetUtcNow();
        foreach (var (id, held) in _runs)
            if (!held.Run.HasReaders && now - held.Used >= Idle && _runs.TryRemove(id, out _))
                held.Run.Dispose();
    }

    public void Dispose()
    {
        _timer.Dispose();
        foreach (var held in _runs.Values)
            held.Run.Dispose();
    }
}
