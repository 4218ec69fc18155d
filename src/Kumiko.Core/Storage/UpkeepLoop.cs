using Kumiko.Core.Records;

namespace Kumiko.Core.Storage;

/// <summary>Runs what keeps a store in shape, on a thread of its own: now and then, and when it is woken. What fails is told
/// once and tried again. Steps take turns, whoever calls them.</summary>
/// <param name="trouble">What is said before the reason where it fails.</param>
/// <param name="notice">Tells people of trouble.</param>
/// <param name="forget">Takes back what was told.</param>
/// <param name="once">One round.</param>
internal sealed class UpkeepLoop(
    string trouble,
    Action<string> notice,
    Action<string> forget,
    Func<Task> once,
    TimeProvider clock
) : IDisposable
{
    private static readonly TimeSpan Tick = TimeSpan.FromSeconds(10);
    private const long RetryAfter = 5 * Instants.Second;

    private readonly SemaphoreSlim _turn = new(1);
    private readonly SemaphoreSlim _wake = new(0);
    private readonly CancellationTokenSource _stop = new();
    private ITimer? _timer;
    private Thread? _thread;
    private TaskCompletionSource _round = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private long _retryAt = long.MinValue;
    private string? _told;

    /// <summary>Why the last round failed; null while all is well.</summary>
    public IOException? Problem { get; private set; }

    public bool IsRunning => _thread is not null && !_stop.IsCancellationRequested;

    public CancellationToken Stopping => _stop.Token;

    public long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>Whether what failed may be tried again.</summary>
    public bool MayTry => Now >= _retryAt;

    /// <summary>Begins to run by itself.</summary>
    /// <param name="name">Of the thread.</param>
    public void Start(string name)
    {
        _thread = new Thread(Run) { IsBackground = true, Name = name };
        _thread.Start();
        _timer = clock.CreateTimer(_ => Wake(), null, Tick, Tick);
    }

    public void Wake()
    {
        if (_wake.CurrentCount == 0)
            _wake.Release();
    }

    /// <summary>Wakes it; done when a round is over.</summary>
    public Task Round()
    {
        Wake();
        return Volatile.Read(ref _round).Task;
    }

    /// <summary>The turn of a step, until it is disposed: no other step is done meanwhile.</summary>
    public async Task<IDisposable> Turn()
    {
        await _turn.WaitAsync(_stop.Token);
        return new Taken(_turn);
    }

    private sealed class Taken(SemaphoreSlim turn) : IDisposable
    {
        public void Dispose() => turn.Release();
    }

    /// <summary>Takes back what was told of trouble.</summary>
    public void Healed()
    {
        Problem = null;
        if (_told is not null)
            forget(_told);
        _told = null;
    }

    private void Run()
    {
        try
        {
            while (true)
            {
                _wake.Wait(_stop.Token);
                try
                {
                    once().GetAwaiter().GetResult();
                }
                catch (Exception e) when (e is not OperationCanceledException)
                {
                    Failed(e);
                }
                finally
                {
                    Interlocked
                        .Exchange(ref _round, new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously))
                        .TrySetResult();
                }
            }
        }
        catch (Exception e) when (e is OperationCanceledException or ObjectDisposedException)
        { /* stopped */
        }
    }

    private void Failed(Exception e)
    {
        _retryAt = Now + RetryAfter;
        var problem = e as IOException ?? new IOException(e.Message, e);
        if (Problem?.Message == problem.Message)
            return;
        Healed();
        Problem = problem;
        notice(_told = trouble + problem.Message);
    }

    public void Dispose()
    {
        _stop.Cancel();
        _timer?.Dispose();
        _thread?.Join();
        _round.TrySetResult();
    }
}
