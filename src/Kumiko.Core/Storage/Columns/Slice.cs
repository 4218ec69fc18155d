namespace Kumiko.Core.Storage.Columns;

/// <summary>A run of bytes in a buffer that is known from the context.</summary>
public readonly record struct Slice(int Start, int Length)
{
    public ReadOnlySpan<byte> Of(ReadOnlySpan<byte> buffer) => buffer.Slice(Start, Length);
}
