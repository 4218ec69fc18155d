using System.Security.Cryptography;
using System.Text;
using Kumiko.Core.Accounts;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Hosting;

/// <summary>Who a program is, by the token it sends.</summary>
public sealed class BearerTokens(TokenStore tokens, ServerState state)
{
    private const string Scheme = "Bearer ";

    /// <summary>The name behind the request's token if it is good for the purpose; null otherwise.</summary>
    public string? Find(HttpContext http, TokenPurpose purpose) =>
        IsControl(http) ? "command line" : Text(http) is { } text ? tokens.Find(text, purpose) : null;

    /// <summary>Whether the request comes from a command on this machine.</summary>
    public bool IsControl(HttpContext http) =>
        Text(http) is { } text && CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(text), Encoding.UTF8.GetBytes(state.ControlToken));

    private static string? Text(HttpContext http)
    {
        var header = http.Request.Headers.Authorization.ToString();
        return header.StartsWith(Scheme, StringComparison.OrdinalIgnoreCase) && header.Length < 512 ? header[Scheme.Length..].Trim() : null;
    }

    /// <summary>The answer to a missing or wrong token.</summary>
    public static IResult Refuse(HttpContext http, TokenPurpose purpose)
    {
        http.Response.Headers.WWWAuthenticate = "Bearer";
        var name = purpose.ToString().ToLowerInvariant();
        return Results.Json(new { error = $"This needs a token for {name}. Make one with: kumiko token NAME --for {name}" }, statusCode: StatusCodes.Status401Unauthorized);
    }
}
