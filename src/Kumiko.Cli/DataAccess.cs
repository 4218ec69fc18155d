using System.Net.Http.Headers;
using System.Security.Cryptography;
using Kumiko.Core.Storage;

namespace Kumiko.Cli;

/// <summary>A data folder for one command: held by it, or reached through the server that holds it.</summary>
public sealed class DataAccess : IDisposable
{
    private DataAccess(DataFolder? folder, HttpClient? server) => (Folder, Server) = (folder, server);

    /// <summary>The folder, where no server holds it.</summary>
    public DataFolder? Folder { get; }

    /// <summary>A client of the server that holds it, with its control token.</summary>
    public HttpClient? Server { get; }

    /// <summary>Null, with a sentence on the error stream, where the folder is held by something that cannot be
    /// reached.</summary>
    public static DataAccess? Open(string path)
    {
        if (DataFolder.TryOpen(path) is { } folder)
            return new DataAccess(folder, null);
        if (DataFolder.FindServer(path) is { } found)
        {
            // The server says itself which certificate is its own; the name in it is not this machine's.
            var handler = new HttpClientHandler
            {
                ServerCertificateCustomValidationCallback = (_, certificate, _, _) =>
                    certificate?.GetCertHashString(HashAlgorithmName.SHA256) == found.Fingerprint,
            };
            var server = new HttpClient(handler) { BaseAddress = new Uri(found.Address), Timeout = Timeout.InfiniteTimeSpan };
            server.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", found.Token);
            return new DataAccess(null, server);
        }
        Console.Error.WriteLine($"Another command works in {path}. Try again when it is done.");
        return null;
    }

    /// <summary>Prints a server's answer: to the error stream where it is a refusal, and then 1.</summary>
    public static async Task<int> Print(HttpResponseMessage answer, CancellationToken cancel)
    {
        var text = await answer.Content.ReadAsStringAsync(cancel);
        (answer.IsSuccessStatusCode ? Console.Out : Console.Error).WriteLine(text);
        return answer.IsSuccessStatusCode ? 0 : 1;
    }

    public void Dispose()
    {
        Folder?.Dispose();
        Server?.Dispose();
    }
}
