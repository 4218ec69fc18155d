using System.IO.Compression;
using System.Net;
using System.Text;
using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Web.Tests;

public sealed class IntakeTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HttpClient _client = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _client = await _server.Program(TokenPurpose.Intake);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private async Task<(HttpStatusCode Status, JsonElement Answer)> Send(HttpContent content)
    {
        var response = await _client.PostAsync("/intake/records", content);
        return (response.StatusCode, JsonDocument.Parse(await response.Content.ReadAsStringAsync()).RootElement);
    }

    private Task<(HttpStatusCode Status, JsonElement Answer)> Send(string body) => Send(new StringContent(body, Encoding.UTF8));

    [Fact]
    public async Task Good_lines_are_taken_and_can_be_read_at_once()
    {
        var (status, answer) = await Send("{\"body\":\"one\"}\n{\"body\":\"two\"}\n");
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal("""{"taken":2,"refused_total":0,"refused":[]}""", answer.GetRawText());
        Assert.Equal(2, _server.Get<RecordStore>().Current.Count);
    }

    [Fact]
    public async Task Bad_lines_are_told_and_the_rest_is_taken()
    {
        var (status, answer) = await Send("{\"body\":\"one\"}\noops\n{\"body\":\"two\"}");
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal(2, answer.GetProperty("taken").GetInt32());
        Assert.Equal(
            (2, 1),
            (
                answer.GetProperty("refused")[0].GetProperty("line").GetInt32(),
                answer.GetProperty("refused")[0].GetProperty("column").GetInt32()
            )
        );
    }

    [Fact]
    public async Task Nothing_but_bad_lines_is_400_and_at_most_a_hundred_are_listed()
    {
        var (status, answer) = await Send(string.Join('\n', Enumerable.Repeat("x", 150)));
        Assert.Equal(HttpStatusCode.BadRequest, status);
        Assert.Equal(
            (150, 100),
            (answer.GetProperty("refused_total").GetInt32(), answer.GetProperty("refused").GetArrayLength())
        );
    }

    [Theory]
    [InlineData(null)]
    [InlineData("Bearer nonsense")]
    [InlineData("Basic aW5lcw==")]
    public async Task Without_its_token_nothing_is_taken(string? authorization)
    {
        using var client = new HttpClient { BaseAddress = new Uri(_server.Address) };
        if (authorization is not null)
            client.DefaultRequestHeaders.TryAddWithoutValidation("Authorization", authorization);
        var response = await client.PostAsync("/intake/records", new StringContent("{\"body\":\"x\"}"));
        Assert.Equal(HttpStatusCode.Unauthorized, response.StatusCode);
        Assert.Contains("kumiko token", await response.Content.ReadAsStringAsync());
        Assert.Equal(0, _server.Get<RecordStore>().Current.Count);
    }

    [Fact]
    public async Task A_token_for_queries_does_not_open_the_intake()
    {
        using var client = await _server.Program(TokenPurpose.Query);
        Assert.Equal(
            HttpStatusCode.Unauthorized,
            (await client.PostAsync("/intake/records", new StringContent("{\"body\":\"x\"}"))).StatusCode
        );
    }

    private static ByteArrayContent Gzip(Action<Stream> write)
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest))
            write(gzip);
        var content = new ByteArrayContent(packed.ToArray());
        content.Headers.ContentEncoding.Add("gzip");
        return content;
    }

    [Fact]
    public async Task Gzip_is_understood() =>
        Assert.Equal(1, (await Send(Gzip(s => s.Write("{\"body\":\"one\"}"u8)))).Answer.GetProperty("taken").GetInt32());

    [Fact]
    public async Task A_gzip_bomb_is_413_with_what_was_taken()
    {
        var zeros = new byte[1 << 20];
        var (status, answer) = await Send(
            Gzip(s =>
            {
                s.Write("{\"body\":\"one\"}\n"u8);
                for (var i = 0; i < 260; i++)
                    s.Write(zeros);
            })
        );
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, status);
        Assert.Equal(1, answer.GetProperty("taken").GetInt32());
    }

    [Fact]
    public async Task Damaged_gzip_and_unknown_encodings_are_told()
    {
        var broken = new ByteArrayContent([0x1f, 0x8b, 8, 0, 1, 2, 3]);
        broken.Headers.ContentEncoding.Add("gzip");
        Assert.Equal(HttpStatusCode.BadRequest, (await Send(broken)).Status);
        var unknown = new ByteArrayContent([1]);
        unknown.Headers.ContentEncoding.Add("br");
        Assert.Equal(HttpStatusCode.UnsupportedMediaType, (await Send(unknown)).Status);
    }

    [Fact]
    public async Task A_full_disk_answers_503_and_says_when_to_come_back()
    {
        await using var small = await RunningServer.Start();
        await small.Get<RecordStore>().LimitPages(1);
        using var client = await small.Program(TokenPurpose.Intake);
        var response = await client.PostAsync(
            "/intake/records",
            new StringContent(
                string.Join(
                    '\n',
                    Enumerable
                        .Range(0, 400)
                        .Select(i =>
                            $"{{\"body\":\"{Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(500))}\"}}"
                        )
                )
            )
        );
        Assert.Equal(HttpStatusCode.ServiceUnavailable, response.StatusCode);
        Assert.NotNull(response.Headers.RetryAfter);
        Assert.Contains("disk is full", await response.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task Where_there_is_no_room_for_what_was_refused_the_sender_is_answered_all_the_same()
    {
        await _server.Get<RecordStore>().LimitPages(1);
        var (status, answer) = await Send(string.Join('\n', Enumerable.Repeat(new string('x', 4_000), 100)));
        Assert.Equal((HttpStatusCode.BadRequest, 100), (status, answer.GetProperty("refused_total").GetInt32()));
    }

    [Fact]
    public async Task An_idempotency_key_makes_a_repetition_harmless()
    {
        for (var i = 0; i < 2; i++)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, "/intake/records")
            {
                Content = new StringContent("{\"body\":\"once\"}"),
            };
            request.Headers.Add("Idempotency-Key", "batch-1");
            Assert.Equal(HttpStatusCode.OK, (await _client.SendAsync(request)).StatusCode);
        }
        Assert.Equal(1, _server.Get<RecordStore>().Current.Count);
    }
}
