using Kumiko.Core.Accounts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Kumiko.Web.Api;

/// <summary>Queries for programs, by the path that pages take.</summary>
public static class QueryEndpoint
{
    private const string ParameterPrefix = "p.";

    public static void Map(WebApplication app)
    {
        app.MapGet("/api/query", (HttpContext http, BearerTokens tokens) =>
                Answer(http, tokens, name => http.Request.Query[name], http.Request.Query.Keys)
            )
            .AllowAnonymous();
        app.MapPost("/api/query", async (HttpContext http, BearerTokens tokens) =>
            {
                // Nothing of a stranger's is read.
                if (tokens.Find(http, TokenPurpose.Query) is null)
                    return BearerTokens.Refuse(http, TokenPurpose.Query);
                if (!http.Request.HasFormContentType)
                    return Wrong("Send q, from and to as a form.");
                var form = await http.Request.ReadFormAsync(http.RequestAborted);
                return await Answer(http, tokens, name => form[name], form.Keys);
            })
            .AllowAnonymous()
            .DisableAntiforgery();
    }

    private static async Task<IResult> Answer(
        HttpContext http,
        BearerTokens tokens,
        Func<string, string?> value,
        IEnumerable<string> names
    )
    {
        if (tokens.Find(http, TokenPurpose.Query) is not { Name: var name })
            return BearerTokens.Refuse(http, TokenPurpose.Query);
        var clock = http.RequestServices.GetRequiredService<TimeProvider>();
        var now = Instants.FromDateTime(clock.GetUtcNow());
        if (ExportFormats.Of(value("format"), http.Request.Headers.Accept.ToString()) is not { } format)
            return Wrong($"format is {ExportFormats.Names}.");
        var (from, to) = (Moment.Parse(value("from") ?? "-1h"), Moment.Parse(value("to") ?? "now"));
        if (from is null || to is null)
            return Wrong("from and to are ISO 8601 times, such as 2026-11-23T17:45:00Z, or -1h and now.");
        var window = new TimeRange(from.Value, to.Value).Resolve(now);
        if (window.IsEmpty)
            return Wrong("from must lie before to.");
        var zone = value("zone") is { Length: > 0 } id ? DateTimeZoneProviders.Tzdb.GetZoneOrNull(id) : DateTimeZone.Utc;
        if (zone is null)
            return Wrong($"There is no zone “{value("zone")}”. Use a name such as Europe/Dublin.");
        var text = value("q") ?? "";
        var sources = http.RequestServices.GetRequiredService<RunRegistry>().Sources;
        var parsed = QueryParser.Parse(text, sources.Sets.Names());
        if (!parsed.Ok)
            return Results.Json(
                new
                {
                    error = parsed.Errors[0].Describe(text),
                    errors = parsed.Errors.Select(e => new
                    {
                        line = e.Position(text).Line,
                        column = e.Position(text).Column,
                        message = e.Message,
                    }),
                    mended = parsed.Mended,
                },
                statusCode: 400
            );
        // p.terminal=Tarnhead gives the parameter :terminal its value.
        var parameters = names
            .Where(n => n.StartsWith(ParameterPrefix, StringComparison.Ordinal))
            .ToDictionary(n => n[ParameterPrefix.Length..], n => value(n) ?? "", StringComparer.Ordinal);
        var question = new Question(name, parsed, window, now, zone, Limits.Default) { Parameters = parameters };
        if (
            Parameters
                .WithoutValue(parsed.Query)
                .FirstOrDefault(p => !p.Optional && parameters.GetValueOrDefault(p.Name) is null or "") is
            { } missing
        )
            return Wrong($":{missing.Name} is without a value. Send it as {ParameterPrefix}{missing.Name}.");
        var run = new Run(question, http.RequestServices.GetRequiredService<RecordStore>().Current, sources);
        http.Response.RegisterForDispose(run);
        http.Response.RegisterForDispose(run.Attach(http.RequestAborted));
        try
        {
            if (value("plan") is "1" or "true")
                return Results.Text(string.Join('\n', await run.Explain()) + "\n", "text/plain; charset=utf-8");
            var answer = await run.Stream();
            http.Response.RegisterForDisposeAsync(answer);
            return Results.Stream(
                _ => SentAnswer.Send(answer, format, () => sources.Damage(window), http, null),
                format.MediaType
            );
        }
        catch (QueryRefusedException e)
        {
            return Results.Json(new { error = e.Message }, statusCode: RefusedAnswers.StatusOf(e, http));
        }
    }

    private static IResult Wrong(string error) => Results.Json(new { error }, statusCode: StatusCodes.Status400BadRequest);
}
