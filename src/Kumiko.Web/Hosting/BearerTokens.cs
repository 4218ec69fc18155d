using System.Security.Cryptography;
using System.Text;
using Kumiko.Core.Accounts;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Hosting;

/// <summary>A program that may do what it asks.</summary>
/// <param name="Token">Its token; null for a command on this machine, which has no limits.</param>
public sealed record Sender(string Name, Token? Token);

/// <summary>Who a program is, by the token it sends.</summary>
public sealed class BearerTokens(TokenStore tokens, ServerState state)
{
    private const string Scheme = "Bearer ";

    /// <summary>Who sends, if the request's token is good for the purpose; null otherwise.</summary>
    public Sender? Find(HttpContext http, TokenPurpose purpose)
    {
        if (IsControl(http))
            return new Sender("command line", null);
        if (Text(http) is { } text && tokens.Find(text, purpose) is { } token)
            return new Sender(token.Name, token);
        return null;
    }

    /// <summary>Whether the request comes from a command on this machine.</summary>
    public bool IsControl(HttpContext http) =>
        Text(http) is { } text
        && CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(text), Encoding.UTF8.GetBytes(state.ControlToken));

    private static string? Text(HttpContext http)
    {
        var header = http.Request.Headers.Authorization.ToString();
        return header.StartsWith(Scheme, StringComparison.OrdinalIgnoreCase) && header.Length < 512
            ? header[Scheme.Length..].Trim()
            : null;
    }

    /// <summary>What to do about a missing or wrong token.</summary>
    public static string Advice(TokenPurpose purpose)
    {
        var name = purpose.ToString().ToLowerInvariant();
        return $"This needs a token for {name}, as Authorization: Bearer TOKEN. Make one on the page Sources, or with: kumiko token NAME --for {name}";
    }

    /// <summary>The answer to a missing or wrong token.</summary>
    public static IResult Refuse(HttpContext http, TokenPurpose purpose)
    {
        http.Response.Headers.WWWAuthenticate = "Bearer";
        return Results.Json(new { error = Advice(purpose) }, statusCode: StatusCodes.Status401Unauthorized);
    }
}
