using System.Buffers;
using System.Net;
using System.Text;
using Google.Protobuf;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Intake.OpenMetrics;
using Kumiko.Core.Intake.Otlp;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Wire = Kumiko.Core.Intake.Otlp.Wire;

namespace Kumiko.Tests.Shared;

/// <summary>
/// Feeds every decoder what nobody would send: good input with bytes changed, cut, doubled and mixed. Whatever is thrown
/// comes out here: a decoder refuses, it never falls.
/// </summary>
internal sealed class DecoderFuzz(int seed)
{
    private const int LongestInput = 4_096;

    private readonly Random _random = new(seed);

    /// <summary>The decoders, each with good input to start from.</summary>
    public static IReadOnlyList<(string Name, Action<byte[]> Decode, byte[][] Good)> Decoders { get; } =
    [
        (
            "OTLP logs, protobuf",
            b => Read<Wire.ExportLogsServiceRequest>(b, OtlpEncoding.Protobuf, r => OtlpLogs.Read(r, "fuzz", 1)),
            [Logs().ToByteArray()]
        ),
        (
            "OTLP logs, JSON",
            b => Read<Wire.ExportLogsServiceRequest>(b, OtlpEncoding.Json, r => OtlpLogs.Read(r, "fuzz", 1)),
            [Encoding.UTF8.GetBytes(JsonFormatter.Default.Format(Logs()))]
        ),
        (
            "OTLP metrics, protobuf",
            b => Read<Wire.ExportMetricsServiceRequest>(b, OtlpEncoding.Protobuf, r => OtlpMetrics.Read(r)),
            [Metrics().ToByteArray()]
        ),
        (
            "OTLP metrics, JSON",
            b => Read<Wire.ExportMetricsServiceRequest>(b, OtlpEncoding.Json, r => OtlpMetrics.Read(r)),
            [Encoding.UTF8.GetBytes(JsonFormatter.Default.Format(Metrics()))]
        ),
        (
            "OTLP spans, protobuf",
            b => Read<Wire.ExportTraceServiceRequest>(b, OtlpEncoding.Protobuf, r => OtlpSpans.Read(r)),
            [Spans().ToByteArray()]
        ),
        (
            "syslog, framing and messages",
            Syslog,
            [
                "57 <165>1 2026-11-23T18:00:00Z radio relay 8 ID [a@1 b=\"c\\\"\"] up<13>Nov 23 18:00:00 radio relay[7]: down\n"u8.ToArray(),
            ]
        ),
        (
            "OpenMetrics",
            b => OpenMetricsParser.Read(Encoding.UTF8.GetString(b), Resource.Unknown, 1),
            [
                "# TYPE a histogram\na_bucket{le=\"1\",x=\"y\"} 2 # {trace_id=\"ab\"} 0.5 1\na_bucket{le=\"+Inf\",x=\"y\"} 3\na_sum 4\n# TYPE b counter\nb_total 7 1764000000\n# EOF\n"u8.ToArray(),
            ]
        ),
        (
            "NDJSON",
            b => ((ILineParser)new JsonRecordParser("fuzz")).Parse(b, 1, new RecordBlockBuilder()),
            [
                "{\"time\":\"2026-11-23T18:00:00Z\",\"level\":\"warn\",\"body\":\"x\",\"a\":{\"b\":[1,2.5,null,true,\"\\u00e9\"]},\"trace_id\":\"ab\"}"u8.ToArray(),
            ]
        ),
        (
            "plain lines",
            b => ((ILineParser)new PlainLineParser("fuzz")).Parse(b, 1, new RecordBlockBuilder()),
            ["a line é"u8.ToArray()]
        ),
    ];

    private static void Read<T>(byte[] bytes, OtlpEncoding encoding, Action<T> read)
        where T : class, IMessage<T>, new()
    {
        if (OtlpBody.Parse<T>(new ReadOnlySequence<byte>(bytes), encoding, out var reason) is { } request)
            read(request);
        else if (reason is null)
            throw new InvalidOperationException("Nothing was read and no reason given.");
    }

    private static void Syslog(byte[] bytes)
    {
        var (framing, batch) = (new SyslogFraming(), new SyslogBatch(new SyslogParser(), "fuzz"));
        for (var at = 0; at < bytes.Length; )
        {
            var space = framing.Space();
            var length = Math.Min(Math.Min(61, bytes.Length - at), space.Length);
            bytes.AsSpan(at, length).CopyTo(space.Span);
            framing.Filled(length);
            at += length;
            Take(framing, batch);
        }
        framing.End();
        Take(framing, batch);
        batch.Build();
    }

    private static void Take(SyslogFraming framing, SyslogBatch batch)
    {
        while (framing.TryNext(out var message, out var problem))
            if (problem is null)
                batch.Add(message, 1, IPAddress.Loopback);
    }

    /// <summary>The next input for a decoder: good input, changed in a few places.</summary>
    public byte[] Next(byte[][] good)
    {
        var bytes = good[_random.Next(good.Length)].ToList();
        for (var changes = _random.Next(1, 8); changes > 0 && bytes.Count > 0; changes--)
        {
            var (at, length) = (_random.Next(bytes.Count), 0);
            length = Math.Min(bytes.Count - at, _random.Next(1, 24));
            switch (_random.Next(6))
            {
                case 0:
                    bytes[at] = (byte)_random.Next(256);
                    break;
                case 1:
                    bytes[at] ^= (byte)(1 << _random.Next(8));
                    break;
                case 2:
                    bytes.RemoveRange(at, length);
                    break;
                case 3:
                    bytes.InsertRange(at, bytes.GetRange(at, length));
                    break;
                case 4:
                    bytes.InsertRange(at, Enumerable.Repeat((byte)(_random.Next(2) == 0 ? 0xff : bytes[at]), length));
                    break;
                default:
                    bytes.RemoveRange(at, bytes.Count - at);
                    break;
            }
            if (bytes.Count > LongestInput)
                bytes.RemoveRange(LongestInput, bytes.Count - LongestInput);
        }
        return [.. bytes];
    }

    private static Wire.AnyValue Text(string text) => new() { StringValue = text };

    private static Wire.ExportLogsServiceRequest Logs() =>
        new()
        {
            ResourceLogs =
            {
                new Wire.ResourceLogs
                {
                    Resource = new Wire.Resource
                    {
                        Attributes =
                        {
                            new Wire.KeyValue { Key = "service.name", Value = Text("gate-control") },
                        },
                    },
                    ScopeLogs =
                    {
                        new Wire.ScopeLogs
                        {
                            LogRecords =
                            {
                                new Wire.LogRecord
                                {
                                    TimeUnixNano = 1_764_000_000_000_000_000,
                                    Body = Text("scan refused"),
                                    TraceId = ByteString.CopyFrom(new byte[16]),
                                    Attributes =
                                    {
                                        new Wire.KeyValue
                                        {
                                            Key = "a",
                                            Value = new Wire.AnyValue
                                            {
                                                ArrayValue = new Wire.ArrayValue
                                                {
                                                    Values =
                                                    {
                                                        Text("b"),
                                                        new Wire.AnyValue
                                                        {
                                                            KvlistValue = new Wire.KeyValueList
                                                            {
                                                                Values =
                                                                {
                                                                    new Wire.KeyValue
                                                                    {
                                                                        Key = "c",
                                                                        Value = new Wire.AnyValue { DoubleValue = 0.5 },
                                                                    },
                                                                },
                                                            },
                                                        },
                                                    },
                                                },
                                            },
                                        },
                                    },
                                },
                            },
                        },
                    },
                },
            },
        };

    private static Wire.ExportMetricsServiceRequest Metrics() =>
        new()
        {
            ResourceMetrics =
            {
                new Wire.ResourceMetrics
                {
                    ScopeMetrics =
                    {
                        new Wire.ScopeMetrics
                        {
                            Metrics =
                            {
                                new Wire.Metric
                                {
                                    Name = "scans",
                                    Sum = new Wire.Sum
                                    {
                                        IsMonotonic = true,
                                        DataPoints =
                                        {
                                            new Wire.NumberDataPoint
                                            {
                                                TimeUnixNano = 5,
                                                AsInt = 7,
                                                Exemplars =
                                                {
                                                    new Wire.Exemplar { TimeUnixNano = 5, AsDouble = 1 },
                                                },
                                            },
                                        },
                                    },
                                },
                                new Wire.Metric
                                {
                                    Name = "took",
                                    Histogram = new Wire.Histogram
                                    {
                                        DataPoints =
                                        {
                                            new Wire.HistogramDataPoint
                                            {
                                                TimeUnixNano = 5,
                                                Count = 3,
                                                Sum = 1,
                                                BucketCounts = { 1, 2 },
                                                ExplicitBounds = { 0.5 },
                                            },
                                        },
                                    },
                                },
                                new Wire.Metric
                                {
                                    Name = "size",
                                    ExponentialHistogram = new Wire.ExponentialHistogram
                                    {
                                        DataPoints =
                                        {
                                            new Wire.ExponentialHistogramDataPoint
                                            {
                                                TimeUnixNano = 5,
                                                Scale = -3,
                                                Positive = new Wire.ExponentialHistogramDataPoint.Types.Buckets
                                                {
                                                    Offset = 2,
                                                    BucketCounts = { 1, 2 },
                                                },
                                            },
                                        },
                                    },
                                },
                            },
                        },
                    },
                },
            },
        };

    private static Wire.ExportTraceServiceRequest Spans() =>
        new()
        {
            ResourceSpans =
            {
                new Wire.ResourceSpans
                {
                    ScopeSpans =
                    {
                        new Wire.ScopeSpans
                        {
                            Spans =
                            {
                                new Wire.Span
                                {
                                    Name = "claim",
                                    TraceId = ByteString.CopyFrom(Convert.FromHexString("5b8aa5a2d2c872e8321cf37308d69df2")),
                                    SpanId = ByteString.CopyFrom(Convert.FromHexString("051581bf3cb55c13")),
                                    StartTimeUnixNano = 5,
                                    EndTimeUnixNano = 9,
                                    Events =
                                    {
                                        new Wire.Span.Types.Event { TimeUnixNano = 6, Name = "locked" },
                                    },
                                    Links = { new Wire.Span.Types.Link { TraceId = ByteString.CopyFrom(new byte[16]) } },
                                },
                            },
                        },
                    },
                },
            },
        };
}
