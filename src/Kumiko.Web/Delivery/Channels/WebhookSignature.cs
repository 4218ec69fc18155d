using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>Signs and verifies requests: HTTP Message Signatures (RFC 9421) with HMAC-SHA256, over a digest of the content (RFC
/// 9530).</summary>
public static class WebhookSignature
{
    private const string KeyId = "kumiko";
    private static readonly string[] Covered = ["@method", "@target-uri", "content-type", "content-digest", "idempotency-key"];

    /// <summary>A signature older than this, or from further ahead, is not taken: somebody may have kept it.</summary>
    public static readonly TimeSpan GoodFor = TimeSpan.FromMinutes(5);

    public static string Digest(ReadOnlySpan<byte> content) => $"sha-256=:{Convert.ToBase64String(SHA256.HashData(content))}:";

    /// <returns>The values of <c>Signature-Input</c> and <c>Signature</c>.</returns>
    public static (string Input, string Signature) Sign(
        string secret,
        string url,
        string contentType,
        string digest,
        string idempotencyKey,
        DateTimeOffset at
    )
    {
        var parameters = FormattableString.Invariant(
            $"({string.Join(' ', Covered.Select(c => $"\"{c}\""))});created={at.ToUnixTimeSeconds()};keyid=\"{KeyId}\";alg=\"hmac-sha256\""
        );
        var signature = HMACSHA256.HashData(
            Encoding.UTF8.GetBytes(secret),
            Encoding.UTF8.GetBytes(Base(url, contentType, digest, idempotencyKey, parameters))
        );
        return ($"{KeyId}={parameters}", $"{KeyId}=:{Convert.ToBase64String(signature)}:");
    }

    private static string Base(string url, string contentType, string digest, string idempotencyKey, string parameters) =>
        $"\"@method\": POST\n\"@target-uri\": {url}\n\"content-type\": {contentType}\n\"content-digest\": {digest}\n\"idempotency-key\": {idempotencyKey}\n\"@signature-params\": {parameters}";

    /// <summary>Whether a request was signed with a secret, lately, and is as it was signed.</summary>
    /// <param name="header">A header's value; null where it is not there.</param>
    public static bool Verify(
        string secret,
        string url,
        ReadOnlySpan<byte> content,
        Func<string, string?> header,
        DateTimeOffset now
    )
    {
        if (
            header("Signature-Input") is not { } input
            || header("Signature") is not { } signature
            || header("Content-Digest") is not { } digest
            || header("Content-Type") is not { } type
            || header("Idempotency-Key") is not { } key
        )
            return false;
        const string Created = ";created=";
        if (
            !input.StartsWith(KeyId + "=", StringComparison.Ordinal)
            || input.IndexOf(Created, StringComparison.Ordinal) is not (> 0 and var at)
        )
            return false;
        var seconds = new string([.. input.AsSpan(at + Created.Length).ToArray().TakeWhile(char.IsAsciiDigit)]);
        if (
            !long.TryParse(seconds, NumberStyles.None, CultureInfo.InvariantCulture, out var created)
            || Math.Abs(now.ToUnixTimeSeconds() - created) > GoodFor.TotalSeconds
        )
            return false;
        var (expectedInput, expected) = Sign(secret, url, type, digest, key, DateTimeOffset.FromUnixTimeSeconds(created));
        return input == expectedInput
            && digest == Digest(content)
            && CryptographicOperations.FixedTimeEquals(Encoding.ASCII.GetBytes(expected), Encoding.ASCII.GetBytes(signature));
    }
}
