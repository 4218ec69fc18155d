using System.Buffers;

namespace Kumiko.Core.Export;

/// <summary>Holds what a library writes at once, until it is sent on without a thread waiting for the receiver.</summary>
internal sealed class ForwardStream(Stream to) : Stream
{
    private readonly ArrayBufferWriter<byte> _held = new();
    private long _position;

    public override bool CanRead => false;
    public override bool CanSeek => false;
    public override bool CanWrite => true;
    public override long Length => _position;

    public override long Position
    {
        get => _position;
        set => throw new NotSupportedException();
    }

    /// <summary>Sends on what is held.</summary>
    public async Task Forward(CancellationToken cancel)
    {
        await to.WriteAsync(_held.WrittenMemory, cancel);
        _held.ResetWrittenCount();
        await to.FlushAsync(cancel);
    }

    public override void Write(ReadOnlySpan<byte> buffer)
    {
        _held.Write(buffer);
        _position += buffer.Length;
    }

    public override void Write(byte[] buffer, int offset, int count) => Write(buffer.AsSpan(offset, count));

    public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken)
    {
        Write(buffer.AsSpan(offset, count));
        return Task.CompletedTask;
    }

    public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
    {
        Write(buffer.Span);
        return ValueTask.CompletedTask;
    }

    public override void Flush() { }

    public override Task FlushAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();
}
