using System.Buffers;
using System.Net;
using System.Net.Http.Headers;
using System.Text;
using Kumiko.Core.Delivery;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>Sends by HTTP POST. A redirect that keeps the method is followed, through the same guard; headers of one's own and
/// the signature stay with the first host.</summary>
public sealed class WebhookSender : IChannelSender, IDisposable
{
    private const int MostRedirects = 3;
    private const int MostAnswer = 4_096;

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(10);

    /// <summary>Names that the request itself sets.</summary>
    private static readonly string[] Own =
    [
        "host",
        "content-type",
        "content-length",
        "content-digest",
        "transfer-encoding",
        "connection",
        "idempotency-key",
        "signature",
        "signature-input",
        "kumiko-try",
    ];

    private readonly HttpClient _http;
    private readonly TimeProvider _clock;

    public WebhookSender(NetworkGuard guard, TimeProvider clock)
    {
        _clock = clock;
        _http = new HttpClient(
            new SocketsHttpHandler
            {
                AllowAutoRedirect = false,
                UseProxy = false,
                UseCookies = false,
                MaxResponseHeadersLength = 16,
                PooledConnectionLifetime = TimeSpan.FromMinutes(1),
                ConnectCallback = (context, cancel) => guard.Connect(context.DnsEndPoint.Host, context.DnsEndPoint.Port, cancel),
            }
        )
        {
            Timeout = Timeout.InfiniteTimeSpan,
        };
    }

    public async Task<SendAnswer> Send(Outgoing outgoing, CancellationToken cancel)
    {
        var (settings, payload) = ((WebhookSettings)outgoing.Settings, (WebhookPayload)outgoing.Payload);
        if (AddressFault(settings.Url) is { } fault)
            throw new SendFailedException(fault, isFinal: true);
        var secret = WebhookSecret.Of(outgoing.Secret);
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limited.CancelAfter(Patience);
        var (first, url, sent) = (new Uri(settings.Url), new Uri(settings.Url), "");
        try
        {
            for (var redirects = 0; ; redirects++)
            {
                using var request = Request(
                    outgoing,
                    secret,
                    payload,
                    url,
                    isFirst: url.Authority == first.Authority && url.Scheme == first.Scheme
                );
                sent = Described(request, payload, secret.Key.Length > 0);
                using var response = await _http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, limited.Token);
                var answer =
                    $"{(int)response.StatusCode} {response.ReasonPhrase}\n{await Read(response, limited.Token)}".TrimEnd();
                if (response.IsSuccessStatusCode)
                    return new SendAnswer(sent, answer);
                if (
                    response.StatusCode is HttpStatusCode.TemporaryRedirect or HttpStatusCode.PermanentRedirect
                    && response.Headers.Location is { } next
                )
                {
                    if (redirects == MostRedirects)
                        throw new SendFailedException(
                            "It was redirected too often. Give the address that answers.",
                            sent,
                            answer,
                            isFinal: true
                        );
                    url = new Uri(url, next);
                    if (AddressFault(url.ToString()) is { } wrong)
                        throw new SendFailedException(
                            "Redirected to an address that is not taken. " + wrong,
                            sent,
                            answer,
                            isFinal: true
                        );
                    continue;
                }
                var code = (int)response.StatusCode;
                throw new SendFailedException(
                    code is >= 300 and < 400
                        ? $"It answered with a redirect ({code}) that would lose the content. Give the address it leads to."
                        : $"It answered {code}.",
                    sent,
                    answer,
                    isFinal: code is >= 300 and < 500 and not 408 and not 425 and not 429
                );
            }
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            throw new SendFailedException($"There was no answer within {Patience.TotalSeconds:0} s.", sent);
        }
        catch (HttpRequestException e) when (e.InnerException is SendFailedException refused)
        {
            throw new SendFailedException(refused.Message, sent, isFinal: refused.IsFinal, cause: e);
        }
        catch (Exception e) when (e is HttpRequestException or IOException)
        {
            throw new SendFailedException(e.InnerException?.Message ?? e.Message, sent, cause: e);
        }
    }

    private HttpRequestMessage Request(Outgoing outgoing, WebhookSecret secret, WebhookPayload payload, Uri url, bool isFirst)
    {
        var body = Encoding.UTF8.GetBytes(payload.Body);
        var request = new HttpRequestMessage(HttpMethod.Post, url) { Content = new ByteArrayContent(body) };
        request.Content.Headers.ContentType = MediaTypeHeaderValue.Parse(payload.ContentType);
        var (digest, key) = (WebhookSignature.Digest(body), $"\"{outgoing.Key}\"");
        request.Content.Headers.TryAddWithoutValidation("Content-Digest", digest);
        request.Headers.TryAddWithoutValidation("Idempotency-Key", key);
        request.Headers.TryAddWithoutValidation(
            "Kumiko-Try",
            outgoing.Attempt.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );
        request.Headers.UserAgent.Add(new ProductInfoHeaderValue("Kumiko", null));
        if (!isFirst)
            return request;
        foreach (var header in secret.Headers)
            if (header.IndexOf(':') is > 0 and var colon)
                request.Headers.TryAddWithoutValidation(header[..colon].Trim(), header[(colon + 1)..].Trim());
        if (secret.Key.Length > 0)
        {
            var (input, signature) = WebhookSignature.Sign(
                secret.Key,
                url.AbsoluteUri,
                request.Content.Headers.ContentType.ToString(),
                digest,
                key,
                _clock.GetUtcNow()
            );
            request.Headers.TryAddWithoutValidation("Signature-Input", input);
            request.Headers.TryAddWithoutValidation("Signature", signature);
        }
        return request;
    }

    /// <summary>The request for people: headers of one's own may hold a password, so their values are left out.</summary>
    private static string Described(HttpRequestMessage request, WebhookPayload payload, bool isSigned) =>
        $"POST {request.RequestUri}\n"
        + string.Concat(
            request.Headers.Select(h =>
                $"{h.Key}: {(Own.Contains(h.Key.ToLowerInvariant()) ? string.Join(", ", h.Value) : "…")}\n"
            )
        )
        + string.Concat(request.Content!.Headers.Select(h => $"{h.Key}: {string.Join(", ", h.Value)}\n"))
        + (isSigned ? "" : "(not signed)\n")
        + "\n"
        + payload.Body;

    private static async Task<string> Read(HttpResponseMessage response, CancellationToken cancel)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(MostAnswer);
        try
        {
            await using var stream = await response.Content.ReadAsStreamAsync(cancel);
            var read = await stream.ReadAtLeastAsync(
                buffer.AsMemory(0, MostAnswer),
                MostAnswer,
                throwOnEndOfStream: false,
                cancel
            );
            return PlainText.Lines(Encoding.UTF8.GetString(buffer, 0, read));
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    /// <summary>What is wrong with an address; null where nothing is.</summary>
    public static string? AddressFault(string? text)
    {
        if (!Uri.TryCreate(text, UriKind.Absolute, out var url) || url.Scheme is not ("http" or "https"))
            return "Give an address that begins with https:// or http://.";
        if (url.UserInfo.Length > 0)
            return "Leave name and password out of the address; give a header instead.";
        if (text!.Length > 2_000 || text.Any(char.IsControl))
            return "The address is too long, or holds control characters.";
        return null;
    }

    /// <summary>What is wrong with a header of one's own; null where nothing is.</summary>
    public static string? HeaderFault(string header)
    {
        var colon = header.IndexOf(':');
        if (colon < 1 || header.Length > 4_000)
            return "Write headers as Name: value, one a line.";
        var name = header[..colon].Trim();
        if (!name.All(c => char.IsAsciiLetterOrDigit(c) || "!#$%&'*+-.^_`|~".Contains(c)))
            return $"“{PlainText.Line(name)}” is no name of a header.";
        if (header[(colon + 1)..].Any(c => char.IsControl(c) || c > 126))
            return $"The value of {name} holds characters that headers cannot have.";
        return Own.Contains(name.ToLowerInvariant()) ? $"{name} is set by Kumiko itself." : null;
    }

    public void Dispose() => _http.Dispose();
}
