using System.Net;
using Kumiko.Core.Accounts;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.Mvc.RazorPages.Infrastructure;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Web.Tests;

/// <summary>
/// Who may do what, for every route and handler that there is. The table of routes is made from the application; a new one
/// without an entry here fails.
/// </summary>
public sealed class RightsTests : IAsyncLifetime
{
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private enum Who
    {
        Anybody,
        Viewer,
        Analyst,
        Administrator,

        /// <summary>A program with a token.</summary>
        Program,
    }

    /// <summary>The least that each route needs: method, path, handler.</summary>
    private static readonly Dictionary<string, Who> Table = new()
    {
        ["ANY /opentelemetry.proto.collector.logs.v1.LogsService/{unimplementedMethod:grpcunimplemented}"] = Who.Program,
        ["ANY /opentelemetry.proto.collector.metrics.v1.MetricsService/{unimplementedMethod:grpcunimplemented}"] = Who.Program,
        ["ANY /opentelemetry.proto.collector.trace.v1.TraceService/{unimplementedMethod:grpcunimplemented}"] = Who.Program,
        ["ANY /{unimplementedService}/{unimplementedMethod:grpcunimplemented}"] = Who.Program,
        ["GET /control/import/{id:long}"] = Who.Program,
        ["GET /"] = Who.Viewer,
        ["GET /alerts"] = Who.Viewer,
        ["GET /alerts/calendars/new"] = Who.Analyst,
        ["GET /alerts/calendars/{id:long}"] = Who.Analyst,
        ["GET /alerts/channels"] = Who.Viewer,
        ["GET /alerts/channels/mib"] = Who.Viewer,
        ["GET /alerts/channels/new"] = Who.Administrator,
        ["GET /alerts/channels/{id:long}"] = Who.Administrator,
        ["GET /alerts/quiet"] = Who.Viewer,
        ["GET /alerts/routes"] = Who.Viewer,
        ["GET /alerts/routes/new"] = Who.Analyst,
        ["GET /alerts/routes/{id:long}"] = Who.Analyst,
        ["GET /alerts/sent"] = Who.Viewer,
        ["GET /alerts/sent/{id:long}"] = Who.Viewer,
        ["GET /alerts/{id:long}"] = Who.Viewer,
        ["GET /alerts/{id:long}?handler=Figures"] = Who.Viewer,
        ["GET /alerts/{id:long}?handler=Records"] = Who.Viewer,
        ["GET /alerts/{id:long}?handler=Since"] = Who.Viewer,
        ["GET /api/query"] = Who.Program,
        ["GET /assets/{**path}"] = Who.Anybody,
        ["GET /brief/{token}"] = Who.Anybody,
        ["GET /brief/{token}?handler=Since"] = Who.Anybody,
        ["GET /charts"] = Who.Viewer,
        ["GET /charts/join"] = Who.Viewer,
        ["GET /charts?handler=Builder"] = Who.Viewer,
        ["GET /charts?handler=Built"] = Who.Viewer,
        ["GET /charts?handler=Edit"] = Who.Viewer,
        ["GET /charts?handler=File"] = Who.Viewer,
        ["GET /charts?handler=Mark"] = Who.Viewer,
        ["GET /charts?handler=Moved"] = Who.Viewer,
        ["GET /charts?handler=MovesWith"] = Who.Viewer,
        ["GET /charts?handler=Preview"] = Who.Viewer,
        ["GET /charts?handler=Together"] = Who.Viewer,
        ["GET /find"] = Who.Viewer,
        ["GET /frozen/{id}"] = Who.Viewer,
        ["GET /healthz"] = Who.Anybody,
        ["GET /links"] = Who.Viewer,
        ["GET /me"] = Who.Viewer,
        ["GET /objectives"] = Who.Viewer,
        ["GET /objectives/new"] = Who.Analyst,
        ["GET /objectives/{id:long}"] = Who.Viewer,
        ["GET /patterns"] = Who.Viewer,
        ["GET /people"] = Who.Administrator,
        ["GET /problem"] = Who.Anybody,
        ["GET /rules/new"] = Who.Analyst,
        ["GET /rules/ready"] = Who.Analyst,
        ["GET /rules/{id:long}"] = Who.Analyst,
        ["GET /search"] = Who.Viewer,
        ["GET /search/around"] = Who.Viewer,
        ["GET /search/around?handler=After"] = Who.Viewer,
        ["GET /search/around?handler=Before"] = Who.Viewer,
        ["GET /search?handler=Above"] = Who.Viewer,
        ["GET /search?handler=Check"] = Who.Viewer,
        ["GET /search?handler=Complete"] = Who.Viewer,
        ["GET /search?handler=Counts"] = Who.Viewer,
        ["GET /search?handler=Export"] = Who.Viewer,
        ["GET /search?handler=Exported"] = Who.Viewer,
        ["GET /search?handler=Field"] = Who.Viewer,
        ["GET /search?handler=Fields"] = Who.Viewer,
        ["GET /search?handler=First"] = Who.Viewer,
        ["GET /search?handler=Gather"] = Who.Viewer,
        ["GET /search?handler=GridRows"] = Who.Viewer,
        ["GET /search?handler=Help"] = Who.Viewer,
        ["GET /search?handler=Hints"] = Who.Viewer,
        ["GET /search?handler=How"] = Who.Viewer,
        ["GET /search?handler=Mark"] = Who.Viewer,
        ["GET /search?handler=Marks"] = Who.Viewer,
        ["GET /search?handler=Menu"] = Who.Viewer,
        ["GET /search?handler=Newer"] = Who.Viewer,
        ["GET /search?handler=Pattern"] = Who.Viewer,
        ["GET /search?handler=Picture"] = Who.Viewer,
        ["GET /search?handler=Places"] = Who.Viewer,
        ["GET /search?handler=Record"] = Who.Viewer,
        ["GET /search?handler=Rows"] = Who.Viewer,
        ["GET /search?handler=Split"] = Who.Viewer,
        ["GET /search?handler=Strip"] = Who.Viewer,
        ["GET /search?handler=When"] = Who.Viewer,
        ["GET /searches"] = Who.Viewer,
        ["GET /signin"] = Who.Anybody,
        ["GET /sources"] = Who.Viewer,
        ["GET /sources/change"] = Who.Viewer,
        ["GET /sources/connect/{by?}"] = Who.Viewer,
        ["GET /sources/connect/{by?}?handler=Waiting"] = Who.Administrator,
        ["GET /sources/failed"] = Who.Viewer,
        ["GET /sources/files"] = Who.Viewer,
        ["GET /sources/files?handler=Followed"] = Who.Viewer,
        ["GET /sources/follow/{id:long}"] = Who.Viewer,
        ["GET /sources/import/{id:long}"] = Who.Viewer,
        ["GET /sources/import/{id:long}?handler=Lines"] = Who.Viewer,
        ["GET /sources/import/{id:long}?handler=Reasons"] = Who.Viewer,
        ["GET /sources/import/{id:long}?handler=State"] = Who.Viewer,
        ["GET /sources/lines/{**name}"] = Who.Viewer,
        ["GET /sources/metrics"] = Who.Viewer,
        ["GET /sources/metrics?handler=Draw"] = Who.Viewer,
        ["GET /sources/of/{**name}"] = Who.Viewer,
        ["GET /sources/refused"] = Who.Viewer,
        ["GET /sources/targets"] = Who.Viewer,
        ["GET /sources/tokens"] = Who.Viewer,
        ["GET /sources?handler=Rows"] = Who.Viewer,
        ["GET /welcome"] = Who.Anybody,
        ["POST /links"] = Who.Viewer,
        ["POST /links?handler=Remove"] = Who.Viewer,
        ["POST /patterns?handler=Aside"] = Who.Viewer,
        ["POST /patterns?handler=Back"] = Who.Viewer,
        ["POST /patterns?handler=Call"] = Who.Viewer,
        ["POST /patterns?handler=Pick"] = Who.Viewer,
        ["POST /search?handler=StopExport"] = Who.Viewer,
        ["POST /alerts/calendars/new"] = Who.Analyst,
        ["POST /alerts/calendars/new?handler=Add"] = Who.Analyst,
        ["POST /alerts/calendars/new?handler=Take"] = Who.Analyst,
        ["POST /alerts/calendars/{id:long}"] = Who.Analyst,
        ["POST /alerts/calendars/{id:long}?handler=Add"] = Who.Analyst,
        ["POST /alerts/calendars/{id:long}?handler=Take"] = Who.Analyst,
        ["POST /alerts/channels/new"] = Who.Administrator,
        ["POST /alerts/channels/new?handler=Preview"] = Who.Administrator,
        ["POST /alerts/channels/new?handler=Test"] = Who.Administrator,
        ["POST /alerts/channels/{id:long}"] = Who.Administrator,
        ["POST /alerts/channels/{id:long}?handler=Preview"] = Who.Administrator,
        ["POST /alerts/channels/{id:long}?handler=Test"] = Who.Administrator,
        ["POST /alerts/channels?handler=Pause"] = Who.Administrator,
        ["POST /alerts/channels?handler=Remove"] = Who.Administrator,
        ["POST /alerts/channels?handler=Restore"] = Who.Administrator,
        ["POST /alerts/quiet"] = Who.Analyst,
        ["POST /alerts/quiet?handler=End"] = Who.Analyst,
        ["POST /alerts/quiet?handler=Restore"] = Who.Analyst,
        ["POST /alerts/routes/new"] = Who.Analyst,
        ["POST /alerts/routes/{id:long}"] = Who.Analyst,
        ["POST /alerts/routes?handler=Pause"] = Who.Analyst,
        ["POST /alerts/routes?handler=Remove"] = Who.Analyst,
        ["POST /alerts/routes?handler=Restore"] = Who.Analyst,
        ["POST /alerts/sent/{id:long}?handler=Again"] = Who.Analyst,
        ["POST /alerts/{id:long}?handler=Acknowledge"] = Who.Analyst,
        ["POST /alerts/{id:long}?handler=Remark"] = Who.Analyst,
        ["POST /alerts/{id:long}?handler=Resolve"] = Who.Analyst,
        ["POST /alerts/{id:long}?handler=Snooze"] = Who.Analyst,
        ["POST /alerts/{id:long}?handler=Wake"] = Who.Analyst,
        ["POST /alerts?handler=Acknowledge"] = Who.Analyst,
        ["POST /alerts?handler=Pause"] = Who.Analyst,
        ["POST /alerts?handler=Remove"] = Who.Analyst,
        ["POST /alerts?handler=Restore"] = Who.Analyst,
        ["POST /api/query"] = Who.Program,
        ["POST /brief/{token}"] = Who.Anybody,
        ["POST /charts?handler=Freeze"] = Who.Analyst,
        ["POST /charts?handler=Keep"] = Who.Analyst,
        ["POST /control/backup"] = Who.Program,
        ["POST /control/check"] = Who.Program,
        ["POST /control/import"] = Who.Program,
        ["POST /control/import/{id:long}/stop"] = Who.Program,
        ["POST /control/person/reset"] = Who.Program,
        ["POST /control/token"] = Who.Program,
        ["POST /intake/changes"] = Who.Program,
        ["POST /intake/lines"] = Who.Program,
        ["POST /intake/records"] = Who.Program,
        ["POST /me"] = Who.Viewer,
        ["POST /me?handler=Elsewhere"] = Who.Viewer,
        ["POST /me?handler=End"] = Who.Viewer,
        ["POST /me?handler=Password"] = Who.Viewer,
        ["POST /objectives/new"] = Who.Analyst,
        ["POST /objectives/new?handler=Remove"] = Who.Analyst,
        ["POST /objectives/{id:long}"] = Who.Analyst,
        ["POST /objectives/{id:long}?handler=Remove"] = Who.Analyst,
        ["POST /objectives?handler=Restore"] = Who.Analyst,
        ["POST /opentelemetry.proto.collector.logs.v1.LogsService/Export"] = Who.Program,
        ["POST /opentelemetry.proto.collector.metrics.v1.MetricsService/Export"] = Who.Program,
        ["POST /opentelemetry.proto.collector.trace.v1.TraceService/Export"] = Who.Program,
        ["POST /people?handler=Invite"] = Who.Administrator,
        ["POST /people?handler=Off"] = Who.Administrator,
        ["POST /people?handler=On"] = Who.Administrator,
        ["POST /people?handler=Remove"] = Who.Administrator,
        ["POST /people?handler=Reset"] = Who.Administrator,
        ["POST /people?handler=Role"] = Who.Administrator,
        ["POST /people?handler=TakeBack"] = Who.Administrator,
        ["POST /problem"] = Who.Anybody,
        ["POST /rules/new"] = Who.Analyst,
        ["POST /rules/new?handler=Text"] = Who.Analyst,
        ["POST /rules/new?handler=Trial"] = Who.Analyst,
        ["POST /rules/{id:long}"] = Who.Analyst,
        ["POST /rules/{id:long}?handler=Text"] = Who.Analyst,
        ["POST /rules/{id:long}?handler=Trial"] = Who.Analyst,
        ["POST /searches?handler=Change"] = Who.Analyst,
        ["POST /searches?handler=Copy"] = Who.Analyst,
        ["POST /searches?handler=Forget"] = Who.Viewer,
        ["POST /searches?handler=Freeze"] = Who.Analyst,
        ["POST /searches?handler=Keep"] = Who.Analyst,
        ["POST /searches?handler=Remove"] = Who.Viewer,
        ["POST /signin"] = Who.Anybody,
        ["POST /signin?handler=Offered"] = Who.Anybody,
        ["POST /signin?handler=Out"] = Who.Anybody,
        ["POST /signin?handler=Zone"] = Who.Viewer,
        ["POST /sources/change"] = Who.Analyst,
        ["POST /sources/change?handler=Remove"] = Who.Analyst,
        ["POST /sources/failed"] = Who.Analyst,
        ["POST /sources/failed?handler=Remove"] = Who.Analyst,
        ["POST /sources/connect/{by?}"] = Who.Administrator,
        ["POST /sources/files?handler=Follow"] = Who.Administrator,
        ["POST /sources/files?handler=Path"] = Who.Administrator,
        ["POST /sources/files?handler=Upload"] = Who.Analyst,
        ["POST /sources/follow/{id:long}?handler=Preview"] = Who.Viewer,
        ["POST /sources/follow/{id:long}?handler=Remove"] = Who.Administrator,
        ["POST /sources/follow/{id:long}?handler=Save"] = Who.Administrator,
        ["POST /sources/import/{id:long}?handler=Again"] = Who.Analyst,
        ["POST /sources/import/{id:long}?handler=Forget"] = Who.Analyst,
        ["POST /sources/import/{id:long}?handler=Preview"] = Who.Viewer,
        ["POST /sources/import/{id:long}?handler=Start"] = Who.Analyst,
        ["POST /sources/import/{id:long}?handler=Stop"] = Who.Analyst,
        ["POST /sources/import/{id:long}?handler=TakeOut"] = Who.Analyst,
        ["POST /sources/lines/{**name}?handler=Forget"] = Who.Administrator,
        ["POST /sources/lines/{**name}?handler=Preview"] = Who.Viewer,
        ["POST /sources/lines/{**name}?handler=Save"] = Who.Administrator,
        ["POST /sources/targets?handler=Remove"] = Who.Administrator,
        ["POST /sources/targets?handler=Restore"] = Who.Administrator,
        ["POST /sources/tokens?handler=Make"] = Who.Administrator,
        ["POST /sources/tokens?handler=Revoke"] = Who.Administrator,
        ["POST /v1/logs"] = Who.Program,
        ["POST /v1/metrics"] = Who.Program,
        ["POST /v1/traces"] = Who.Program,
        ["POST /welcome"] = Who.Anybody,
    };

    private async Task<IReadOnlyList<string>> Routes()
    {
        var loader = _server.App.Services.GetRequiredService<PageLoader>();
        var routes = new SortedSet<string>(StringComparer.Ordinal);
        foreach (var endpoint in _server.App.Services.GetRequiredService<EndpointDataSource>().Endpoints.OfType<RouteEndpoint>())
        {
            var path = "/" + endpoint.RoutePattern.RawText!.TrimStart('/');
            if (endpoint.Metadata.GetMetadata<PageActionDescriptor>() is { } page)
            {
                var compiled = page as CompiledPageActionDescriptor ?? await loader.LoadAsync(page, endpoint.Metadata);
                foreach (var handler in compiled.HandlerMethods)
                    routes.Add(
                        $"{handler.HttpMethod.ToUpperInvariant()} {path}{(handler.Name is null ? "" : "?handler=" + handler.Name)}"
                    );
            }
            else
                foreach (var method in endpoint.Metadata.GetMetadata<HttpMethodMetadata>()?.HttpMethods ?? ["ANY"])
                    routes.Add($"{method} {path}");
        }
        return [.. routes];
    }

    [Fact]
    public async Task Each_route_and_handler_has_an_entry_and_no_entry_is_left_over()
    {
        var routes = await Routes();
        var differ = routes
            .Except(Table.Keys)
            .Select(r => "without an entry: " + r)
            .Concat(Table.Keys.Except(routes).Select(r => "left over: " + r))
            .ToList();
        Assert.True(differ.Count == 0, string.Join('\n', differ));
    }

    [Fact]
    public async Task Each_is_open_to_those_it_is_for_and_closed_to_others()
    {
        // One who stays, so that nobody is the last.
        using var first = await _server.Person(Role.Administrator);
        var wrong = new List<string>();
        foreach (var who in new[] { Who.Anybody, Who.Viewer, Who.Analyst, Who.Administrator })
        {
            Task<HttpClient> Enter() =>
                who == Who.Anybody ? Task.FromResult(_server.Stranger()) : _server.Person(Enum.Parse<Role>(who.ToString()));
            using var shared = await Enter();
            foreach (var (route, least) in Table)
            {
                using var own = route.Contains("handler=Out", StringComparison.Ordinal) ? await Enter() : null;
                var client = own ?? shared;
                var answer = await Ask(client, route);
                var toSignIn =
                    answer.StatusCode == HttpStatusCode.Redirect
                    && answer.Headers.Location!.ToString().Contains("/signin", StringComparison.Ordinal)
                    && !route.Contains("handler=Out", StringComparison.Ordinal);
                var noCall = answer.Headers.TryGetValues("grpc-status", out var status) && status.Single() == "16";
                var shut = noCall || answer.StatusCode is HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden || toSignIn;
                var may = least != Who.Program && who >= least;
                if (shut == may)
                    wrong.Add($"{route} answered {who} {(int)answer.StatusCode}, and is for {least}.");
                if (answer.StatusCode == HttpStatusCode.InternalServerError)
                    wrong.Add($"{route} fell over for {who}.");
            }
        }
        Assert.True(wrong.Count == 0, string.Join('\n', wrong));
    }

    private static Task<HttpResponseMessage> Ask(HttpClient client, string route)
    {
        var (method, path) = (route.Split(' ')[0], route.Split(' ')[1]);
        // Numbers and names that nothing has.
        path = System.Text.RegularExpressions.Regex.Replace(path, "\\{\\*?\\*?([a-zA-Z]+)(:[a-z]+)?\\??\\}", m =>
            m.Groups[2].Value == ":long" ? "999999" : "nothing"
        );
        if (method == "ANY" || path.StartsWith("/opentelemetry", StringComparison.Ordinal))
        {
            var call = new ByteArrayContent([]);
            call.Headers.ContentType = new("application/grpc");
            return client.PostAsync(path, call);
        }
        if (method == "GET")
            return client.GetAsync(path);
        return
            path.StartsWith("/intake", StringComparison.Ordinal)
            || path.StartsWith("/v1", StringComparison.Ordinal)
            || path.StartsWith("/control", StringComparison.Ordinal)
            || path.StartsWith("/api", StringComparison.Ordinal)
            ? client.PostAsync(path, new StringContent("{}", System.Text.Encoding.UTF8, "application/json"))
            : Form(client, path);
    }

    private static async Task<HttpResponseMessage> Form(HttpClient client, string path)
    {
        // Any page has the token; a stranger's is on the page of signing in.
        var token = System
            .Text.RegularExpressions.Regex.Match(
                await (await client.GetAsync("/alerts")).Content.ReadAsStringAsync()
                    + await (await client.GetAsync("/signin")).Content.ReadAsStringAsync(),
                "name=\"__RequestVerificationToken\"[^>]*value=\"([^\"]+)\""
            )
            .Groups[1]
            .Value;
        return await client.PostAsync(
            path,
            new FormUrlEncodedContent([KeyValuePair.Create("__RequestVerificationToken", token)])
        );
    }
}
