using Kumiko.Core.Intake;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Web.Receivers;

/// <summary>
/// The body of a request as it was before it was compressed. Decompression reads synchronously, so compressed bytes are
/// gathered first, however slowly they come, and no thread waits for them.
/// </summary>
internal static class RequestBody
{
    /// <summary>Compressed bytes beyond this are gathered in a file.</summary>
    private const int MostInMemory = 1 << 20;

    /// <summary>A compressed body must be whole by then.</summary>
    internal static readonly TimeSpan WholeBy = TimeSpan.FromMinutes(10);

    /// <summary>Opens the body; whoever reads it has a limit of its own for what comes out.</summary>
    /// <param name="mostCompressed">The most bytes to gather.</param>
    public static async Task<(Stream? Body, TurnedAway? Away)> Open(HttpContext http, long mostCompressed)
    {
        if (http.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size) size.MaxRequestBodySize = null;
        var encoding = http.Request.Headers.ContentEncoding.ToString().ToLowerInvariant();
        if (encoding is "" or "identity") return (http.Request.Body, null);
        if (encoding != "gzip") return (null, new TurnedAway(StatusCodes.Status415UnsupportedMediaType, $"Content-Encoding {encoding} is not understood. Send gzip, or none."));
        if (http.Request.ContentLength > mostCompressed) return (null, TooLarge(mostCompressed));
        var gathered = new FileBufferingReadStream(http.Request.Body, MostInMemory);
        http.Response.RegisterForDisposeAsync(gathered);
        var clock = http.RequestServices.GetRequiredService<TimeProvider>();
        using var late = new CancellationTokenSource(WholeBy, clock);
        using var either = CancellationTokenSource.CreateLinkedTokenSource(http.RequestAborted, late.Token);
        var buffer = new byte[16 * 1024];
        try
        {
            while (await gathered.ReadAsync(buffer, either.Token) > 0)
                if (gathered.Length > mostCompressed) return (null, TooLarge(mostCompressed));
        }
        catch (OperationCanceledException) when (late.IsCancellationRequested) { return (null, new TurnedAway(StatusCodes.Status408RequestTimeout, $"The body was not whole within {WholeBy.TotalMinutes} minutes. Send smaller batches.")); }
        gathered.Position = 0;
        return (Gzip.Open(gathered), null);
    }

    private static TurnedAway TooLarge(long most) => new(StatusCodes.Status413PayloadTooLarge, $"More than {most >> 20} MB in one request. Send smaller batches.");
}
