using System.Diagnostics;
using System.Net.Http.Headers;
using System.Text;
using Google.Protobuf;
using Grpc.Core;
using Grpc.Net.Client;
using Kumiko.Core.Changes;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake.Otlp.Wire;
using Kumiko.Core.Spans;
using Kumiko.Core.Spans.Figures;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>A server is killed while senders of every kind that is answered send to it.</summary>
public sealed class KilledWhileReceivingTests : IDisposable
{
    private const int Enough = 400;

    private readonly string _data = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_data, true);

    private static readonly Method<ExportTraceServiceRequest, ExportTraceServiceResponse> Export = new(
        MethodType.Unary,
        "opentelemetry.proto.collector.trace.v1.TraceService",
        "Export",
        Marshallers.Create(m => m.ToByteArray(), ExportTraceServiceRequest.Parser.ParseFrom),
        Marshallers.Create(m => m.ToByteArray(), ExportTraceServiceResponse.Parser.ParseFrom)
    );

    private static ByteArrayContent Protobuf(IMessage message)
    {
        var content = new ByteArrayContent(message.ToByteArray());
        content.Headers.ContentType = new MediaTypeHeaderValue("application/x-protobuf");
        return content;
    }

    [Fact]
    public async Task Everything_acknowledged_is_there_whoever_sent_it()
    {
        using var process = Process.Start(
            new ProcessStartInfo(
                "dotnet",
                [
                    Path.Combine(AppContext.BaseDirectory, "Kumiko.Cli.dll"),
                    "run",
                    "--port",
                    "0",
                    "--grpc-port",
                    "0",
                    "--syslog-port",
                    "0",
                    "--data",
                    _data,
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;
        var grpcPort = 0;
        while (await process.StandardOutput.ReadLineAsync() is { } line)
            if (line.StartsWith("OTLP over gRPC: ", StringComparison.Ordinal))
            {
                grpcPort = int.Parse(
                    line["OTLP over gRPC: ".Length..].Split(',')[0],
                    System.Globalization.CultureInfo.InvariantCulture
                );
                break;
            }
        var server = DataFolder.FindServer(_data)!;
        using var client = new HttpClient { BaseAddress = new Uri(server.Address) };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", server.Token);
        using var channel = GrpcChannel.ForAddress($"http://127.0.0.1:{grpcPort}");
        var caller = channel.CreateCallInvoker();
        var acknowledged = Enumerable.Range(0, 5).Select(_ => new List<string>()).ToArray();
        var sum = 0;

        async Task Post(string path, HttpContent content)
        {
            using var answer = await client.PostAsync(path, content);
            answer.EnsureSuccessStatusCode();
        }

        Func<string, Task>[] senders =
        [
            name => Post("/intake/records", new StringContent($"{{\"body\":\"{name}\"}}")),
            name =>
                Post(
                    "/v1/logs",
                    Protobuf(
                        new ExportLogsServiceRequest
                        {
                            ResourceLogs =
                            {
                                new ResourceLogs
                                {
                                    ScopeLogs =
                                    {
                                        new ScopeLogs
                                        {
                                            LogRecords = { new LogRecord { Body = new AnyValue { StringValue = name } } },
                                        },
                                    },
                                },
                            },
                        }
                    )
                ),
            name =>
                Post(
                    "/v1/metrics",
                    Protobuf(
                        new ExportMetricsServiceRequest
                        {
                            ResourceMetrics =
                            {
                                new ResourceMetrics
                                {
                                    ScopeMetrics =
                                    {
                                        new ScopeMetrics
                                        {
                                            Metrics =
                                            {
                                                new Metric
                                                {
                                                    Name = name,
                                                    Gauge = new Gauge
                                                    {
                                                        DataPoints =
                                                        {
                                                            new NumberDataPoint { TimeUnixNano = 5, AsInt = 1 },
                                                        },
                                                    },
                                                },
                                            },
                                        },
                                    },
                                },
                            },
                        }
                    )
                ),
            async name =>
                await caller.AsyncUnaryCall(
                    Export,
                    null,
                    new CallOptions(new Metadata { { "authorization", "Bearer " + server.Token } }),
                    new ExportTraceServiceRequest
                    {
                        ResourceSpans =
                        {
                            new ResourceSpans
                            {
                                ScopeSpans =
                                {
                                    new ScopeSpans
                                    {
                                        Spans =
                                        {
                                            new Span
                                            {
                                                Name = name,
                                                TraceId = ByteString.CopyFrom(Guid.NewGuid().ToByteArray()),
                                                SpanId = ByteString.CopyFrom(Guid.NewGuid().ToByteArray()[..8]),
                                                StartTimeUnixNano = 5,
                                                EndTimeUnixNano = 6,
                                            },
                                        },
                                    },
                                },
                            },
                        },
                    }
                ),
            name =>
                Post(
                    "/intake/changes",
                    new StringContent(
                        $"{{\"specversion\":\"1.0\",\"id\":\"{name}\",\"source\":\"/desk\",\"type\":\"deploy\",\"data\":{{\"what\":\"{name}\"}}}}",
                        Encoding.UTF8,
                        "application/cloudevents+json"
                    )
                ),
        ];
        await Task.WhenAll(
            senders.Select(
                (send, kind) =>
                    Task.Run(async () =>
                    {
                        for (var i = 0; i < 100_000; i++)
                        {
                            var name = $"{kind}-{i}";
                            try
                            {
                                await send(name);
                            }
                            catch (Exception e) when (e is HttpRequestException or IOException or RpcException)
                            {
                                return;
                            }
                            acknowledged[kind].Add(name);
                            if (Interlocked.Increment(ref sum) == Enough)
                                process.Kill();
                        }
                    })
            )
        );
        await process.WaitForExitAsync();

        using var folder = DataFolder.TryOpen(_data)!;
        using var records = new RecordStore(folder.Records, TimeProvider.System);
        using var database = new AppDatabase(folder.Kept);
        var ever = new Window(long.MinValue, long.MaxValue);
        var signals = new SpanStore(records);
        using var metrics = new MetricStore(records, TimeProvider.System);
        using var snapshot = records.Current;
        var bodies = snapshot.OldestFirst(ever, BatchTest.All, null, CancellationToken.None).Select(r => r.Body).ToList();
        List<string>[] there =
        [
            bodies,
            bodies,
            [.. metrics.Read(ever).Select(m => m.Name)],
            [.. signals.Spans(ever).Select(s => s.Name)],
            [.. new ChangeStore(database).Latest(100_000).Select(c => c.What)],
        ];
        // Each span is in the figures once, whether they were written before the process was killed or not.
        using (
            var figures = new SpanFigures(
                records,
                metrics,
                new FailureRules(new FailureStore(database, TimeProvider.System)),
                TimeProvider.System,
                isBackground: false
            )
        )
            await figures.Flush();
        Assert.Equal(
            there[3].Count,
            metrics.Read(ever).Where(m => m.Name == "spans").SelectMany(m => m.Samples).Sum(s => s.Value.AsDouble)
        );
        Assert.All(acknowledged, a => Assert.NotEmpty(a));
        for (var kind = 0; kind < senders.Length; kind++)
            Assert.Empty(acknowledged[kind].Except(there[kind]));
        Assert.Empty(records.Notices);
    }
}
