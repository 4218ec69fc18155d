namespace Kumiko.Core.Query;

/// <summary>The turn that the pieces of one run's work share: it is taken with the first and ends with the last.</summary>
/// <param name="begun">Told each time that a turn was got.</param>
internal sealed class RunPasses(WorkGate gate, string person, Action begun)
{
    private readonly Lock _lock = new();
    private int _atWork;
    private Task<IDisposable>? _turn;

    /// <exception cref="Evaluation.QueryBusyException">There is no turn to be had.</exception>
    public async Task<T> Do<T>(Func<Task<T>> work, CancellationToken cancel)
    {
        Task<IDisposable> turn;
        lock (_lock)
            turn = _atWork++ == 0 ? _turn = Begin(cancel) : _turn!;
        try
        {
            await turn;
            return await Task.Run(work, cancel);
        }
        finally
        {
            await Leave(turn);
        }
    }

    private async Task<IDisposable> Begin(CancellationToken cancel)
    {
        var turn = await gate.Enter(person, cancel);
        begun();
        return turn;
    }

    private async Task Leave(Task<IDisposable> turn)
    {
        lock (_lock)
        {
            if (--_atWork > 0)
                return;
            _turn = null;
        }
        if (turn.IsCompletedSuccessfully)
            (await turn).Dispose();
    }
}
