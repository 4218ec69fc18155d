using System.Net;
using System.Net.Sockets;
using System.Text;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Web.Receivers.Scraping;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>Fetching metrics from targets that answer, answer nonsense, or do not answer.</summary>
public sealed class ScraperTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private readonly TcpListener _target = new(IPAddress.Loopback, 0);

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _target.Start();
    }

    public ValueTask DisposeAsync()
    {
        _target.Dispose();
        return _server.DisposeAsync();
    }

    private ScrapeTarget Target =>
        new(1, "hosts", $"http://127.0.0.1:{((IPEndPoint)_target.LocalEndpoint).Port}/metrics", 15 * Instants.Second, "");

    /// <summary>Answers one request with these bytes.</summary>
    private async Task<string> Answer(string head, string body)
    {
        using var client = await _target.AcceptTcpClientAsync();
        var buffer = new byte[4096];
        var read = await client.GetStream().ReadAsync(buffer);
        await client
            .GetStream()
            .WriteAsync(
                Encoding.UTF8.GetBytes(
                    $"HTTP/1.1 {head}\r\nContent-Length: {Encoding.UTF8.GetByteCount(body)}\r\nConnection: close\r\n\r\n{body}"
                )
            );
        return Encoding.ASCII.GetString(buffer[..read]);
    }

    private IReadOnlyDictionary<string, Metric> Kept =>
        _server
            .Get<MetricStore>()
            .Read(new Window(0, long.MaxValue))
            .GroupBy(m => m.Name)
            .ToDictionary(g => g.Key, g => g.Last());

    private async Task<string?> Scraped(string head, string body)
    {
        var answer = Answer(head, body);
        await _server.Get<Scraper>().Scrape(Target, CancellationToken.None);
        await answer;
        return _server.Get<Scraper>().StateOf(Target)!.Problem;
    }

    [Fact]
    public async Task What_a_target_answers_is_kept_with_up_and_duration()
    {
        var answer = Answer(
            "200 OK\r\nContent-Type: application/openmetrics-text; version=1.0.0; charset=utf-8",
            "# TYPE load gauge\nload{host=\"pay-1\"} 0.5\n# EOF\n"
        );
        await _server.Get<Scraper>().Scrape(Target, CancellationToken.None);
        Assert.Contains("application/openmetrics-text", await answer);
        Assert.Equal(Value.Of(0.5), Kept["load"].Samples[0].Value);
        Assert.Equal(
            (Value.Of(1.0), "s", "hosts"),
            (Kept["up"].Samples[0].Value, Kept["scrape.duration"].Unit, Kept["up"].Resource.Service.AsText)
        );
        Assert.True(Kept["scrape.duration"].Samples[0].Value.AsDouble > 0);
        var source = _server.Get<SourceBook>().Find("hosts")!;
        Assert.Equal((3L, "OpenMetrics, scraped"), (source.Samples, source.Protocol));
    }

    [Theory]
    [InlineData("503 Not now", "", "It answered 503.")]
    [InlineData("302 Away\r\nLocation: http://127.0.0.1:1/", "", "It answered 302.")]
    [InlineData(
        "200 OK\r\nContent-Type: application/openmetrics-text",
        "load 1\n",
        "The answer was cut off: its last line, # EOF, is missing."
    )]
    public async Task A_target_that_fails_is_down_and_the_reason_is_kept_once(string head, string body, string problem)
    {
        for (var i = 0; i < 2; i++)
            Assert.Equal(problem, await Scraped(head, body));
        Assert.Equal(Value.Of(0.0), Kept["up"].Samples[0].Value);
        Assert.DoesNotContain("load", Kept.Keys);
        Assert.Equal(problem, Assert.Single(_server.Get<RecordStore>().Refusals(5, "hosts")).Reason);
    }

    [Fact]
    public async Task Wrong_lines_are_refused_and_the_rest_kept()
    {
        Assert.Null(await Scraped("200 OK\r\nContent-Type: text/plain", "good 1\nwrong\n"));
        Assert.Equal(2, Assert.Single(_server.Get<RecordStore>().Refusals(5, "hosts")).Line);
        Assert.Contains("good", Kept.Keys);
    }

    [Fact]
    public async Task Listed_targets_are_fetched_by_themselves_again_and_again()
    {
        await _server.Get<ScrapeStore>().Add(Target);
        for (var i = 0; i < 3; i++)
        {
            var answer = Answer("200 OK\r\nContent-Type: text/plain", "load 1\n");
            while (!answer.IsCompleted)
            {
                _server.Clock.Advance(TimeSpan.FromSeconds(1));
                await Task.Delay(1);
            }
            await answer;
        }
        await _server.Get<ScrapeStore>().Remove(_server.Get<ScrapeStore>().All().Single().Id);
        Assert.Empty(_server.Get<ScrapeStore>().All());
    }

    [Fact]
    public async Task Nobody_at_the_address_is_told()
    {
        _target.Stop();
        var closed = Target with { Address = "http://127.0.0.1:1/metrics" };
        await _server.Get<Scraper>().Scrape(closed, CancellationToken.None);
        Assert.StartsWith("It cannot be reached", _server.Get<Scraper>().StateOf(closed)!.Problem);
    }
}
