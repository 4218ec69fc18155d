using System.Net;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Frames;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>Changes as CloudEvents, and plain lines: what comes in by plain HTTP.</summary>
public sealed class ChangeTests : IAsyncLifetime
{
    private const string Event =
        """{"specversion":"1.0","id":"r-7","source":"/desk","type":"example.skerry.deploy.v1","subject":"gate-control","time":"2026-11-23T17:51:00Z","datacontenttype":"application/json","data":{"what":"gate firmware","where":"Tarnhead","from":"7.2","to":"7.3","who":"Oluchi Brandt"}}""";
    private RunningServer _server = null!;
    private HttpClient _client = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _client = await _server.Program(TokenPurpose.Intake);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private async Task<(HttpStatusCode Status, JsonElement Answer)> Send(
        string body,
        string type,
        params (string Name, string Value)[] headers
    )
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/intake/changes")
        {
            Content = new StringContent(body, Encoding.UTF8, type),
        };
        foreach (var (name, value) in headers)
            request.Headers.Add(name, value);
        using var response = await _client.SendAsync(request);
        return (response.StatusCode, JsonDocument.Parse(await response.Content.ReadAsStringAsync()).RootElement);
    }

    private IReadOnlyList<Change> Changes => _server.Get<ChangeStore>().Latest(10);

    [Fact]
    public async Task What_one_sender_calls_its_event_is_not_what_another_calls_so()
    {
        await Send(Event, "application/cloudevents+json");
        using var other = await _server.Program(TokenPurpose.Intake);
        var answer = await other.PostAsync(
            "/intake/changes",
            new StringContent(Event, System.Text.Encoding.UTF8, "application/cloudevents+json")
        );
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.Equal(["token 1 /desk#r-7", "token 2 /desk#r-7"], Changes.Select(c => c.Key).Order());
    }

    [Fact]
    public async Task A_structured_event_is_a_change_once_however_often_it_is_sent()
    {
        for (var i = 0; i < 2; i++)
            Assert.Equal(
                (HttpStatusCode.OK, 1),
                (await Send(Event, "application/cloudevents+json")) is var (s, a)
                    ? (s, a.GetProperty("taken").GetInt32())
                    : default
            );
        var change = Assert.Single(Changes);
        Assert.Equal(
            ("gate firmware", "Tarnhead", "7.2", "7.3", "Oluchi Brandt", "deploy", "quay", "token 1 /desk#r-7"),
            (change.What, change.Place, change.From, change.To, change.Who, change.Kind, change.Source, change.Key)
        );
        Assert.Equal("2026-11-23T17:51:00", Kumiko.Core.Records.Instants.Format(change.At)[..19]);
        Assert.Equal(1, _server.Get<SourceBook>().Find("quay")!.Changes);
    }

    [Fact]
    public async Task A_binary_event_has_its_parts_in_headers()
    {
        var (status, _) = await Send(
            """{"name":"fare cache on","version":true}""",
            "application/json",
            ("ce-specversion", "1.0"),
            ("ce-id", "1"),
            ("ce-source", "/flags"),
            ("ce-type", "flag"),
            ("ce-subject", "fare-engine")
        );
        Assert.Equal(HttpStatusCode.OK, status);
        var change = Assert.Single(Changes);
        Assert.Equal(
            ("fare cache on", "fare-engine", "true", "/flags", "flag"),
            (change.What, change.Place, change.To, change.Who, change.Kind)
        );
    }

    [Fact]
    public async Task An_event_without_data_is_known_by_its_type_and_a_batch_is_taken_one_by_one()
    {
        var (status, answer) = await Send(
            $$"""[{"specversion":"1.0","id":"a","source":"/desk","type":"restart","subject":"ledger-1"},{{Event}},{"specversion":"1.0","id":"b","source":"/desk","type":"{{new string('x', 600)}}"}]""",
            "application/cloudevents-batch+json"
        );
        Assert.Equal(
            (HttpStatusCode.OK, 2, 3),
            (status, answer.GetProperty("taken").GetInt32(), answer.GetProperty("refused")[0].GetProperty("place").GetInt32())
        );
        Assert.Equal(
            ["gate firmware, Tarnhead: 7.2 → 7.3, by Oluchi Brandt", "restart, ledger-1, by /desk"],
            Changes.Select(c => c.InWords).Order()
        );
    }

    [Theory]
    [InlineData("{}", "application/cloudevents+json")]
    [InlineData("not json", "application/cloudevents+json")]
    [InlineData("[1]", "application/cloudevents-batch+json")]
    [InlineData("{\"what\":\"no headers\"}", "application/json")]
    [InlineData("{\"specversion\":\"9\",\"id\":\"1\",\"source\":\"/x\",\"type\":\"t\"}", "application/cloudevents+json")]
    public async Task What_is_no_event_is_told_and_kept(string body, string type)
    {
        var (status, answer) = await Send(body, type);
        Assert.Equal(HttpStatusCode.BadRequest, status);
        Assert.StartsWith("This is no CloudEvent", answer.GetProperty("refused")[0].GetProperty("reason").GetString());
        Assert.Equal(body, Encoding.UTF8.GetString(_server.Get<RecordStore>().Refusals(5).Single().Head));
        Assert.Empty(Changes);
    }

    [Fact]
    public async Task A_time_that_cannot_be_kept_is_refused()
    {
        var (status, answer) = await Send(
            Event.Replace("2026-11-23T17:51:00Z", "0001-01-01T00:00:00Z", StringComparison.Ordinal),
            "application/cloudevents+json"
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "The time lies outside the years 1678 to 2261."),
            (status, answer.GetProperty("refused")[0].GetProperty("reason").GetString())
        );
        Assert.Empty(Changes);
    }

    [Fact]
    public async Task A_query_reads_every_change_however_many()
    {
        for (var i = 0; i < 620; i++)
            await _server.Get<ChangeStore>().Add(new Change($"{i}", i, "x", "", "", "", ""));
        Assert.Equal(620, Scanned.Rows(new ChangeSet(_server.Get<ChangeStore>()), new Window(0, 1_000)).Count);
        Assert.Equal([618L, 619L], _server.Get<ChangeStore>().In(new Window(0, 1_000), 2).Select(c => c.At));
    }

    [Fact]
    public async Task Changes_can_be_asked_for()
    {
        await Send(Event, "application/cloudevents+json");
        using var query = await _server.Program(TokenPurpose.Query);
        var rows = await query.GetStringAsync(
            "/api/query?from=2026-11-23T00:00:00Z&to=2026-11-24T00:00:00Z&format=csv&q="
                + Uri.EscapeDataString(
                    "from changes\n| select kind, what, place, before, after, who, source, event_id, event_source"
                )
        );
        Assert.Equal("deploy,gate firmware,Tarnhead,7.2,7.3,Oluchi Brandt,quay,r-7,/desk", rows.Trim().Split('\n')[1].Trim());
    }

    [Fact]
    public async Task Plain_lines_are_records_with_what_the_address_says_of_them()
    {
        using var response = await _client.PostAsync(
            "/intake/lines?service=relay&host=radio-hollin",
            new ByteArrayContent([.. "link up\r\n\n{\"a\":1}\n"u8, 0xff, .. "\nlast"u8])
        );
        Assert.Equal("""{"taken":4,"refused_total":0,"refused":[]}""", await response.Content.ReadAsStringAsync());
        Assert.Equal(["last", "link up", "{\"a\":1}", "ÿ"], _server.Records().Select(r => r.Body).Order());
        Assert.All(_server.Records(), r =>
            Assert.Equal(("relay", "radio-hollin"), (r.Resource.Service.AsText, r.Resource.Host.AsText))
        );
    }
}
