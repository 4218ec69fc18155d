using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;

namespace Kumiko.Core.Query;

/// <summary>The work of a run: each piece is done once, in turn with that of others, and ends with its time or with its last
/// reader.</summary>
internal sealed class RunWork : IDisposable
{
    private readonly CancellationTokenSource _cancel;
    private readonly ConcurrentDictionary<object, object> _pieces = new();
    private readonly RunPasses? _passes;
    private readonly Question _question;
    private int _readers;
    private int _attached;

    public RunWork(Question question, QuerySources sources)
    {
        _question = question;
        _cancel = new CancellationTokenSource(Timeout.InfiniteTimeSpan, sources.Clock);
        _passes = sources.Gate is { } gate ? new RunPasses(gate, question.Person, LimitTime) : null;
        if (question.Limits.Time <= TimeSpan.Zero)
            _cancel.Cancel();
        else
            LimitTime();
    }

    /// <summary>Ends with the work.</summary>
    public CancellationToken Token => _cancel.Token;

    public bool IsStopped => _cancel.IsCancellationRequested;

    public bool HasReaders => Volatile.Read(ref _readers) > 0;

    public void Stop() => _cancel.Cancel();

    /// <summary>The time that it may take begins now: what was waited before does not count.</summary>
    public void LimitTime() => _cancel.CancelAfter(_question.Limits.Time);

    /// <summary>It may take any time until it is limited again.</summary>
    public void LimitNoTime() => _cancel.CancelAfter(Timeout.InfiniteTimeSpan);

    /// <inheritdoc cref="Run.Attach"/>
    public IDisposable Attach(CancellationToken leaves)
    {
        Interlocked.Increment(ref _attached);
        return new Attached(this, leaves);
    }

    private sealed class Attached : IDisposable
    {
        private readonly RunWork _work;
        private readonly CancellationTokenRegistration _registration;
        private int _done;

        public Attached(RunWork work, CancellationToken leaves)
        {
            _work = work;
            _registration = leaves.Register(() =>
            {
                if (Leave() == 0)
                    work._cancel.Cancel();
            });
        }

        private int Leave() => Interlocked.Exchange(ref _done, 1) == 0 ? Interlocked.Decrement(ref _work._attached) : -1;

        public void Dispose()
        {
            _registration.Dispose();
            Leave();
        }
    }

    /// <summary>What is made once and needs no turn.</summary>
    public T Kept<T>(object key, Func<T> make) => ((Lazy<T>)_pieces.GetOrAdd(key, _ => new Lazy<T>(make))).Value;

    public Task<T> Once<T>(object key, Func<T> work) => Once(key, () => Task.FromResult(work()));

    public Task<T> Once<T>(object key, Func<Task<T>> work) => Once(key, work, isLight: false);

    /// <param name="isLight">Whether it is done at once, so that it needs no turn.</param>
    /// <exception cref="QueryTimedOutException">It took too long.</exception>
    /// <exception cref="QueryBusyException">There is no turn to be had.</exception>
    public async Task<T> Once<T>(object key, Func<Task<T>> work, bool isLight)
    {
        var lazy =
            (Lazy<Task<T>>)_pieces.GetOrAdd(key, _ => new Lazy<Task<T>>(() => isLight ? Task.Run(work, Token) : InTurn(work)));
        Interlocked.Increment(ref _readers);
        try
        {
            return await lazy.Value;
        }
        catch (QueryBusyException)
        {
            // It was not done, and may be asked for again.
            _pieces.TryRemove(KeyValuePair.Create(key, (object)lazy));
            throw;
        }
        catch (Exception e) when (IsStop(e))
        {
            throw TimedOut();
        }
        finally
        {
            Interlocked.Decrement(ref _readers);
        }
    }

    /// <summary>Does a step in turn, each time.</summary>
    /// <exception cref="QueryTimedOutException">It took too long.</exception>
    public async Task<bool> Make(Func<bool> next)
    {
        try
        {
            return await InTurn(() => Task.FromResult(next()));
        }
        catch (Exception e) when (IsStop(e))
        {
            throw TimedOut();
        }
    }

    private Task<T> InTurn<T>(Func<Task<T>> work) => _passes is null ? Task.Run(work, Token) : _passes.Do(work, Token);

    // Workers that are stopped together tell it together.
    private static bool IsStop(Exception e) =>
        e is OperationCanceledException
        || (e is AggregateException many && many.Flatten().InnerExceptions.All(i => i is OperationCanceledException));

    private QueryTimedOutException TimedOut() =>
        new(
            $"This took longer than {_question.Limits.Time.TotalSeconds:N0} s and was stopped. Take a shorter focus, or add a condition."
        );

    public void Dispose()
    {
        _cancel.Cancel();
        foreach (var run in _pieces.Values.OfType<Lazy<Run>>())
            if (run.IsValueCreated)
                run.Value.Dispose();
    }
}
