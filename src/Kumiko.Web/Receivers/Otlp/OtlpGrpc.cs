using Google.Protobuf.WellKnownTypes;
using Google.Rpc;
using Grpc.Core;
using Kumiko.Core.Intake.Otlp.Wire;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>What the three services share: who is let in, and how refusals are told in gRPC.</summary>
internal static class OtlpGrpc
{
    public static async Task<TAnswer> Receive<TAnswer>(ServerCallContext context, Func<Entry, Task<TAnswer>> take)
    {
        try
        {
            return await take(OtlpGrpcGate.EntryOf(context.GetHttpContext()));
        }
        catch (IOException e)
        {
            throw StatusOf(new Refusal(StatusCodes.Status503ServiceUnavailable, e.Message, IntakeGate.NoRoomWait))
                .ToRpcException();
        }
    }

    // Without the time to wait, a sender takes an exhausted resource for one that stays so, and drops what it holds.
    public static Google.Rpc.Status StatusOf(Refusal away)
    {
        var status = new Google.Rpc.Status { Code = (int)OtlpStatus.Of(away.Status), Message = away.Reason };
        if (away.Wait is { } wait)
            status.Details.Add(Any.Pack(new RetryInfo { RetryDelay = Duration.FromTimeSpan(wait) }));
        return status;
    }
}

internal sealed class OtlpLogsService(OtlpReceiver receiver) : LogsService.LogsServiceBase
{
    public override Task<ExportLogsServiceResponse> Export(ExportLogsServiceRequest request, ServerCallContext context) =>
        OtlpGrpc.Receive(context, entry => receiver.Take(request, entry, context.CancellationToken));
}

internal sealed class OtlpMetricsService(OtlpReceiver receiver) : MetricsService.MetricsServiceBase
{
    public override Task<ExportMetricsServiceResponse> Export(ExportMetricsServiceRequest request, ServerCallContext context) =>
        OtlpGrpc.Receive(context, entry => receiver.Take(request, entry, context.CancellationToken));
}

internal sealed class OtlpTraceService(OtlpReceiver receiver) : TraceService.TraceServiceBase
{
    public override Task<ExportTraceServiceResponse> Export(ExportTraceServiceRequest request, ServerCallContext context) =>
        OtlpGrpc.Receive(context, entry => receiver.Take(request, entry, context.CancellationToken));
}
