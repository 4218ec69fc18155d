using Google.Protobuf;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Otlp;
using Kumiko.Core.Intake.Otlp.Wire;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.IO;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>The OpenTelemetry protocol over HTTP: protobuf and JSON, plain and gzip, at its standard paths.</summary>
public static class OtlpHttp
{
    private static readonly RecyclableMemoryStreamManager Streams = new();

    public static void Map(WebApplication app)
    {
        app.MapPost("/v1/logs", (HttpContext http, IntakeGate gate, OtlpReceiver receiver) =>
                Receive<ExportLogsServiceRequest>(http, gate, receiver, async (r, e) =>
                    await receiver.Take(r, e, http.RequestAborted)
                )
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
        app.MapPost("/v1/metrics", (HttpContext http, IntakeGate gate, OtlpReceiver receiver) =>
                Receive<ExportMetricsServiceRequest>(http, gate, receiver, async (r, e) =>
                    await receiver.Take(r, e, http.RequestAborted)
                )
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
        app.MapPost("/v1/traces", (HttpContext http, IntakeGate gate, OtlpReceiver receiver) =>
                Receive<ExportTraceServiceRequest>(http, gate, receiver, async (r, e) =>
                    await receiver.Take(r, e, http.RequestAborted)
                )
            )
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter<CutOff>();
    }

    private static async Task Receive<T>(
        HttpContext http,
        IntakeGate gate,
        OtlpReceiver receiver,
        Func<T, Entry, Task<IMessage>> take
    )
        where T : class, IMessage<T>, new()
    {
        var type = (http.Request.ContentType ?? "").Split(';')[0].Trim().ToLowerInvariant();
        var encoding = type == "application/json" ? OtlpEncoding.Json : OtlpEncoding.Protobuf;
        if (type is not ("application/json" or "application/x-protobuf"))
        {
            await Refuse(
                http,
                encoding,
                StatusCodes.Status415UnsupportedMediaType,
                "Send Content-Type application/x-protobuf or application/json."
            );
            return;
        }
        using var entry = gate.Enter(
            http,
            $"OTLP over HTTP, {(encoding == OtlpEncoding.Json ? "JSON" : "protobuf")}",
            out var away
        );
        if (entry is null)
        {
            await Refuse(http, encoding, away!.Status, away.Reason, away.Wait);
            return;
        }
        var (body, wrong) = await RequestBody.Open(http, OtlpReceiver.MostBytes);
        if (body is null)
        {
            await Refuse(http, encoding, wrong!.Status, wrong.Reason, wrong.Wait);
            return;
        }
        using var bytes = Streams.GetStream();
        if (await Read(body, bytes, http) is var (status, problem))
        {
            entry.Settle(1, bytes.Length);
            await receiver.Refuse(bytes.GetReadOnlySequence(), problem, entry);
            await Refuse(http, encoding, status, problem);
            return;
        }
        if (OtlpBody.Parse<T>(bytes.GetReadOnlySequence(), encoding, out var reason) is not { } request)
        {
            entry.Settle(1, bytes.Length);
            await receiver.Refuse(bytes.GetReadOnlySequence(), reason!, entry);
            await Refuse(http, encoding, StatusCodes.Status400BadRequest, reason!);
            return;
        }
        try
        {
            await Answer(http, encoding, StatusCodes.Status200OK, await take(request, entry));
        }
        catch (IOException e)
        {
            await Refuse(http, encoding, StatusCodes.Status503ServiceUnavailable, e.Message, IntakeGate.NoRoomWait);
        }
    }

    /// <returns>Null where all was read, else the status and what is wrong.</returns>
    private static async Task<(int Status, string Problem)?> Read(Stream body, RecyclableMemoryStream to, HttpContext http)
    {
        try
        {
            while (to.Length <= OtlpReceiver.MostBytes)
            {
                var read = await body.ReadAsync(to.GetMemory(64 * 1024), http.RequestAborted);
                if (read == 0)
                    return null;
                to.Advance(read);
            }
            return (
                StatusCodes.Status413PayloadTooLarge,
                $"More than {OtlpReceiver.MostBytes >> 20} MB in one request. Send smaller batches."
            );
        }
        catch (Exception e) when (Gzip.IsDamage(e))
        {
            return (StatusCodes.Status400BadRequest, "The compressed data is damaged.");
        }
    }

    private static Task Refuse(HttpContext http, OtlpEncoding encoding, int status, string reason, TimeSpan? wait = null)
    {
        if (wait is { } time)
            http.Response.Headers.RetryAfter = IntakeGate.RetryAfter(time);
        if (status == StatusCodes.Status401Unauthorized)
            http.Response.Headers.WWWAuthenticate = "Bearer";
        return Answer(http, encoding, status, new Google.Rpc.Status { Code = (int)OtlpStatus.Of(status), Message = reason });
    }

    private static async Task Answer(HttpContext http, OtlpEncoding encoding, int status, IMessage message)
    {
        http.Response.StatusCode = status;
        http.Response.ContentType = encoding == OtlpEncoding.Json ? "application/json" : "application/x-protobuf";
        await http.Response.Body.WriteAsync(OtlpBody.Write(message, encoding));
    }
}
