using System.Buffers;
using Google.Protobuf;

namespace Kumiko.Core.Intake.Otlp;

public enum OtlpSignal
{
    Logs,
    Metrics,
    Traces,
}

/// <summary>
/// Tells requests of the three signals apart. Their messages nest alike, so that one is read as another with nothing in it:
/// what was sent to the wrong path would be lost without a word.
/// </summary>
internal static class OtlpSignals
{
    private const int TraceBytes = 16;
    private const int SpanBytes = 8;

    /// <summary>The standard path of a signal.</summary>
    public static string PathOf(OtlpSignal signal) =>
        signal switch
        {
            OtlpSignal.Logs => "/v1/logs",
            OtlpSignal.Metrics => "/v1/metrics",
            _ => "/v1/traces",
        };

    public static string Name(OtlpSignal signal) =>
        signal switch
        {
            OtlpSignal.Logs => "logs",
            OtlpSignal.Metrics => "metrics",
            _ => "traces",
        };

    /// <summary>The signal of a request in protobuf, by the first item in it; null where that cannot be said.</summary>
    public static OtlpSignal? Of(in ReadOnlySequence<byte> body)
    {
        try
        {
            foreach (var resource in Fields(body.IsSingleSegment ? body.First : body.ToArray(), 1))
            foreach (var scope in Fields(resource, 2))
            foreach (var item in Fields(scope, 2))
                return OfItem(item);
        }
        catch (InvalidProtocolBufferException)
        {
            return null;
        }
        return null;
    }

    private static OtlpSignal? OfItem(ReadOnlyMemory<byte> item)
    {
        using var input = new CodedInputStream(item.ToArray());
        var (first, second, hasData) = (0, 0, false);
        while (input.ReadTag() is var tag && tag != 0)
        {
            var (field, wire) = (WireFormat.GetTagFieldNumber(tag), WireFormat.GetTagWireType(tag));
            // The time of a log is a fixed number, where a span has its trace and a metric its name.
            if (field is 1 or 11 && wire == WireFormat.WireType.Fixed64)
                return OtlpSignal.Logs;
            if (field == 2 && wire == WireFormat.WireType.Varint)
                return OtlpSignal.Logs;
            // When a span began and ended.
            if (field is 7 or 8 && wire == WireFormat.WireType.Fixed64)
                return OtlpSignal.Traces;
            if (wire != WireFormat.WireType.LengthDelimited)
            {
                input.SkipLastField();
                continue;
            }
            var length = input.ReadBytes().Length;
            if (field == 1)
                first = length;
            if (field == 2)
                second = length;
            // Gauge, sum, histogram, exponential histogram, summary.
            hasData |= field is 5 or 7 or 9 or 10 or 11;
        }
        // A metric's name may be as long as the id of a trace, and what it says as that of a span: then nothing is sure.
        var mayBeSpan = first == TraceBytes && second == SpanBytes;
        return first > 0 && hasData && !mayBeSpan ? OtlpSignal.Metrics : null;
    }

    private static IEnumerable<ReadOnlyMemory<byte>> Fields(ReadOnlyMemory<byte> message, int number)
    {
        using var input = new CodedInputStream(message.ToArray());
        while (input.ReadTag() is var tag && tag != 0)
        {
            if (
                WireFormat.GetTagFieldNumber(tag) == number
                && WireFormat.GetTagWireType(tag) == WireFormat.WireType.LengthDelimited
            )
                yield return input.ReadBytes().Memory;
            else
                input.SkipLastField();
        }
    }
}
