using System.Buffers;
using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using System.Net.Sockets;
using System.Text;
using Google.Protobuf;
using Kumiko.Bench.Store;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Otlp;
using Kumiko.Core.Records;
using Wire = Kumiko.Core.Intake.Otlp.Wire;

namespace Kumiko.Bench.Receivers;

/// <summary>How fast each receiver takes in, into disk, with the senders on the same machine; and in how much memory.</summary>
internal static class ReceiverBench
{
    private const int BatchRecords = 5_000;
    private const int Senders = 2;
    private const int MetricsOfRequest = 5_000;
    private const int Warm = 500_000;

    public static async Task Measure(long records)
    {
        Console.WriteLine(
            $"# Receivers: {records} records by each protocol, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n"
        );
        Console.WriteLine(
            "| received, committed, acknowledged; the sender on the same machine | a second | bar | memory of the server, MB |\n|---|---|---|---|"
        );
        await One("NDJSON over HTTP, batches of 10 000", 120_000, records, Ndjson);
        await One("OTLP logs, protobuf over HTTP, batches of 5 000", 100_000, records, OtlpLogs);
        await One("syslog over TCP, counted, one connection", 60_000, records, Syslog);
        Console.WriteLine();
        DecodeMetrics();
    }

    /// <summary>All protocols one after the other into one server, and its memory on the way.</summary>
    public static async Task Flat(long records)
    {
        Console.WriteLine(
            $"# Memory of the server over {records} records, {Environment.ProcessorCount} processors, {DateTime.UtcNow:yyyy-MM-dd}\n\n| after | by | highest since the line before, MB |\n|---|---|---|"
        );
        using var server = new ServerProcess();
        var (part, done) = (records / 10, 0L);
        for (var i = 0; i < 10; i++)
        {
            var (name, send) = i switch
            {
                < 5 => ("NDJSON", (Func<ServerProcess, long, Task>)Ndjson),
                < 8 => ("OTLP logs", OtlpLogs),
                _ => ("syslog", Syslog),
            };
            await send(server, part);
            Console.WriteLine($"| {done += part} | {name} | {server.HighestMegabytes()} |");
        }
        Console.WriteLine();
    }

    private static async Task One(string name, int bar, long records, Func<ServerProcess, long, Task> send)
    {
        if (Environment.GetEnvironmentVariable("ONLY") is { } only && !name.Contains(only, StringComparison.OrdinalIgnoreCase))
            return;
        using var server = new ServerProcess();
        // A server that has just begun compiles its code while it works.
        await send(server, Warm);
        server.HighestMegabytes();
        var started = Stopwatch.GetTimestamp();
        await send(server, records);
        Console.WriteLine(
            $"| {name} | {records / Stopwatch.GetElapsedTime(started).TotalSeconds:0} | {bar} | {server.HighestMegabytes()} |"
        );
    }

    private static readonly FerryLog Log = new(200_000);

    private static async Task Ndjson(ServerProcess server, long records)
    {
        using var batches = Log.Batches(records).GetEnumerator();
        await Task.WhenAll(
            Enumerable
                .Range(0, Senders)
                .Select(_ =>
                    Task.Run(async () =>
                    {
                        while (true)
                        {
                            byte[] lines;
                            lock (batches)
                            {
                                if (!batches.MoveNext())
                                    return;
                                lines = batches.Current.Lines;
                            }
                            using var answer = await server.Client.PostAsync(
                                "/intake/records?source=lines",
                                new ByteArrayContent(lines)
                            );
                            answer.EnsureSuccessStatusCode();
                        }
                    })
                )
        );
    }

    private static (byte[] Body, int[] Times)[]? _requests;

    /// <summary>Requests, and where in them the times stand, as later ones are to be later.</summary>
    private static (byte[] Body, int[] Times)[] Requests =>
        _requests ??= [
            .. Read(BatchRecords * 20)
                .Chunk(BatchRecords)
                .Select(c => Request(c))
                .Select(r => (Body: r.ToByteArray(), r))
                .Select(r => (r.Body, Times(r.Body, r.r))),
        ];

    private static int[] Times(byte[] body, Wire.ExportLogsServiceRequest request)
    {
        var (places, at) = (new List<int>(), 0);
        Span<byte> looked = stackalloc byte[9];
        foreach (var log in request.ResourceLogs.SelectMany(r => r.ScopeLogs).SelectMany(s => s.LogRecords))
        {
            looked[0] = 0x09;
            System.Buffers.Binary.BinaryPrimitives.WriteUInt64LittleEndian(looked[1..], log.TimeUnixNano);
            at += body.AsSpan(at).IndexOf(looked) + 1;
            places.Add(at);
        }
        return [.. places];
    }

    private static byte[] Later((byte[] Body, int[] Times) request, long rounds)
    {
        var body = request.Body.ToArray();
        foreach (var at in request.Times)
        {
            var time = body.AsSpan(at, 8);
            System.Buffers.Binary.BinaryPrimitives.WriteInt64LittleEndian(
                time,
                System.Buffers.Binary.BinaryPrimitives.ReadInt64LittleEndian(time) + (rounds * Round)
            );
        }
        return body;
    }

    /// <summary>The time that one round of all requests spans.</summary>
    private const long Round = 334 * Instants.Second;

    private static IEnumerable<LogRecord> Read(int records)
    {
        var reader = new Lines();
        return Log.Batches(records).SelectMany(b => reader.Read(b.Lines).Records);
    }

    private static Wire.ExportLogsServiceRequest Request(LogRecord[] records)
    {
        var request = new Wire.ExportLogsServiceRequest();
        foreach (var of in records.GroupBy(r => r.Resource))
        {
            var logs = new Wire.ScopeLogs();
            foreach (var r in of)
            {
                var log = new Wire.LogRecord
                {
                    TimeUnixNano = (ulong)r.Time,
                    SeverityNumber = (Wire.SeverityNumber)r.SeverityNumber,
                    SeverityText = r.SeverityText,
                    Body = new Wire.AnyValue { StringValue = r.Body },
                };
                for (var i = 0; i < r.Attributes.Count; i++)
                    log.Attributes.Add(
                        new Wire.KeyValue
                        {
                            Key = r.Attributes.Names[i],
                            Value = r.Attributes.Values[i].IsText
                                ? new Wire.AnyValue { StringValue = r.Attributes.Values[i].AsText }
                                : new Wire.AnyValue { IntValue = r.Attributes.Values[i].AsLong },
                        }
                    );
                if (r.TraceId is { } trace)
                    (log.TraceId, log.SpanId) = (
                        ByteString.CopyFrom(Convert.FromHexString(trace)),
                        ByteString.CopyFrom(Convert.FromHexString(r.SpanId!))
                    );
                logs.LogRecords.Add(log);
            }
            var resource = new Wire.Resource();
            for (var i = 0; i < of.Key.Attributes.Count; i++)
                resource.Attributes.Add(
                    new Wire.KeyValue
                    {
                        Key = of.Key.Attributes.Names[i],
                        Value = new Wire.AnyValue { StringValue = of.Key.Attributes.Values[i].AsText },
                    }
                );
            request.ResourceLogs.Add(new Wire.ResourceLogs { Resource = resource, ScopeLogs = { logs } });
        }
        return request;
    }

    private static async Task OtlpLogs(ServerProcess server, long records)
    {
        var next = -1L;
        await Task.WhenAll(
            Enumerable
                .Range(0, Senders)
                .Select(_ =>
                    Task.Run(async () =>
                    {
                        for (
                            var i = Interlocked.Increment(ref next);
                            i * BatchRecords < records;
                            i = Interlocked.Increment(ref next)
                        )
                        {
                            var content = new ByteArrayContent(Later(Requests[i % Requests.Length], i / Requests.Length));
                            content.Headers.ContentType = new MediaTypeHeaderValue("application/x-protobuf");
                            using var answer = await server.Client.PostAsync("/v1/logs?source=otlp", content);
                            answer.EnsureSuccessStatusCode();
                        }
                    })
                )
        );
    }

    /// <summary>Counted messages, of a stretch of time.</summary>
    private static byte[] Stream(long round)
    {
        using var stream = new MemoryStream();
        foreach (var r in _messages ??= [.. Read(BatchRecords)])
        {
            var time = Instants
                .ToDateTime(r.Time + (round * BatchRecords * (Instants.Second / 300)))
                .ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture);
            var message = Encoding.UTF8.GetBytes($"<134>1 {time} {r.Resource.Host} {r.Resource.Service} 412 - - {r.Body}");
            stream.Write(Encoding.ASCII.GetBytes(message.Length.ToString(CultureInfo.InvariantCulture) + " "));
            stream.Write(message);
        }
        return stream.ToArray();
    }

    private static LogRecord[]? _messages;

    private static async Task Syslog(ServerProcess server, long records)
    {
        var before = await server.Count("radio");
        using var made = await server.Client.PostAsync("/control/token?name=radio&for=Intake", null);
        var hello = Encoding.UTF8.GetBytes(
            $"<134>1 - - - - - [kumiko@32473 token=\"{await made.Content.ReadAsStringAsync()}\"] hello\n"
        );
        using (var client = new TcpClient("127.0.0.1", server.SyslogPort))
        {
            await client.GetStream().WriteAsync(hello);
            for (var round = 0L; round * BatchRecords < records; round++)
                await client.GetStream().WriteAsync(Stream(round));
        }
        while (await server.Count("radio") - before < records)
            await Task.Delay(50);
    }

    private static void DecodeMetrics()
    {
        var logs = new ReadOnlySequence<byte>(Requests[0].Body);
        for (var i = 0; i < 40; i++)
            Core.Intake.Otlp.OtlpLogs.Read(
                OtlpBody.Parse<Wire.ExportLogsServiceRequest>(logs, OtlpEncoding.Protobuf, out _)!,
                "bench",
                1
            );
        var from = Stopwatch.GetTimestamp();
        for (var i = 0; i < 40; i++)
            Core.Intake.Otlp.OtlpLogs.Read(
                OtlpBody.Parse<Wire.ExportLogsServiceRequest>(logs, OtlpEncoding.Protobuf, out _)!,
                "bench",
                1
            );
        Console.WriteLine(
            $"| OTLP logs decoded, one processor | {40 * BatchRecords / Stopwatch.GetElapsedTime(from).TotalSeconds:0} records/s |\n|---|---|\n"
        );
        var scope = new Wire.ScopeMetrics();
        var random = new Random(1);
        for (var m = 0; m < 50; m++)
        {
            var gauge = new Wire.Gauge();
            for (var p = 0; p < MetricsOfRequest / 50; p++)
                gauge.DataPoints.Add(
                    new Wire.NumberDataPoint
                    {
                        TimeUnixNano = 1_764_000_000_000_000_000 + (ulong)p,
                        AsDouble = random.NextDouble(),
                        Attributes =
                        {
                            new Wire.KeyValue
                            {
                                Key = "host",
                                Value = new Wire.AnyValue { StringValue = $"host-{p % 40}" },
                            },
                            new Wire.KeyValue
                            {
                                Key = "state",
                                Value = new Wire.AnyValue { StringValue = "used" },
                            },
                            new Wire.KeyValue
                            {
                                Key = "cpu",
                                Value = new Wire.AnyValue { IntValue = p % 8 },
                            },
                        },
                    }
                );
            scope.Metrics.Add(
                new Wire.Metric
                {
                    Name = $"system.metric.{m}",
                    Unit = "1",
                    Gauge = gauge,
                }
            );
        }
        var body = new Wire.ExportMetricsServiceRequest
        {
            ResourceMetrics = { new Wire.ResourceMetrics { ScopeMetrics = { scope } } },
        }.ToByteArray();
        var decoded = 0L;
        void Decode(int times)
        {
            for (var i = 0; i < times; i++)
                Interlocked.Add(
                    ref decoded,
                    OtlpMetrics
                        .Read(
                            OtlpBody.Parse<Wire.ExportMetricsServiceRequest>(
                                new ReadOnlySequence<byte>(body),
                                OtlpEncoding.Protobuf,
                                out _
                            )!
                        )
                        .Items.Sum(m => m.Samples.Count)
                );
        }
        Decode(100);
        Console.WriteLine("| OTLP metrics decoded and checked, three attributes a sample | samples/s | bar |\n|---|---|---|");
        foreach (var workers in new[] { 1, 2 })
        {
            decoded = 0;
            var started = Stopwatch.GetTimestamp();
            Parallel.For(0, workers, _ => Decode(400));
            Console.WriteLine(
                $"| {(workers == 1 ? "one processor" : "two processors")} | {decoded / Stopwatch.GetElapsedTime(started).TotalSeconds:0} | 500000 |"
            );
        }
        Console.WriteLine();
    }
}
