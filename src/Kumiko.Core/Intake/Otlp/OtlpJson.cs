using System.Buffers;
using System.Text;
using System.Text.Json;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>What the protocol's JSON needs before protobuf's reader takes it.</summary>
internal static class OtlpJson
{
    /// <summary>More digits than these are not all kept by a double, as which the reader takes bare numbers.</summary>
    private const int ExactDigits = 15;

    private static readonly SearchValues<byte> NumberBytes = SearchValues.Create("0123456789+-.eE"u8);

    /// <summary>Puts long whole numbers in quotes, in which all 64 bits of them are read.</summary>
    public static byte[] WithExactNumbers(in ReadOnlySequence<byte> body)
    {
        var to = new ArrayBufferWriter<byte>((int)body.Length + 64);
        ReadOnlySpan<byte> text = body.IsSingleSegment ? body.FirstSpan : body.ToArray();
        var (copied, inside) = (0, false);
        for (var i = 0; i < text.Length; i++)
        {
            var c = text[i];
            if (inside)
            {
                if (c == '\\')
                    i++;
                else if (c == '"')
                    inside = false;
                continue;
            }
            if (c == '"')
                inside = true;
            if (c is not ((>= (byte)'0' and <= (byte)'9') or (byte)'-'))
                continue;
            var length = text[i..].IndexOfAnyExcept(NumberBytes);
            var number = length < 0 ? text[i..] : text.Slice(i, length);
            if (number.Length > ExactDigits && !number.ContainsAny(".eE+"u8))
            {
                to.Write(text[copied..i]);
                to.Write("\""u8);
                to.Write(number);
                to.Write("\""u8);
                copied = i + number.Length;
            }
            i += number.Length - 1;
        }
        to.Write(text[copied..]);
        return to.WrittenSpan.ToArray();
    }

    /// <summary>The signal that a request in JSON names at its top; null where it names none.</summary>
    public static OtlpSignal? SignalOf(ReadOnlySpan<byte> body)
    {
        var reader = new Utf8JsonReader(
            body,
            new JsonReaderOptions { CommentHandling = JsonCommentHandling.Skip, AllowTrailingCommas = true }
        );
        try
        {
            while (reader.Read())
            {
                if (reader.TokenType != JsonTokenType.PropertyName || reader.CurrentDepth != 1)
                    continue;
                if (Named(reader.GetString()!) is { } signal)
                    return signal;
                reader.Skip();
            }
        }
        // The reader of messages says what is wrong with it.
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            return null;
        }
        return null;
    }

    private static OtlpSignal? Named(string name) =>
        name switch
        {
            "resourceLogs" or "resource_logs" => OtlpSignal.Logs,
            "resourceMetrics" or "resource_metrics" => OtlpSignal.Metrics,
            "resourceSpans" or "resource_spans" => OtlpSignal.Traces,
            _ => null,
        };
}
