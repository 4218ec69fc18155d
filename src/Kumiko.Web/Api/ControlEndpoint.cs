using Kumiko.Core.Accounts;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Api;

/// <summary>What commands ask of a running server, with its control token.</summary>
public static class ControlEndpoint
{
    public static void Map(WebApplication app) => app.MapPost("/control/token", async (HttpContext http, BearerTokens tokens, TokenStore store) =>
    {
        if (!tokens.IsControl(http)) return Results.StatusCode(StatusCodes.Status401Unauthorized);
        var name = http.Request.Query["name"].ToString();
        if (name.Length is 0 or > 200 || !Enum.TryParse<TokenPurpose>(http.Request.Query["for"], ignoreCase: true, out var purpose))
            return Results.BadRequest("A token needs a name and a purpose, intake or query.");
        return Results.Text(await store.Create(name, purpose));
    }).AllowAnonymous().DisableAntiforgery();
}
