using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Api;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;

namespace Kumiko.Web.Tests;

public sealed class QueryApiTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HttpClient _client = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        using var intake = await _server.Program(TokenPurpose.Intake);
        await intake.PostAsync(
            "/intake/records",
            new StringContent(
                """
                {"time":"2026-11-23T17:51:04.204000001Z","level":"error","service":"gate-control","host":"gate-t3","body":"ticket refused","wait":"812ms","status":409}
                {"time":"2026-11-23T17:52:00Z","level":"info","service":"fare-engine","host":"fare-1","body":"=HYPERLINK(\"x\")","status":200}
                {"time":"2026-11-23T17:53:00Z","level":"warn","service":"gate-control","host":"gate-t1","body":"ticket refused","wait":"1.2s","status":412}
                """,
                Encoding.UTF8
            )
        );
        _client = await _server.Program(TokenPurpose.Query);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private Task<HttpResponseMessage> Ask(string query, string more = "") =>
        _client.GetAsync($"/api/query?q={Uri.EscapeDataString(query)}&from=2026-11-23T17:00:00Z&to=2026-11-23T18:00:00Z{more}");

    [Fact]
    public async Task An_old_word_is_an_error_that_names_the_new_one()
    {
        using var response = await Ask("| group rate() every 5m");
        Assert.Equal(HttpStatusCode.BadRequest, response.StatusCode);
        var answer = JsonDocument.Parse(await response.Content.ReadAsStringAsync()).RootElement;
        Assert.Contains("“rate” is written “per_second” now.", answer.GetProperty("error").GetString());
        Assert.Equal("| group per_second() per 5m", answer.GetProperty("mended").GetString());
    }

    [Fact]
    public async Task Records_come_newest_first_as_ndjson()
    {
        var response = await Ask("refused");
        Assert.Equal("application/x-ndjson", response.Content.Headers.ContentType!.MediaType);
        var lines = (await response.Content.ReadAsStringAsync()).TrimEnd().Split('\n');
        Assert.Equal(2, lines.Length);
        Assert.Equal(
            """{"time":"2026-11-23T17:51:04.204000001Z","level":"error","service":"gate-control","host":"gate-t3","body":"ticket refused","attributes":{"wait":"812ms","status":409},"trace_id":null,"span_id":null,"source":"quay"}""",
            lines[1]
        );
    }

    [Fact]
    public async Task Groups_have_their_columns_in_order_and_durations_in_seconds() =>
        Assert.Equal(
            """{"service":"gate-control","n":2,"longest":1.2}""" + "\n",
            await (await Ask("refused | group count() as n, max(wait) as longest by service")).Content.ReadAsStringAsync()
        );

    [Fact]
    public async Task Csv_is_chosen_by_accept_or_format_and_defuses_formulas()
    {
        using var request = new HttpRequestMessage(
            HttpMethod.Get,
            "/api/query?q=service%3Dfare-engine&from=2026-11-23T17:00:00Z&to=2026-11-23T18:00:00Z"
        );
        request.Headers.Accept.Add(new MediaTypeWithQualityHeaderValue("text/csv"));
        var csv = await (await _client.SendAsync(request)).Content.ReadAsStringAsync();
        var lines = csv.TrimEnd().Split("\r\n");
        Assert.Equal("time,level,service,host,body,attributes", lines[0]);
        Assert.Contains("\"'=HYPERLINK(\"\"x\"\")\"", lines[1]);
        Assert.Equal("text/csv", (await Ask("", "&format=csv")).Content.Headers.ContentType!.MediaType);
    }

    [Theory]
    [InlineData("level >=", "", "Line 1, column 7")]
    [InlineData("", "&format=xml", "format is csv, ndjson or parquet")]
    [InlineData("", "&zone=Nowhere/Land", "There is no zone")]
    public async Task What_is_wrong_is_400_with_words(string query, string more, string says)
    {
        var response = await Ask(query, more);
        Assert.Equal(HttpStatusCode.BadRequest, response.StatusCode);
        Assert.Contains(says, await response.Content.ReadAsStringAsync());
    }

    [Theory]
    [InlineData("from=soon")]
    [InlineData("from=now&to=-1h")]
    public async Task Wrong_times_are_400(string times) =>
        Assert.Equal(HttpStatusCode.BadRequest, (await _client.GetAsync("/api/query?q=&" + times)).StatusCode);

    [Theory]
    [InlineData("ndjson")]
    [InlineData("csv")]
    public async Task An_answer_that_lacks_damaged_records_says_so_to_programs(string format)
    {
        var store = _server.Get<Kumiko.Core.Storage.RecordStore>();
        await store.Upkeep.SealAll();
        await store.Database.Writer.Write(c =>
            Dapper.SqlMapper.Execute(c, "UPDATE segment_column SET content = zeroblob(length(content))")
        );
        // Damage is met in reading, so the first answer may know of it in its last line alone.
        await (await Ask("refused", "&format=" + format)).Content.ReadAsStringAsync();
        Assert.True(SpinWait.SpinUntil(() => store.Notices.Count > 0, TimeSpan.FromSeconds(30)));
        var answer = await Ask("refused", "&format=" + format);
        Assert.Equal("damaged records are missing", Assert.Single(answer.Headers.GetValues("Kumiko-Incomplete")));
        var last = (await answer.Content.ReadAsStringAsync()).TrimEnd().Split('\n')[^1];
        Assert.StartsWith("{\"incomplete\":\"", last);
        Assert.Contains("are damaged and were set aside", last);
    }

    [Fact]
    public async Task What_asks_for_too_much_is_400_before_the_first_row()
    {
        var answer = await Ask("| group count() per 1ms");
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Contains("too many", await answer.Content.ReadAsStringAsync());
    }

    /// <summary>Notes that the connection was broken.</summary>
    private sealed class Connection : IHttpRequestLifetimeFeature
    {
        public CancellationToken RequestAborted { get; set; }
        public bool IsBroken { get; private set; }

        public void Abort() => IsBroken = true;
    }

    private static FrameStream Answer(bool breaks)
    {
        async IAsyncEnumerable<IReadOnlyList<Value[]>> Rows()
        {
            yield return
            [
                [Value.Of(1)],
            ];
            await Task.Yield();
            if (breaks)
                throw new QueryTimedOutException($"This took longer than 30 s and was stopped.");
        }
        return new FrameStream(
            new Schema([new Column("n", ColumnRole.Value, ValueKind.Integer)], null, new Window(0, 1)),
            Rows()
        );
    }

    private static async Task<(bool IsBroken, string? Problem, string Text)> Sent(
        ExportFormat format,
        bool breaks,
        Func<IReadOnlyList<string>>? damage = null
    )
    {
        var (http, connection, to) = (new DefaultHttpContext(), new Connection(), new MemoryStream());
        http.Features.Set<IHttpRequestLifetimeFeature>(connection);
        http.Response.Body = to;
        var problem = await SentAnswer.Send(Answer(breaks), format, damage ?? (() => []), http, null);
        return (connection.IsBroken, problem, Encoding.UTF8.GetString(to.ToArray()));
    }

    [Fact]
    public async Task What_fails_behind_the_first_row_breaks_the_connection()
    {
        foreach (var format in ExportFormats.All)
        {
            var whole = await Sent(format, breaks: false);
            Assert.Equal((false, null), (whole.IsBroken, whole.Problem));
            var broken = await Sent(format, breaks: true);
            Assert.Equal((true, "This took longer than 30 s and was stopped."), (broken.IsBroken, broken.Problem));
        }
        Assert.EndsWith(
            "{\"error\":\"This took longer than 30 s and was stopped.\"}\n",
            (await Sent(ExportFormats.Ndjson, breaks: true)).Text
        );
    }

    [Fact]
    public async Task Damage_that_is_met_on_the_way_is_told_or_breaks_what_cannot_tell_it()
    {
        Func<IReadOnlyList<string>> Met()
        {
            var asked = 0;
            return () => asked++ == 0 ? [] : ["30 records are damaged"];
        }
        var lines = await Sent(ExportFormats.Ndjson, breaks: false, Met());
        Assert.False(lines.IsBroken);
        Assert.EndsWith("{\"incomplete\":\"30 records are damaged\"}\n", lines.Text);
        var file = await Sent(ExportFormats.Parquet, breaks: false, Met());
        Assert.Equal((true, "30 records are damaged"), (file.IsBroken, file.Problem));
        // What was known before is said in the head, and the rest is whole.
        Assert.False((await Sent(ExportFormats.Parquet, breaks: false, () => ["30 records are damaged"])).IsBroken);
    }

    [Fact]
    public async Task Who_asks_for_too_much_at_once_is_told_when_to_come_again()
    {
        await using var small = await RunningServer.StartWith(path => Small(path));
        using var client = await small.Program(TokenPurpose.Query);
        var gate = small.Get<WorkGate>();
        using (await gate.Enter("quay", default))
        {
            var waiting = client.GetAsync("/api/query?q=%7C%20group%20count()");
            Assert.True(SpinWait.SpinUntil(() => gate.Now == (1, 1), TimeSpan.FromSeconds(30)));
            var own = await client.GetAsync("/api/query?q=%7C%20group%20count()");
            Assert.Equal(
                (HttpStatusCode.TooManyRequests, 5),
                (own.StatusCode, own.Headers.RetryAfter!.Delta!.Value.TotalSeconds)
            );
            Assert.Contains("Try again in 5", await own.Content.ReadAsStringAsync());
            small.Clock.Advance(TimeSpan.FromSeconds(21));
            var all = await waiting;
            Assert.Equal(
                (HttpStatusCode.ServiceUnavailable, 5),
                (all.StatusCode, all.Headers.RetryAfter!.Delta!.Value.TotalSeconds)
            );
            // What everybody needs stands all the same.
            Assert.Equal("well", await client.GetStringAsync("/healthz"));
        }
        Assert.Equal(HttpStatusCode.OK, (await client.GetAsync("/api/query?q=%7C%20group%20count()")).StatusCode);
    }

    private static ServerOptions Small(string path) =>
        new()
        {
            Data = path,
            Port = 0,
            GrpcPort = null,
            SyslogPort = null,
            ReserveBytes = 0,
            Work = WorkLimits.Default with { AtOnce = 1, OfOne = 1, Waiting = 1, WaitingOfOne = 1 },
        };

    [Fact]
    public async Task A_very_long_query_goes_by_post_and_is_refused_with_its_length()
    {
        var response = await _client.PostAsync(
            "/api/query",
            new FormUrlEncodedContent(new Dictionary<string, string> { ["q"] = new('x', 100_000) })
        );
        Assert.Equal(HttpStatusCode.BadRequest, response.StatusCode);
        Assert.Contains("16384", await response.Content.ReadAsStringAsync());
        var longest = await _client.PostAsync(
            "/api/query",
            new FormUrlEncodedContent(new Dictionary<string, string> { ["q"] = new('x', 16_000) })
        );
        Assert.Equal(HttpStatusCode.OK, longest.StatusCode);
    }

    [Fact]
    public async Task Strangers_and_intake_tokens_are_refused()
    {
        Assert.Equal(HttpStatusCode.Unauthorized, (await _server.Stranger().GetAsync("/api/query?q=")).StatusCode);
        Assert.Equal(
            HttpStatusCode.Unauthorized,
            (await (await _server.Program(TokenPurpose.Intake)).GetAsync("/api/query?q=")).StatusCode
        );
    }

    [Fact]
    public async Task A_parameter_takes_its_value_from_beside_the_query()
    {
        Assert.Equal(
            "{\"n\":1}\n",
            await (await Ask("status = :s | group count() as n", "&p.s=409")).Content.ReadAsStringAsync()
        );
        Assert.Equal(
            "{\"n\":0}\n",
            await (
                await Ask("status = :s | group count() as n", "&p.s=" + Uri.EscapeDataString("1 or status = 409"))
            ).Content.ReadAsStringAsync()
        );
        var missing = await Ask("status = :s");
        Assert.Equal(HttpStatusCode.BadRequest, missing.StatusCode);
        Assert.Contains("p.s", await missing.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task A_plan_says_how_and_a_table_in_the_folder_can_be_joined()
    {
        var plan = await (await Ask("refused and level >= warn | group count() by host", "&plan=1")).Content.ReadAsStringAsync();
        Assert.Contains("read logs:", plan);
        Assert.Contains("refused: 2 alone, 2 left", plan);
        Directory.CreateDirectory(Path.Combine(_server.Path, "tables"));
        await File.WriteAllTextAsync(
            Path.Combine(_server.Path, "tables", "hosts.csv"),
            "host,quay\ngate-t1,North\ngate-t3,South\n"
        );
        Assert.Equal(
            "{\"host\":\"gate-t1\",\"hosts.quay\":\"North\"}\n{\"host\":\"gate-t3\",\"hosts.quay\":\"South\"}\n",
            await (
                await Ask("refused | group count() by host | join hosts on host | order by host | select host, `hosts.quay`")
            ).Content.ReadAsStringAsync()
        );
        Assert.Equal(
            "{\"q\":\"South\"}\n",
            await (await Ask("status = 409 | select lookup(\"hosts\", host, \"quay\") as q")).Content.ReadAsStringAsync()
        );
        Assert.Equal("", await (await Ask("from alerts | select rule")).Content.ReadAsStringAsync());
    }
}
