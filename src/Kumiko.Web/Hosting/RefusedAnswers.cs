using Kumiko.Core.Evaluation;
using Kumiko.Web.Receivers;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Hosting;

/// <summary>Turns a query that was refused, wherever it was asked, into a status and words. It is nobody's fault and no line of
/// the log.</summary>
internal sealed class RefusedAnswers(RequestDelegate next)
{
    private static readonly object ReasonKey = new();

    public async Task InvokeAsync(HttpContext http)
    {
        try
        {
            await next(http);
        }
        catch (QueryRefusedException e) when (!http.Response.HasStarted)
        {
            http.Response.Clear();
            http.Response.StatusCode = StatusOf(e, http);
            http.Items[ReasonKey] = e.Message;
        }
        // Whoever left needs no answer.
        catch (OperationCanceledException) when (http.RequestAborted.IsCancellationRequested) { }
    }

    /// <summary>Why a query of this request was refused; null where none was.</summary>
    public static string? ReasonOf(HttpContext http) => http.Items[ReasonKey] as string;

    /// <summary>The status that says why, with the time to wait where that helps.</summary>
    public static int StatusOf(QueryRefusedException e, HttpContext http)
    {
        if (e is QueryBusyException)
            http.Response.Headers.RetryAfter = IntakeGate.RetryAfter(QueryBusyException.Wait);
        return e switch
        {
            QueryBusyException { IsOwn: true } => StatusCodes.Status429TooManyRequests,
            QueryBusyException => StatusCodes.Status503ServiceUnavailable,
            QueryTimedOutException => StatusCodes.Status504GatewayTimeout,
            _ => StatusCodes.Status400BadRequest,
        };
    }
}
