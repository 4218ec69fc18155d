using Google.Protobuf.WellKnownTypes;
using Google.Rpc;
using Grpc.Core;
using Kumiko.Core.Intake.Otlp.Wire;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>What the three services share: who is let in, and how refusals are told in gRPC.</summary>
internal static class OtlpGrpc
{
    public static async Task<TAnswer> Receive<TAnswer>(ServerCallContext context, Door door, Func<Entry, Task<TAnswer>> take)
    {
        if (door.Enter(context.GetHttpContext(), "OTLP over gRPC", out var away) is not { } entry) throw Refused(away!);
        try { return await take(entry); }
        catch (IOException e) { throw Refused(new TurnedAway(StatusCodes.Status503ServiceUnavailable, e.Message, Door.NoRoomWait)); }
    }

    // Without the time to wait, a sender takes an exhausted resource for one that stays so, and drops what it holds.
    private static RpcException Refused(TurnedAway away)
    {
        var status = new Google.Rpc.Status { Code = (int)OtlpStatus.Of(away.Status), Message = away.Reason };
        if (away.Wait is { } wait) status.Details.Add(Any.Pack(new RetryInfo { RetryDelay = Duration.FromTimeSpan(wait) }));
        return status.ToRpcException();
    }
}

internal sealed class OtlpLogsService(Door door, OtlpReceiver receiver) : LogsService.LogsServiceBase
{
    public override Task<ExportLogsServiceResponse> Export(ExportLogsServiceRequest request, ServerCallContext context) => OtlpGrpc.Receive(context, door, entry => receiver.Take(request, entry));
}

internal sealed class OtlpMetricsService(Door door, OtlpReceiver receiver) : MetricsService.MetricsServiceBase
{
    public override Task<ExportMetricsServiceResponse> Export(ExportMetricsServiceRequest request, ServerCallContext context) => OtlpGrpc.Receive(context, door, entry => receiver.Take(request, entry));
}

internal sealed class OtlpTraceService(Door door, OtlpReceiver receiver) : TraceService.TraceServiceBase
{
    public override Task<ExportTraceServiceResponse> Export(ExportTraceServiceRequest request, ServerCallContext context) => OtlpGrpc.Receive(context, door, entry => receiver.Take(request, entry));
}
