using System.Buffers;
using Google.Protobuf;
using Kumiko.Core.Intake.Otlp;
using Kumiko.Core.Intake.Otlp.Wire;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>Takes in requests of the OpenTelemetry protocol, by whichever way they came.</summary>
public sealed class OtlpReceiver(RecordStore records, MetricStore metrics, SpanStore signals, TimeProvider clock)
{
    /// <summary>The most bytes of one request, decompressed.</summary>
    public const int MostBytes = 64 << 20;

    /// <summary>Commits what is good of a request and says what is not.</summary>
    /// <exception cref="IOException">There is no room; nothing was taken.</exception>
    public async Task<ExportLogsServiceResponse> Take(ExportLogsServiceRequest request, Entry entry, CancellationToken cancel)
    {
        var taken = OtlpLogs.Read(request, entry.Source, Instants.FromDateTime(clock.GetUtcNow()));
        await records.Append(taken.Items, entry.Source, null, cancel: cancel);
        await Counted(taken, entry, taken.Items.Count, request);
        return new ExportLogsServiceResponse
        {
            PartialSuccess =
                taken.RefusedTotal == 0
                    ? null
                    : new ExportLogsPartialSuccess
                    {
                        RejectedLogRecords = taken.RefusedTotal,
                        ErrorMessage = Message(taken, "record"),
                    },
        };
    }

    /// <inheritdoc cref="Take(ExportLogsServiceRequest, Entry, CancellationToken)"/>
    public async Task<ExportMetricsServiceResponse> Take(
        ExportMetricsServiceRequest request,
        Entry entry,
        CancellationToken cancel
    )
    {
        var taken = OtlpMetrics.Read(request);
        var kept = await metrics.Append(taken.Items, entry.Source, cancel);
        // The store refuses too: clocks that are wrong, more series than may be.
        taken = taken with
        {
            Refused = [.. taken.Refused, .. kept.Refused],
            RefusedTotal = taken.RefusedTotal + (int)kept.RefusedTotal,
        };
        await Counted(taken, entry, kept.Taken, request);
        return new ExportMetricsServiceResponse
        {
            PartialSuccess =
                taken.RefusedTotal == 0
                    ? null
                    : new ExportMetricsPartialSuccess
                    {
                        RejectedDataPoints = taken.RefusedTotal,
                        ErrorMessage = Message(taken, "data point"),
                    },
        };
    }

    /// <inheritdoc cref="Take(ExportLogsServiceRequest, Entry, CancellationToken)"/>
    public async Task<ExportTraceServiceResponse> Take(ExportTraceServiceRequest request, Entry entry, CancellationToken cancel)
    {
        var taken = OtlpSpans.Read(request);
        await signals.Append(taken.Items, entry.Source, cancel);
        await Counted(taken, entry, taken.Items.Count, request);
        return new ExportTraceServiceResponse
        {
            PartialSuccess =
                taken.RefusedTotal == 0
                    ? null
                    : new ExportTracePartialSuccess { RejectedSpans = taken.RefusedTotal, ErrorMessage = Message(taken, "span") },
        };
    }

    private async Task Counted<T>(OtlpTaken<T> taken, Entry entry, int items, IMessage request)
    {
        entry.Settle(items + taken.RefusedTotal, entry.Token?.Rate is null ? 0 : request.CalculateSize());
        if (taken.RefusedTotal > 0)
            await records.Keep(taken.Refused, entry.Source, taken.RefusedTotal);
    }

    private static string Message<T>(OtlpTaken<T> taken, string item) =>
        $"{taken.RefusedTotal} refused. The first, {item} {taken.Refused[0].Line}: {taken.Refused[0].Reason}";

    /// <summary>Keeps a request that could not be read at all.</summary>
    public Task Refuse(ReadOnlySequence<byte> body, string reason, Entry entry) =>
        records.Keep(
            [new Refused(0, 0, reason, body.Slice(0, Math.Min(body.Length, Core.Intake.LineReader.KeptHead)).ToArray())],
            entry.Source
        );
}
