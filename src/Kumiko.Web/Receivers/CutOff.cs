using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers;

/// <summary>Answers uploads that were cut off (400), came too slowly (408) or found no room (503): nothing for the log.</summary>
internal sealed class CutOff : IEndpointFilter
{
    public async ValueTask<object?> InvokeAsync(EndpointFilterInvocationContext context, EndpointFilterDelegate next)
    {
        try
        {
            return await next(context);
        }
        catch (Exception e) when (StatusOf(e, context.HttpContext) is { } status)
        {
            return Refusals.Result(context.HttpContext, Answer(status));
        }
    }

    private static Refusal Answer(int status) =>
        status switch
        {
            StatusCodes.Status408RequestTimeout => new Refusal(status, "The body came too slowly. Send it again."),
            StatusCodes.Status503ServiceUnavailable => new Refusal(
                status,
                "There is no room to gather the body. Nothing of it was taken.",
                IntakeGate.NoRoomWait
            ),
            _ => new Refusal(status, "The body was cut off. Nothing that was not acknowledged counts as taken: send it again."),
        };

    private static int? StatusOf(Exception e, HttpContext http) =>
        e switch
        {
            BadHttpRequestException bad => bad.StatusCode,
            ConnectionResetException => StatusCodes.Status400BadRequest,
            // The file that a long body is gathered in.
            IOException => StatusCodes.Status503ServiceUnavailable,
            OperationCanceledException when http.RequestAborted.IsCancellationRequested => StatusCodes.Status400BadRequest,
            _ => null,
        };
}
