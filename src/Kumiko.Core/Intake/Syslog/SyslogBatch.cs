using System.Net;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Syslog;

/// <summary>Syslog messages of one source that go into the store together. Not for several threads.</summary>
/// <param name="source">The name of the place they come from.</param>
public sealed class SyslogBatch(SyslogParser parser, string source)
{
    private readonly RecordBlockBuilder _rows = BuilderPool.Rent();

    public string Source => source;

    /// <summary>Messages so far.</summary>
    public int Count { get; private set; }

    /// <summary>Their bytes.</summary>
    public long Bytes { get; private set; }

    /// <param name="now">When it arrived, UTC nanoseconds.</param>
    /// <param name="peer">Who sent it: the host, where the message names none.</param>
    public void Add(ReadOnlySpan<byte> message, long now, IPAddress? peer)
    {
        parser.Parse(message, source, now, peer, _rows);
        Count++;
        Bytes += message.Length;
    }

    /// <summary>The records; nothing can be added after it.</summary>
    public RecordBlock Build()
    {
        var records = _rows.Build();
        BuilderPool.Return(_rows);
        return records;
    }
}
