using Kumiko.Core.Intake;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.IO;

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

    private static readonly RecyclableMemoryStreamManager Streams = new();

    /// <summary>Opens the body; whoever reads it has a limit of its own for what comes out.</summary>
    /// <param name="mostCompressed">The most bytes to gather.</param>
    public static async Task<(Stream? Body, Refusal? Away)> Open(HttpContext http, long mostCompressed)
    {
        if (http.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size)
            size.MaxRequestBodySize = null;
        var encoding = http.Request.Headers.ContentEncoding.ToString().ToLowerInvariant();
        if (encoding is "" or "identity")
            return (http.Request.Body, null);
        if (encoding != "gzip")
            return (
                null,
                new Refusal(
                    StatusCodes.Status415UnsupportedMediaType,
                    $"Content-Encoding {encoding} is not understood. Send gzip, or none."
                )
            );
        if (http.Request.ContentLength > mostCompressed)
            return (null, TooLarge(mostCompressed));
        var (gathered, away) = await Gather(http, mostCompressed);
        if (gathered is null)
            return (null, away);
        http.Response.RegisterForDisposeAsync(gathered);
        return (Gzip.Open(gathered), null);
    }

    private static async Task<(Stream? Gathered, Refusal? Away)> Gather(HttpContext http, long most)
    {
        var reader = http.Request.BodyReader;
        using var late = new CancellationTokenSource(WholeBy, http.RequestServices.GetRequiredService<TimeProvider>());
        // A read that is cancelled so leaves the connection in order, unlike one whose token is.
        await using var ends = late.Token.Register(reader.CancelPendingRead);
        Stream gathered = Streams.GetStream();
        try
        {
            while (true)
            {
                var read = await reader.ReadAsync(http.RequestAborted);
                var length = gathered.Length + read.Buffer.Length;
                if (late.IsCancellationRequested || length > most)
                    reader.AdvanceTo(read.Buffer.End);
                if (late.IsCancellationRequested)
                    return await Dropped(
                        gathered,
                        new Refusal(
                            StatusCodes.Status408RequestTimeout,
                            $"The body was not whole within {WholeBy.TotalMinutes} minutes. Send smaller batches."
                        )
                    );
                if (length > most)
                    return await Dropped(gathered, TooLarge(most));
                if (gathered is RecyclableMemoryStream && length > MostInMemory)
                    gathered = await ToFile(gathered);
                foreach (var part in read.Buffer)
                    await gathered.WriteAsync(part);
                reader.AdvanceTo(read.Buffer.End);
                if (!read.IsCompleted)
                    continue;
                gathered.Position = 0;
                return (gathered, null);
            }
        }
        catch
        {
            await gathered.DisposeAsync();
            throw;
        }
    }

    private static async Task<(Stream? Gathered, Refusal? Away)> Dropped(Stream gathered, Refusal away)
    {
        await gathered.DisposeAsync();
        return (null, away);
    }

    private static async Task<FileStream> ToFile(Stream memory)
    {
        var options = new FileStreamOptions
        {
            Mode = FileMode.CreateNew,
            Access = FileAccess.ReadWrite,
            Share = FileShare.None,
            Options = FileOptions.DeleteOnClose | FileOptions.Asynchronous,
        };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        var file = new FileStream(Path.Combine(Path.GetTempPath(), "kumiko-upload-" + Guid.NewGuid().ToString("N")), options);
        memory.Position = 0;
        await memory.CopyToAsync(file);
        await memory.DisposeAsync();
        return file;
    }

    private static Refusal TooLarge(long most) =>
        new(StatusCodes.Status413PayloadTooLarge, $"More than {most >> 20} MB in one request. Send smaller batches.");
}
