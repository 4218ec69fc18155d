using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Web.Api;

/// <summary>What commands ask of a running server, with its control token.</summary>
public static class ControlEndpoint
{
    public static void Map(WebApplication app)
    {
        var control = app.MapGroup("/control")
            .AllowAnonymous()
            .DisableAntiforgery()
            .AddEndpointFilter(
                async (context, next) =>
                    context.HttpContext.RequestServices.GetRequiredService<BearerTokens>().IsControl(context.HttpContext)
                        ? await next(context)
                        : Results.StatusCode(StatusCodes.Status401Unauthorized)
            );
        control.MapPost("/token", MakeToken);
        control.MapPost("/person/reset", ResetPerson);
        control.MapPost("/check", (RecordStore store, AppDatabase database, CancellationToken cancel) =>
            Task.Run(() => StoreCheck.Run(store, null, cancel).With(AppDatabaseCheck.Run(database)), cancel)
        );
        control.MapPost("/backup", Backup);
        ImportEndpoint.Map(control);
    }

    private static async Task<IResult> Backup(string to, RecordStore store, AppDatabase database, CancellationToken cancel)
    {
        try
        {
            var (records, problems) = await StoreBackup.Run(store, database, to, null, cancel);
            return Results.Json(new BackupAnswer(records, problems));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Results.BadRequest(e.Message);
        }
    }

    private static async Task<IResult> ResetPerson(string email, PeopleStore people, LinkStore links, ServerOptions options) =>
        people.FindByEmail(email) is { } person
            ? Results.Text($"{options.PublicAddress}/welcome?key={await links.Reset(person, "the command line")}")
            : Results.BadRequest($"Nobody here has the address {email}.");

    private static async Task<IResult> MakeToken(HttpContext http, TokenStore store)
    {
        var name = http.Request.Query["name"].ToString();
        if (
            name.Length is 0 or > 200
            || !Enum.TryParse<TokenPurpose>(http.Request.Query["for"], ignoreCase: true, out var purpose)
        )
            return Results.BadRequest("A token needs a name and a purpose, intake or query.");
        return Results.Text(await store.Create(name, purpose));
    }
}

/// <summary>What a backup holds, and what could not be copied.</summary>
public sealed record BackupAnswer(long Records, IReadOnlyList<string> Problems);
