using Kumiko.Core.Evaluation;

namespace Kumiko.Core.Query;

/// <summary>How much is worked on at once.</summary>
/// <param name="AtOnce">Queries over all people and tokens.</param>
/// <param name="OfOne">Queries of one person or token, so that nobody has it all.</param>
/// <param name="Waiting">Queries that may wait for their turn; beyond, they come later.</param>
/// <param name="Longest">How long one may wait.</param>
/// <param name="Answers">Answers of any size that are being read at once, and of one person or token; they are worked on in turn
/// too.</param>
public sealed record WorkLimits(
    int AtOnce,
    int OfOne,
    int Waiting,
    int WaitingOfOne,
    TimeSpan Longest,
    int Answers,
    int AnswersOfOne
)
{
    /// <summary>A query uses two processors; one more than there are keeps them busy while others read from disk.</summary>
    public static readonly WorkLimits Default = new(
        Math.Max(2, Environment.ProcessorCount) + 1,
        2,
        96,
        32,
        TimeSpan.FromSeconds(20),
        32,
        8
    );
}

/// <summary>
/// Lets queries work in turn: so many at once, fewer of one person or token, and a short queue before it. Rules do not come
/// through here, so they always have their share; nor does what is taken in.
/// </summary>
public sealed class WorkGate(WorkLimits limits, TimeProvider clock)
{
    private readonly Lock _lock = new();
    private readonly Dictionary<string, Asker> _askers = new(StringComparer.Ordinal);
    private readonly List<Waiter> _waiting = [];
    private int _working;
    private int _answers;

    private sealed class Asker
    {
        public int Working;
        public int Waiting;
        public int Answers;

        public bool IsIdle => Working == 0 && Waiting == 0 && Answers == 0;
    }

    private sealed record Waiter(string Person)
    {
        public TaskCompletionSource Granted { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    /// <summary>Queries that work, and that wait.</summary>
    public (int Working, int Waiting) Now
    {
        get
        {
            lock (_lock)
                return (_working, _waiting.Count);
        }
    }

    /// <summary>Waits for a turn; it ends by disposing the answer.</summary>
    /// <exception cref="QueryBusyException">Too many wait, or the turn did not come.</exception>
    public async Task<IDisposable> Enter(string person, CancellationToken cancel)
    {
        Waiter waiter;
        lock (_lock)
        {
            var asker = Of(person);
            if (_working < limits.AtOnce && asker.Working < limits.OfOne)
            {
                Begin(asker);
                return new Pass(this, person);
            }
            Admit(asker, person);
            asker.Waiting++;
            _waiting.Add(waiter = new Waiter(person));
        }
        try
        {
            await waiter.Granted.Task.WaitAsync(limits.Longest, clock, cancel);
            return new Pass(this, person);
        }
        catch (Exception e) when (e is TimeoutException or OperationCanceledException)
        {
            GiveUp(waiter);
            if (e is OperationCanceledException)
                throw;
            throw Busy(isOwn: false);
        }
    }

    /// <summary>Notes an answer of any size that somebody begins to read; it ends by disposing.</summary>
    /// <exception cref="QueryBusyException">Too many are being read.</exception>
    public IDisposable BeginAnswer(string person)
    {
        lock (_lock)
        {
            var asker = Of(person);
            if (asker.Answers >= limits.AnswersOfOne || _answers >= limits.Answers)
                throw Refused(asker, person, asker.Answers >= limits.AnswersOfOne);
            asker.Answers++;
            _answers++;
        }
        return new Answer(this, person);
    }

    private Asker Of(string person)
    {
        if (!_askers.TryGetValue(person, out var asker))
            _askers.Add(person, asker = new Asker());
        return asker;
    }

    private void Begin(Asker asker)
    {
        asker.Working++;
        _working++;
    }

    private void Admit(Asker asker, string person)
    {
        var isOwn = asker.Waiting >= limits.WaitingOfOne;
        if (isOwn || _waiting.Count >= limits.Waiting)
            throw Refused(asker, person, isOwn);
    }

    private QueryBusyException Refused(Asker asker, string person, bool isOwn)
    {
        Forget(asker, person);
        return Busy(isOwn);
    }

    private static QueryBusyException Busy(bool isOwn)
    {
        FormattableString own =
            $"You ask for much at once, and it is not answered yet. Try again in {QueryBusyException.Wait.TotalSeconds} s, or ask for less.";
        FormattableString all = $"Many ask at this moment. Try again in {QueryBusyException.Wait.TotalSeconds} s.";
        return new QueryBusyException(isOwn ? own : all, isOwn);
    }

    private void Forget(Asker asker, string person)
    {
        if (asker.IsIdle)
            _askers.Remove(person);
    }

    private void GiveUp(Waiter waiter)
    {
        lock (_lock)
        {
            if (_waiting.Remove(waiter))
            {
                var asker = Of(waiter.Person);
                asker.Waiting--;
                Forget(asker, waiter.Person);
                return;
            }
        }
        // The turn came at the same moment.
        Leave(waiter.Person);
    }

    private void Leave(string person)
    {
        lock (_lock)
        {
            var asker = Of(person);
            asker.Working--;
            _working--;
            Forget(asker, person);
            Grant();
        }
    }

    /// <summary>Gives free turns to those of whom the least is worked on, the longest waiting first.</summary>
    private void Grant()
    {
        while (
            _working < limits.AtOnce
            && _waiting.Where(w => Of(w.Person).Working < limits.OfOne).MinBy(w => Of(w.Person).Working) is { } next
        )
        {
            _waiting.Remove(next);
            var asker = Of(next.Person);
            asker.Waiting--;
            Begin(asker);
            next.Granted.SetResult();
        }
    }

    private sealed class Pass(WorkGate gate, string person) : IDisposable
    {
        private int _done;

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _done, 1) == 0)
                gate.Leave(person);
        }
    }

    private sealed class Answer(WorkGate gate, string person) : IDisposable
    {
        private int _done;

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _done, 1) != 0)
                return;
            lock (gate._lock)
            {
                var asker = gate.Of(person);
                asker.Answers--;
                gate._answers--;
                gate.Forget(asker, person);
            }
        }
    }
}
