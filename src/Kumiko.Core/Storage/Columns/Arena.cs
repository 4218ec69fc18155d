using System.Buffers;

namespace Kumiko.Core.Storage.Columns;

/// <summary>Lends buffers that are given back together. For one thread.</summary>
public sealed class Arena : IDisposable
{
    private readonly List<Action> _back = [];

    /// <summary>A buffer of at least so many, whatever they held before.</summary>
    public T[] Take<T>(int count)
    {
        var buffer = ArrayPool<T>.Shared.Rent(count);
        _back.Add(() => ArrayPool<T>.Shared.Return(buffer));
        return buffer;
    }

    /// <summary>Disposes something when all else is given back.</summary>
    public T Keep<T>(T item) where T : IDisposable
    {
        _back.Add(item.Dispose);
        return item;
    }

    public void Dispose()
    {
        foreach (var back in _back) back();
        _back.Clear();
    }
}
