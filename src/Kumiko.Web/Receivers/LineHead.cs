using Kumiko.Core.Intake.Files;

namespace Kumiko.Web.Receivers;

/// <summary>A body of lines whose beginning is looked at before it is read.</summary>
internal sealed class LineHead(Stream body) : ForwardStream
{
    /// <summary>Enough to tell a format from.</summary>
    private const int Most = 64 * 1024;

    private byte[] _head = [];
    private int _at;

    /// <summary>Whether the beginning is all of it.</summary>
    public bool IsWhole { get; private set; }

    /// <summary>The beginning. Damage in it is met again by whoever reads on.</summary>
    public async Task<ReadOnlyMemory<byte>> Read(CancellationToken cancel)
    {
        var head = new byte[Most];
        var read = 0;
        try
        {
            while (read < Most && await body.ReadAsync(head.AsMemory(read), cancel) is > 0 and var more)
                read += more;
        }
        catch (Exception e) when (Unpacking.IsDamage(e))
        {
            _damage = e;
        }
        IsWhole = read < Most;
        return _head = head[..read];
    }

    private Exception? _damage;

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        if (_at < _head.Length)
            return Give(buffer.Span);
        if (_damage is not null)
            throw new InvalidDataException(_damage.Message, _damage);
        return IsWhole ? 0 : await body.ReadAsync(buffer, cancellationToken);
    }

    public override int Read(byte[] buffer, int offset, int count) =>
        _at < _head.Length ? Give(buffer.AsSpan(offset, count)) : body.Read(buffer, offset, count);

    private int Give(Span<byte> buffer)
    {
        var length = Math.Min(buffer.Length, _head.Length - _at);
        _head.AsSpan(_at, length).CopyTo(buffer);
        _at += length;
        return length;
    }
}
