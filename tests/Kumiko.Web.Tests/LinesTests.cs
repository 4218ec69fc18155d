using System.Net;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests;

/// <summary>Lines over HTTP: their format is named, or told from the first of them, and corrected.</summary>
public sealed class LinesTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HttpClient _client = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _client = await _server.Program(TokenPurpose.Intake);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private async Task<(HttpStatusCode Status, JsonElement Answer)> Send(
        string lines,
        string more = "",
        HttpClient? client = null
    )
    {
        using var response = await (client ?? _client).PostAsync("/intake/lines" + more, new StringContent(lines, Encoding.UTF8));
        return (response.StatusCode, JsonDocument.Parse(await response.Content.ReadAsStringAsync()).RootElement);
    }

    private string Only => Assert.Single(_server.Get<SourceBook>().All(), s => s.Records > 0).Name;

    private const string Pairs = "ts=2026-11-23T17:51:04Z level=warn msg=\"gate stuck\" gate=3\n";

    [Fact]
    public async Task The_format_is_told_from_the_first_lines_and_kept()
    {
        await Send(Pairs + Pairs);
        Assert.Equal(2, _server.Records().Count(r => r.Body == "gate stuck" && r.SeverityText == "warn"));
        var known = _server.Get<SourceFormats>().Find(Only)!;
        Assert.Equal(("logfmt", 2, false), (known.Format, known.SeenLines, known.IsCorrected));
        // One line that looks different does not change it.
        var (_, answer) = await Send("the tide turns\n");
        Assert.Equal(1, answer.GetProperty("refused_total").GetInt32());
    }

    [Fact]
    public async Task A_wrong_guess_is_corrected_and_counts_from_now_on()
    {
        await Send("04/05/2026 17:51:04 gate opened\n");
        var formats = _server.Get<SourceFormats>();
        await formats.Correct(Only, formats.Find(Only)! with { Order = Kumiko.Core.Records.DayOrder.DayFirst });
        await Send("04/05/2026 17:51:04 gate opened\n");
        Assert.Contains(_server.Records(), r =>
            Kumiko.Core.Records.Instants.Format(r.Time).StartsWith("2026-05-04", StringComparison.Ordinal)
        );
        await Send(string.Concat(Enumerable.Repeat(Pairs, 30)));
        Assert.Equal("text", formats.Find(Only)!.Format);
        await formats.Forget(Only);
        await Send(Pairs);
        Assert.Equal("logfmt", formats.Find(Only)!.Format);
    }

    [Fact]
    public async Task A_request_or_a_token_names_it()
    {
        await Send("the tide turns\n at noon\n", "?format=text");
        Assert.Equal("the tide turns\n at noon", Assert.Single(_server.Records()).Body);
        var (status, answer) = await Send("x\n", "?format=smoke");
        Assert.Equal(HttpStatusCode.BadRequest, status);
        Assert.Contains("logfmt", answer.GetProperty("error").GetString(), StringComparison.Ordinal);
        var token = await _server.Get<TokenStore>().Create(new TokenWish("tides", TokenPurpose.Intake) { Format = "csv" });
        using var client = new HttpClient { BaseAddress = new Uri(_server.Address) };
        client.DefaultRequestHeaders.Authorization = new("Bearer", token);
        await Send("time,terminal,height\n2026-11-23T17:51:04Z,Orra,3.2\n", client: client);
        Assert.Contains(_server.Records(), r => r.Attributes.Get("terminal").ToText() == "Orra" && r.Source == "tides");
    }

    [Fact]
    public async Task Service_and_host_of_the_request_count()
    {
        await Send("the tide turns\n", "?service=tide-feed&host=tide-1");
        var record = Assert.Single(_server.Records());
        Assert.Equal(("tide-feed", "tide-1"), (record.Resource.Service.AsText, record.Resource.Host.AsText));
    }

    [Fact]
    public async Task A_stack_trace_is_one_record()
    {
        await Send(
            "2026-11-23 17:51:04 ERROR gave up\njava.io.IOException: x\n\tat A.b(A.java:1)\n2026-11-23 17:51:05 INFO on\n"
        );
        Assert.Equal(2, _server.Records().Count);
    }

    [Fact]
    public async Task Damaged_packing_is_told_and_what_came_before_is_in()
    {
        using var packed = new MemoryStream();
        await using (
            var gzip = new System.IO.Compression.GZipStream(packed, System.IO.Compression.CompressionMode.Compress, true)
        )
            gzip.Write(
                Encoding.UTF8.GetBytes(
                    string.Concat(Enumerable.Range(0, 20_000).Select(i => $"ticket {i * 7919 % 104729} sold\n"))
                )
            );
        using var content = new ByteArrayContent(packed.ToArray()[..(int)(packed.Length / 2)]);
        content.Headers.ContentEncoding.Add("gzip");
        using var response = await _client.PostAsync("/intake/lines", content);
        Assert.Equal(HttpStatusCode.BadRequest, response.StatusCode);
        Assert.InRange(_server.Get<RecordStore>().Count, 100, 19_999);
    }
}
