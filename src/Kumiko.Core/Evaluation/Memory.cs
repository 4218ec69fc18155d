namespace Kumiko.Core.Evaluation;

/// <summary>What all queries together may hold.</summary>
public sealed class MemoryBudget(long most)
{
    private long _held;

    /// <summary>A quarter of what the machine gives, between 1 and 4 GiB.</summary>
    public static MemoryBudget OfMachine() =>
        new(Math.Clamp(GC.GetGCMemoryInfo().TotalAvailableMemoryBytes / 4, 1L << 30, 4L << 30));

    /// <summary>Bytes that queries hold now.</summary>
    public long BytesHeld => Interlocked.Read(ref _held);

    internal bool TryTake(long bytes)
    {
        if (Interlocked.Add(ref _held, bytes) <= most)
            return true;
        Interlocked.Add(ref _held, -bytes);
        return false;
    }

    internal void Return(long bytes) => Interlocked.Add(ref _held, -bytes);
}

/// <summary>Adds up what one query holds, over its workers, and takes it from what all may hold.</summary>
/// <param name="most">Bytes that this query may hold.</param>
/// <param name="all">What all may hold; null for no such limit.</param>
public sealed class MemoryMeter(long most, MemoryBudget? all = null)
{
    /// <summary>So much is taken at a time from what all may hold.</summary>
    private const long Step = 1 << 20;

    private readonly Lock _lock = new();
    private long _held;
    private long _taken;
    private bool _isOver;

    /// <exception cref="QueryRefusedException">That is more than the query, or all together, may hold.</exception>
    public void Take(long bytes)
    {
        var held = Interlocked.Add(ref _held, bytes);
        if (held > most)
            throw new QueryRefusedException(
                $"This needs more than {most >> 20:N0} MiB of memory. Narrow the search, group by fewer keys, or take a longer step."
            );
        if (all is not null && held > Volatile.Read(ref _taken))
            TakeOfAll(held);
    }

    private void TakeOfAll(long held)
    {
        lock (_lock)
        {
            if (_isOver || held <= _taken)
                return;
            var more = ((held - _taken + Step - 1) / Step) * Step;
            if (!all!.TryTake(more))
                throw new QueryBusyException(
                    $"Other queries hold much memory at this moment. Try again in {QueryBusyException.Wait.TotalSeconds} s.",
                    isOwn: false
                );
            Volatile.Write(ref _taken, _taken + more);
        }
    }

    /// <summary>Gives back what was taken; the query is over.</summary>
    public void Release()
    {
        lock (_lock)
        {
            if (_isOver)
                return;
            _isOver = true;
            all?.Return(_taken);
        }
    }
}
