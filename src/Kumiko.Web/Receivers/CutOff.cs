using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers;

/// <summary>Answers uploads that were cut off (400) or came too slowly (408): the sender's doing, and nothing for the log.</summary>
internal sealed class CutOff : IEndpointFilter
{
    public async ValueTask<object?> InvokeAsync(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        try { return await next(context); }
        catch (Exception e) when (StatusOf(e, context.HttpContext) is { } status)
        {
            return Refusals.Result(context.HttpContext, new TurnedAway(status, status == StatusCodes.Status408RequestTimeout ? "The body came too slowly. Send it again." : "The body was cut off. Nothing that was not acknowledged counts as taken: send it again."));
        }
    }

    private static int? StatusOf(Exception e, HttpContext http) => e switch
    {
        BadHttpRequestException bad => bad.StatusCode,
        ConnectionResetException => StatusCodes.Status400BadRequest,
        OperationCanceledException when http.RequestAborted.IsCancellationRequested => StatusCodes.Status400BadRequest,
        _ => null,
    };
}
