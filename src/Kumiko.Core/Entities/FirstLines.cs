using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Entities;

/// <summary>Lines that programs write when they begin: <c>Now listening on …</c>, <c>Started …</c>. What a service writes often is
/// no such line of it.</summary>
internal sealed class FirstLines
{
    private const long Apart = 10 * Instants.Minute;
    private const int MostADay = 5;
    private const int MostKnown = 50_000;

    private readonly Dictionary<(string Service, string Host), Queue<long>> _seen = [];

    /// <summary>Rows whose body begins as such lines do.</summary>
    public static IEnumerable<int> In(RecordBlock block)
    {
        for (var row = 0; row < block.Count; row++)
            if (block.TextOf(row, TextPart.Body) is { } body && IsOne(body.Of(block.Bytes)))
                yield return row;
    }

    internal static bool IsOne(ReadOnlySpan<byte> body)
    {
        if (body.IsEmpty || body[0] is not ((byte)'S' or (byte)'s' or (byte)'L' or (byte)'l' or (byte)'N' or (byte)'A'))
            return false;
        return Begins(body, "started"u8)
            || Begins(body, "starting"u8)
            || Begins(body, "listening on"u8)
            || Begins(body, "now listening on"u8)
            || Begins(body, "application started"u8);
    }

    private static bool Begins(ReadOnlySpan<byte> body, ReadOnlySpan<byte> with) =>
        body.Length >= with.Length
        && System.Text.Ascii.EqualsIgnoreCase(body[..with.Length], with)
        && (body.Length == with.Length || !char.IsAsciiLetterOrDigit((char)body[with.Length]));

    /// <summary>Whether such a line tells that the service began there: it is the first for a while, and there are few of
    /// them.</summary>
    public bool Tells(string service, string host, long at)
    {
        if (!_seen.TryGetValue((service, host), out var seen))
        {
            if (_seen.Count >= MostKnown)
                _seen.Clear();
            _seen.Add((service, host), seen = new Queue<long>());
        }
        var isFirst = seen.Count == 0 || at - seen.Last() >= Apart;
        seen.Enqueue(at);
        while (seen.Count > 0 && (at - seen.Peek() > Instants.Day || seen.Count > 2 * MostADay))
            seen.Dequeue();
        return isFirst && seen.Count <= MostADay;
    }
}
