namespace Kumiko.Core.Intake.Files;

/// <summary>A stream that is only read, from its beginning to its end.</summary>
public abstract class ForwardStream : Stream
{
    public override bool CanRead => true;
    public override bool CanSeek => false;
    public override bool CanWrite => false;
    public override long Length => throw new NotSupportedException();
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    public override void Flush() { }

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}

/// <summary>A stream that tells how much of it was read.</summary>
/// <param name="told">Told now and then, and at the end.</param>
public sealed class CountedStream(Stream inner, Action<long> told) : ForwardStream
{
    private const long Every = 1 << 20;
    private long _told;

    public long BytesRead { get; private set; }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        Count(await inner.ReadAsync(buffer, cancellationToken));

    public override int Read(byte[] buffer, int offset, int count) => Count(inner.Read(buffer, offset, count));

    private int Count(int read)
    {
        BytesRead += read;
        if (BytesRead - _told >= Every || read == 0)
            told(_told = BytesRead);
        return read;
    }
}

/// <summary>Unpacked data that may not be beyond all measure of what it is unpacked from.</summary>
/// <param name="packed">Bytes of packed data that it comes from.</param>
internal sealed class BoundedStream(Stream inner, Func<long> packed) : ForwardStream
{
    /// <summary>Logs pack to a tenth or a fiftieth; ones made of one line, to a few hundredths.</summary>
    public const int MostTimes = 400;

    /// <summary>Less is let through whatever it comes from.</summary>
    private const long Free = 256L << 20;

    private long _read;

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        Count(await inner.ReadAsync(buffer, cancellationToken));

    public override int Read(byte[] buffer, int offset, int count) => Count(inner.Read(buffer, offset, count));

    private int Count(int read)
    {
        _read += read;
        return _read > Free && _read > packed() * MostTimes ? throw new UnpackedTooFarException(_read) : read;
    }

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            inner.Dispose();
        base.Dispose(disposing);
    }
}

/// <summary>A stream whose beginning can be looked at before it is read.</summary>
internal sealed class HeadStream(Stream inner) : ForwardStream
{
    private byte[] _head = [];
    private int _at;

    /// <summary>The first bytes, as many as there are up to a number.</summary>
    public ReadOnlySpan<byte> Head(int most)
    {
        var head = new byte[most];
        var read = inner.ReadAtLeast(head, most, throwOnEndOfStream: false);
        _head = head[..read];
        return _head;
    }

    public void Skip(int bytes) => _at += bytes;

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        _at < _head.Length ? Give(buffer.Span) : await inner.ReadAsync(buffer, cancellationToken);

    public override int Read(byte[] buffer, int offset, int count) =>
        _at < _head.Length ? Give(buffer.AsSpan(offset, count)) : inner.Read(buffer, offset, count);

    private int Give(Span<byte> buffer)
    {
        var length = Math.Min(buffer.Length, _head.Length - _at);
        _head.AsSpan(_at, length).CopyTo(buffer);
        _at += length;
        return length;
    }

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            inner.Dispose();
        base.Dispose(disposing);
    }
}
