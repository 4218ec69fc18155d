using Google.Rpc;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Receivers.Otlp;

/// <summary>The one table of what an HTTP status is called in gRPC.</summary>
internal static class OtlpStatus
{
    public static Code Of(int httpStatus) =>
        httpStatus switch
        {
            StatusCodes.Status401Unauthorized => Code.Unauthenticated,
            StatusCodes.Status403Forbidden => Code.PermissionDenied,
            StatusCodes.Status413PayloadTooLarge
            or StatusCodes.Status429TooManyRequests
            or StatusCodes.Status503ServiceUnavailable => Code.ResourceExhausted,
            _ => Code.InvalidArgument,
        };
}
