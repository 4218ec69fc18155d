using System.IO.Compression;
using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Google.Protobuf;
using Google.Rpc;
using Grpc.Core;
using Grpc.Net.Client;
using Kumiko.Core.Accounts;
using Kumiko.Core.Intake.Otlp.Wire;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Otlp;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>The OpenTelemetry protocol at its door: answers, refusals and limits.</summary>
public sealed class OtlpHttpTests : IAsyncLifetime
{
    private const string OneRecord = """{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"body":{"stringValue":"one"}}]}]}]}""";
    private RunningServer _server = null!;
    private HttpClient _client = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _client = await _server.Program(TokenPurpose.Intake);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private async Task<(HttpStatusCode Status, string Body, HttpResponseHeaders Headers)> Send(
        HttpContent content,
        string path = "/v1/logs"
    )
    {
        using var response = await _client.PostAsync(path, content);
        return (response.StatusCode, await response.Content.ReadAsStringAsync(), response.Headers);
    }

    private static StringContent Json(string text) => new(text, Encoding.UTF8, "application/json");

    private static ByteArrayContent Protobuf(IMessage message, bool gzip = false)
    {
        var bytes = message.ToByteArray();
        if (gzip)
        {
            using var packed = new MemoryStream();
            using (var to = new GZipStream(packed, CompressionLevel.Fastest))
                to.Write(bytes);
            bytes = packed.ToArray();
        }
        var content = new ByteArrayContent(bytes);
        content.Headers.ContentType = new MediaTypeHeaderValue("application/x-protobuf");
        if (gzip)
            content.Headers.ContentEncoding.Add("gzip");
        return content;
    }

    private static ExportLogsServiceRequest Logs(params string[] bodies)
    {
        var logs = new ScopeLogs();
        logs.LogRecords.AddRange(bodies.Select(b => new LogRecord { Body = new AnyValue { StringValue = b } }));
        return new ExportLogsServiceRequest { ResourceLogs = { new ResourceLogs { ScopeLogs = { logs } } } };
    }

    [Fact]
    public async Task Json_is_answered_with_json_and_protobuf_with_protobuf()
    {
        var (status, body, _) = await Send(Json(OneRecord));
        Assert.Equal((HttpStatusCode.OK, "{ }"), (status, body));
        using var response = await _client.PostAsync("/v1/logs", Protobuf(Logs("two"), gzip: true));
        Assert.Equal(
            ("application/x-protobuf", 0),
            (response.Content.Headers.ContentType?.MediaType, (await response.Content.ReadAsByteArrayAsync()).Length)
        );
        Assert.Equal(["one", "two"], _server.Records().Select(r => r.Body).Order());
    }

    [Fact]
    public async Task A_chunked_gzip_body_without_a_length_is_read()
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/v1/logs")
        {
            Content = Protobuf(Logs([.. Enumerable.Range(0, 5_000).Select(i => $"record {i}")]), gzip: true),
        };
        request.Headers.TransferEncodingChunked = true;
        Assert.Equal(HttpStatusCode.OK, (await _client.SendAsync(request)).StatusCode);
        Assert.Equal(5_000, _server.Get<RecordStore>().Current.Count);
    }

    [Fact]
    public async Task What_is_refused_is_told_as_partial_success_and_kept_to_look_at()
    {
        var (status, body, _) = await Send(
            Json(
                """{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"body":{"stringValue":"good"}},{"timeUnixNano":"18446744073709551615","body":{"stringValue":"from the far future"}}]}]}]}"""
            )
        );
        Assert.Equal(HttpStatusCode.OK, status);
        var partial = JsonDocument.Parse(body).RootElement.GetProperty("partialSuccess");
        Assert.Equal(
            ("1", "1 refused. The first, record 2: The time is beyond the year 2261."),
            (partial.GetProperty("rejectedLogRecords").GetString(), partial.GetProperty("errorMessage").GetString())
        );
        var kept = Assert.Single(_server.Get<RecordStore>().Refusals(10, "quay"));
        Assert.Contains("from the far future", Encoding.UTF8.GetString(kept.Head));
        Assert.Equal(
            (1L, 1L),
            (_server.Get<SourceBook>().Find("quay")!.Records, _server.Get<SourceBook>().Find("quay")!.Refused)
        );
    }

    [Fact]
    public async Task What_is_no_request_is_400_with_the_reason_and_kept()
    {
        var (status, body, _) = await Send(Json("{\"resourceLogs\":7}"));
        Assert.Equal(HttpStatusCode.BadRequest, status);
        Assert.Equal(3, JsonDocument.Parse(body).RootElement.GetProperty("code").GetInt32());
        Assert.Equal("{\"resourceLogs\":7}", Encoding.UTF8.GetString(_server.Get<RecordStore>().Refusals(10).Single().Head));
        using var response = await _client.PostAsync(
            "/v1/traces",
            Protobuf(Logs("x")) is var c && Broken(c) is var broken ? broken : null
        );
        Assert.Equal(HttpStatusCode.BadRequest, response.StatusCode);
        Assert.Contains(
            "not the protobuf message",
            Google.Rpc.Status.Parser.ParseFrom(await response.Content.ReadAsByteArrayAsync()).Message
        );
    }

    private static ByteArrayContent Broken(HttpContent of)
    {
        var content = new ByteArrayContent([0x0a, 0x7f, 1, 2, 3]);
        content.Headers.ContentType = of.Headers.ContentType;
        return content;
    }

    [Fact]
    public async Task Bombs_other_types_and_strangers_are_turned_away()
    {
        using var packed = new MemoryStream();
        await using (var to = new GZipStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            for (var i = 0; i < 66; i++)
                to.Write(new byte[1 << 20]);
        var bomb = new ByteArrayContent(packed.ToArray());
        bomb.Headers.ContentType = new MediaTypeHeaderValue("application/x-protobuf");
        bomb.Headers.ContentEncoding.Add("gzip");
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, (await Send(bomb)).Status);
        Assert.Equal(HttpStatusCode.UnsupportedMediaType, (await Send(new StringContent("x"))).Status);
        using var stranger = new HttpClient { BaseAddress = new Uri(_server.Address) };
        using var answer = await stranger.PostAsync("/v1/logs", Json(OneRecord));
        Assert.Equal(
            (HttpStatusCode.Unauthorized, "Bearer"),
            (answer.StatusCode, answer.Headers.WwwAuthenticate.Single().Scheme)
        );
        Assert.Equal(0, _server.Get<RecordStore>().Current.Count);
    }

    private async Task<HttpClient> Limited(long rate, params string[] sources)
    {
        var text = await _server
            .Get<TokenStore>()
            .Create(new TokenWish("gate", TokenPurpose.Intake) { Rate = rate, Sources = sources });
        var client = new HttpClient { BaseAddress = new Uri(_server.Address) };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", text);
        return client;
    }

    [Fact]
    public async Task Over_the_rate_is_429_with_the_time_to_wait_and_then_it_goes_on()
    {
        using var client = await Limited(10);
        Assert.Equal(
            HttpStatusCode.OK,
            (await client.PostAsync("/v1/logs", Protobuf(Logs([.. Enumerable.Range(0, 50).Select(i => $"{i}")])))).StatusCode
        );
        using var refused = await client.PostAsync("/v1/logs", Protobuf(Logs("x")));
        Assert.Equal(
            (HttpStatusCode.TooManyRequests, TimeSpan.FromSeconds(5)),
            (refused.StatusCode, refused.Headers.RetryAfter?.Delta)
        );
        Assert.Equal(
            HttpStatusCode.TooManyRequests,
            (await client.PostAsync("/intake/records", new StringContent("{\"body\":\"x\"}"))).StatusCode
        );
        _server.Clock.Advance(TimeSpan.FromSeconds(6));
        Assert.Equal(HttpStatusCode.OK, (await client.PostAsync("/v1/logs", Protobuf(Logs("x")))).StatusCode);
    }

    [Fact]
    public async Task A_token_names_only_the_sources_it_may()
    {
        using var client = await Limited(1_000, "gate-h1");
        Assert.Equal(HttpStatusCode.OK, (await client.PostAsync("/v1/logs?source=gate-h1", Protobuf(Logs("x")))).StatusCode);
        using var request = new HttpRequestMessage(HttpMethod.Post, "/v1/logs") { Content = Protobuf(Logs("x")) };
        request.Headers.Add("Kumiko-Source", "payment-bridge");
        using var refused = await client.SendAsync(request);
        Assert.Equal(HttpStatusCode.Forbidden, refused.StatusCode);
        Assert.Equal("gate-h1", _server.Records().Single().Source);
    }

    [Fact]
    public async Task A_full_disk_is_503_with_the_time_to_wait()
    {
        await _server.Get<RecordStore>().LimitPages(1);
        var noise = Enumerable
            .Range(0, 400)
            .Select(_ => Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(500)))
            .ToArray();
        var (status, _, headers) = await Send(Protobuf(Logs(noise)));
        Assert.Equal((HttpStatusCode.ServiceUnavailable, TimeSpan.FromSeconds(30)), (status, headers.RetryAfter?.Delta));
    }

    [Fact]
    public async Task Grpc_tells_an_exhausted_rate_with_the_time_to_wait_and_strangers_to_show_a_token()
    {
        var token = await _server.Get<TokenStore>().Create(new TokenWish("gate", TokenPurpose.Intake) { Rate = 10 });
        using var channel = GrpcChannel.ForAddress($"http://127.0.0.1:{_server.Get<ServerState>().GrpcPort}");
        var caller = channel.CreateCallInvoker();
        var method = new Method<ExportLogsServiceRequest, ExportLogsServiceResponse>(
            MethodType.Unary,
            "opentelemetry.proto.collector.logs.v1.LogsService",
            "Export",
            Marshallers.Create(m => m.ToByteArray(), ExportLogsServiceRequest.Parser.ParseFrom),
            Marshallers.Create(m => m.ToByteArray(), ExportLogsServiceResponse.Parser.ParseFrom)
        );
        async Task<ExportLogsServiceResponse> Call(string? with, params string[] bodies) =>
            await caller.AsyncUnaryCall(
                method,
                null,
                new CallOptions(
                    with is null
                        ? []
                        : new Metadata { { "authorization", "Bearer " + with }, { "grpc-internal-encoding-request", "gzip" } }
                ),
                Logs(bodies)
            );

        Assert.Equal(StatusCode.Unauthenticated, (await Assert.ThrowsAsync<RpcException>(() => Call(null, "x"))).StatusCode);
        Assert.Null((await Call(token, [.. Enumerable.Range(0, 50).Select(i => $"compressed {i}")])).PartialSuccess);
        var exhausted = await Assert.ThrowsAsync<RpcException>(() => Call(token, "x"));
        Assert.Equal(StatusCode.ResourceExhausted, exhausted.StatusCode);
        Assert.InRange(exhausted.GetRpcStatus()!.GetDetail<RetryInfo>()!.RetryDelay.ToTimeSpan().TotalSeconds, 4, 5);
        Assert.Equal(50, _server.Get<RecordStore>().Current.Count);
    }

    [Fact]
    public async Task A_bomb_in_a_compressed_frame_is_refused_before_it_is_whole()
    {
        var token = await _server.Get<TokenStore>().Create("gate", TokenPurpose.Intake);
        using var channel = GrpcChannel.ForAddress($"http://127.0.0.1:{_server.Get<ServerState>().GrpcPort}");
        var method = new Method<byte[], byte[]>(
            MethodType.Unary,
            "opentelemetry.proto.collector.logs.v1.LogsService",
            "Export",
            Marshallers.Create(m => m, b => b),
            Marshallers.Create(m => m, b => b)
        );
        var metadata = new Metadata { { "authorization", "Bearer " + token }, { "grpc-internal-encoding-request", "gzip" } };
        var bomb = Logs(new string('0', OtlpReceiver.MostBytes)).ToByteArray();
        var refused = await Assert.ThrowsAsync<RpcException>(async () =>
            await channel.CreateCallInvoker().AsyncUnaryCall(method, null, new CallOptions(metadata), bomb)
        );
        Assert.Equal(StatusCode.ResourceExhausted, refused.StatusCode);
        Assert.Equal(0, _server.Get<RecordStore>().Current.Count);
    }
}
