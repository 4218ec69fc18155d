using System.Buffers;
using System.Text;
using Google.Protobuf;

namespace Kumiko.Core.Intake.Otlp;

/// <summary>The two spellings of a request.</summary>
public enum OtlpEncoding
{
    Protobuf,
    Json,
}

/// <summary>Bytes of a request to its message, and back.</summary>
public static class OtlpBody
{
    private static readonly JsonParser Json = new(JsonParser.Settings.Default.WithIgnoreUnknownFields(true));
    private static readonly JsonFormatter Formatter = new(JsonFormatter.Settings.Default);

    private static readonly UTF8Encoding Utf8 = new(false, throwOnInvalidBytes: true);

    /// <summary>Reads a request. Unknown fields are passed over.</summary>
    /// <returns>Null where it is not one; then the reason is set.</returns>
    public static T? Parse<T>(ReadOnlySequence<byte> body, OtlpEncoding encoding, out string? reason)
        where T : class, IMessage<T>, new()
    {
        reason = null;
        try
        {
            if (encoding == OtlpEncoding.Json)
            {
                var exact = OtlpJson.WithExactNumbers(body);
                return (reason = Misplaced<T>(OtlpJson.SignalOf(exact))) is null ? Json.Parse<T>(Utf8.GetString(exact)) : null;
            }
            if ((reason = Misplaced<T>(OtlpSignals.Of(body))) is not null)
                return null;
            var message = new T();
            message.MergeFrom(body);
            return message;
        }
        // The JSON reader lets out what it meets on the way.
        catch (Exception e)
            when (e
                    is InvalidProtocolBufferException
                        or InvalidJsonException
                        or FormatException
                        or OverflowException
                        or ArgumentException
                        or InvalidOperationException
                        or IOException
            )
        {
            reason =
                (
                    encoding == OtlpEncoding.Protobuf
                        ? "This is not the protobuf message that belongs here: "
                        : "This is not the JSON that belongs here: "
                ) + e.Message;
            return null;
        }
    }

    private static string? Misplaced<T>(OtlpSignal? sent)
    {
        OtlpSignal? wanted;
        if (typeof(T) == typeof(Wire.ExportLogsServiceRequest))
            wanted = OtlpSignal.Logs;
        else if (typeof(T) == typeof(Wire.ExportMetricsServiceRequest))
            wanted = OtlpSignal.Metrics;
        else if (typeof(T) == typeof(Wire.ExportTraceServiceRequest))
            wanted = OtlpSignal.Traces;
        else
            wanted = null;
        return sent is not { } signal || wanted is not { } here || signal == here
            ? null
            : $"These are {OtlpSignals.Name(signal)}, and {OtlpSignals.PathOf(here)} takes {OtlpSignals.Name(here)}. Send them to {OtlpSignals.PathOf(signal)}.";
    }

    /// <summary>An answer in the spelling of its request.</summary>
    public static byte[] Write(IMessage message, OtlpEncoding encoding) =>
        encoding == OtlpEncoding.Protobuf ? message.ToByteArray() : Encoding.UTF8.GetBytes(Formatter.Format(message));
}
