using System.Collections.Concurrent;
using System.IO.Compression;
using System.Net;
using System.Net.Sockets;
using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Kumiko.Web.Receivers;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>Uploads that are slow, cut off, too many, or come under a name that is taken.</summary>
public sealed class UploadTests : IAsyncLifetime
{
    private readonly ConcurrentQueue<string> _log = new();
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() =>
        _server = await RunningServer.Start(builder => builder.Logging.AddProvider(new Kept(_log)));

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private sealed class Kept(ConcurrentQueue<string> lines) : ILoggerProvider, ILogger
    {
        public ILogger CreateLogger(string categoryName) => this;

        public IDisposable? BeginScope<TState>(TState state)
            where TState : notnull => null;

        public bool IsEnabled(LogLevel logLevel) => logLevel >= LogLevel.Warning;

        public void Log<TState>(
            LogLevel logLevel,
            EventId eventId,
            TState state,
            Exception? exception,
            Func<TState, Exception?, string> formatter
        ) => lines.Enqueue(formatter(state, exception) + exception);

        public void Dispose() { }
    }

    private static byte[] Gzip(string text)
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest))
            gzip.Write(Encoding.UTF8.GetBytes(text));
        return packed.ToArray();
    }

    private Task<string> Token(long? rate = null) =>
        _server.Get<TokenStore>().Create(new TokenWish("quay", TokenPurpose.Intake) { Rate = rate });

    private async Task<NetworkStream> Begin(string token, string path, int length, string encoding = "gzip")
    {
        var client = new TcpClient();
        await client.ConnectAsync(IPAddress.Loopback, new Uri(_server.Address).Port);
        var stream = client.GetStream();
        await stream.WriteAsync(
            Encoding.ASCII.GetBytes(
                $"POST {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {token}\r\nContent-Type: application/x-protobuf\r\nContent-Encoding: {encoding}\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n"
            )
        );
        return stream;
    }

    private static async Task<string> Answer(NetworkStream stream)
    {
        using var reader = new StreamReader(stream, Encoding.UTF8);
        try
        {
            return await reader.ReadToEndAsync();
        }
        // Whoever sends no more may be taken for gone before the answer is written.
        catch (IOException)
        {
            return "";
        }
    }

    /// <summary>Gives a few bytes at a time, and lets nobody wait for them on a thread.</summary>
    private sealed class Dripping(byte[] content) : Stream
    {
        private int _at;

        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            await Task.Yield();
            var read = Math.Min(Math.Min(7, buffer.Length), content.Length - _at);
            content.AsMemory(_at, read).CopyTo(buffer);
            _at += read;
            return read;
        }

        public override int Read(byte[] buffer, int offset, int count) =>
            throw new InvalidOperationException("A thread waits for somebody's network.");

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override void Flush() => throw new NotSupportedException();

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }

    [Fact]
    public async Task No_thread_waits_for_a_compressed_body()
    {
        var text = string.Join('\n', Enumerable.Range(0, 3_000).Select(i => $"ticket {i * 7919} refused"));
        var http = new DefaultHttpContext
        {
            RequestServices = new ServiceCollection().AddSingleton(TimeProvider.System).BuildServiceProvider(),
        };
        http.Request.Headers.ContentEncoding = "gzip";
        http.Request.Body = new Dripping(Gzip(text));
        var (body, _) = await RequestBody.Open(http, 1 << 20);
        using var reader = new StreamReader(body!);
        Assert.Equal(text, await reader.ReadToEndAsync());
        http.Request.Body = new Dripping(Gzip(text));
        Assert.Equal(StatusCodes.Status413PayloadTooLarge, (await RequestBody.Open(http, 1_000)).Away!.Status);
    }

    [Theory]
    [InlineData("/intake/lines", "gzip")]
    [InlineData("/intake/lines", "identity")]
    [InlineData("/v1/logs", "gzip")]
    [InlineData("/v1/logs", "identity")]
    [InlineData("/intake/changes", "gzip")]
    public async Task What_is_cut_off_is_no_line_of_the_log_and_nothing_of_it_is_taken(string path, string encoding)
    {
        var token = await Token();
        var body = Gzip("ticket refused\n");
        for (var i = 0; i < 5; i++)
        {
            await using var stream = await Begin(token, path, body.Length + 1_000, encoding);
            await stream.WriteAsync(body);
            stream.Socket.Shutdown(SocketShutdown.Send);
            // Whoever is gone before the answer gets none.
            Assert.Matches("^($|HTTP/1.1 400)", await Answer(stream));
        }
        Assert.Empty(_log);
        Assert.Empty(_server.Records());
    }

    [Fact]
    public async Task What_does_not_come_whole_in_time_is_408()
    {
        await using var stream = await Begin(await Token(), "/intake/lines", 10_000);
        await stream.WriteAsync(Gzip("ticket refused\n"));
        using var reader = new StreamReader(stream, Encoding.UTF8);
        var answer = reader.ReadLineAsync();
        while (!answer.IsCompleted)
        {
            _server.Clock.Advance(TimeSpan.FromMinutes(1));
            await Task.Delay(1);
        }
        Assert.StartsWith("HTTP/1.1 408", await answer);
        Assert.Equal("", string.Join('\n', _log));
    }

    [Fact]
    public async Task A_token_has_so_many_uploads_at_once_and_others_have_theirs()
    {
        var (slow, honest) = (await Token(), await Token());
        var slots = _server.Get<UploadSlots>();
        var first = _server.Get<TokenStore>().Find(slow, TokenPurpose.Intake);
        var held = Enumerable.Range(0, UploadSlots.MostOfToken).Select(_ => slots.Take(first)!).ToList();
        Assert.Null(slots.Take(first));
        var refused = await Post(slow, new StringContent("one"));
        Assert.Equal(
            (HttpStatusCode.TooManyRequests, 1),
            (refused.StatusCode, refused.Headers.RetryAfter!.Delta!.Value.TotalSeconds)
        );
        Assert.Equal(HttpStatusCode.OK, (await Post(honest, new StringContent("two"))).StatusCode);
        foreach (var slot in held)
            slot.Dispose();
        held[0].Dispose();
        Assert.Equal(HttpStatusCode.OK, (await Post(slow, new StringContent("three"))).StatusCode);
        Assert.Equal(["two", "three"], _server.Records().OrderBy(r => r.Sequence).Select(r => r.Body));
    }

    [Fact]
    public async Task However_an_upload_ends_its_slot_is_free_again()
    {
        var token = await Token();
        for (var i = 0; i < UploadSlots.MostOfToken + 8; i++)
        {
            await using var stream = await Begin(token, "/intake/lines", 1_000);
            await stream.WriteAsync(Gzip("x"));
            stream.Socket.Shutdown(SocketShutdown.Send);
            await Answer(stream);
        }
        Assert.Equal(HttpStatusCode.OK, (await Post(token, new StringContent("one"))).StatusCode);
    }

    private async Task<HttpResponseMessage> Post(string token, HttpContent content, string? key = null)
    {
        using var client = new HttpClient { BaseAddress = new Uri(_server.Address) };
        client.DefaultRequestHeaders.Authorization = new("Bearer", token);
        if (key is not null)
            client.DefaultRequestHeaders.Add("Idempotency-Key", key);
        return await client.PostAsync("/intake/lines", content);
    }

    [Fact]
    public async Task Of_twenty_that_come_at_once_a_rate_of_five_takes_five()
    {
        var token = await Token(rate: 5);
        var answers = await Task.WhenAll(
            Enumerable.Range(0, 20).Select(i => Post(token, new StringContent($"ticket {i} refused")))
        );
        Assert.Equal(5, answers.Count(a => a.StatusCode == HttpStatusCode.OK));
        Assert.All(answers.Where(a => a.StatusCode != HttpStatusCode.OK), a =>
            Assert.Equal(HttpStatusCode.TooManyRequests, a.StatusCode)
        );
        Assert.Equal(5, _server.Records().Count);
    }

    [Fact]
    public async Task Bytes_count_for_a_rate_also_where_they_are_no_records()
    {
        var token = await Token(rate: 100);
        var blank = new ByteArrayContent(Gzip(new string('\n', 8_000_000)));
        blank.Headers.ContentEncoding.Add("gzip");
        Assert.Equal(HttpStatusCode.OK, (await Post(token, blank)).StatusCode);
        var later = await Post(token, new StringContent("ticket refused"));
        Assert.Equal(HttpStatusCode.TooManyRequests, later.StatusCode);
        Assert.InRange(later.Headers.RetryAfter!.Delta!.Value.TotalSeconds, 15, 25);
    }

    [Fact]
    public async Task A_key_with_other_content_is_422_and_a_repetition_is_not()
    {
        var token = await Token();
        Assert.Equal(HttpStatusCode.OK, (await Post(token, new StringContent("one\ntwo"), "batch-1")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await Post(token, new StringContent("one\n\ntwo\n"), "batch-1")).StatusCode);
        var other = await Post(token, new StringContent("one\nthree"), "batch-1");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, other.StatusCode);
        Assert.Contains("This key came before with other content", await other.Content.ReadAsStringAsync());
        Assert.Equal(["one", "two"], _server.Records().OrderBy(r => r.Sequence).Select(r => r.Body));
    }
}
