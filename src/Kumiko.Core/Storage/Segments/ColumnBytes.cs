using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The unpacked bytes of a column in a pooled buffer, given back by disposing.</summary>
public sealed class ColumnBytes(byte[] pooled, int start, int length, bool owned = true) : IDisposable
{
    public static readonly ColumnBytes None = new([], 0, 0, owned: false);

    private byte[] _pooled = pooled;

    public ReadOnlySpan<byte> Span => _pooled.AsSpan(start, length);

    public ReadOnlyMemory<byte> Memory => _pooled.AsMemory(start, length);

    public void Dispose()
    {
        if (!owned || _pooled.Length == 0)
            return;
        Buffers<byte>.Return(_pooled);
        _pooled = [];
    }
}
