using System.Buffers;
using System.Text;
using Google.Protobuf;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake.Otlp;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Tests.Storage;
using Wire = Kumiko.Core.Intake.Otlp.Wire;

namespace Kumiko.Core.Tests.Intake.Otlp;

/// <summary>Requests of the OpenTelemetry protocol to records, metrics and spans.</summary>
public class OtlpTests : StoreTest
{
    private const string Trace = "5b8aa5a2d2c872e8321cf37308d69df2";
    private const string Span = "051581bf3cb55c13";
    private const long Noon = 1_764_000_000_000_000_000;

    private static T Json<T>(string text)
        where T : class, IMessage<T>, new()
    {
        var read = OtlpBody.Parse<T>(new ReadOnlySequence<byte>(Encoding.UTF8.GetBytes(text)), OtlpEncoding.Json, out var reason);
        Assert.Null(reason);
        return read!;
    }

    private static LogRecord Log(string log, string before = "") =>
        Assert.Single(
            OtlpLogs
                .Read(
                    Json<Wire.ExportLogsServiceRequest>(
                        $$$"""{"resourceLogs":[{ {{{before}}} "scopeLogs":[{"scope":{"name":"gate","version":"7.3","attributes":[{"key":"lane","value":{"intValue":"2"}}]},"logRecords":[{{{log}}}]}]}]}"""
                    ),
                    "quay",
                    42
                )
                .Items.Records
        );

    private const string Gate =
        "\"resource\":{\"attributes\":[{\"key\":\"service.name\",\"value\":{\"stringValue\":\"gate-control\"}},{\"key\":\"host.name\",\"value\":{\"stringValue\":\"gate-t1\"}}]},";

    [Fact]
    public void Every_part_of_a_log_record_has_its_place()
    {
        var record = Log(
            $$$"""{"timeUnixNano":"{{{Noon}}}","observedTimeUnixNano":"{{{Noon + 5}}}","severityNumber":17,"severityText":"ERROR","body":{"stringValue":"scan refused"},"attributes":[{"key":"terminal","value":{"stringValue":"Tarnhead"}}],"traceId":"{{{Trace.ToUpperInvariant()}}}","spanId":"{{{Span}}}","flags":1,"eventName":"scan","droppedAttributesCount":3,"unheardOf":{"a":[1]}}""",
            Gate
        );
        Assert.Equal(
            (Noon, Noon + 5, 17, "ERROR", "scan refused"),
            (record.Time, record.Observed, record.SeverityNumber, record.SeverityText, record.Body)
        );
        Assert.Equal((Trace, Span, "quay"), (record.TraceId, record.SpanId, record.Source));
        Assert.Equal(("gate-control", "gate-t1"), (record.Resource.Service.AsText, record.Resource.Host.AsText));
        Assert.Equal(
            "terminal=Tarnhead lane=2 event.name=scan trace_flags=1 otel.dropped_attributes_count=3 otel.scope.name=gate otel.scope.version=7.3",
            string.Join(' ', record.Attributes.Names.ToArray().Select((n, i) => $"{n}={record.Attributes.Values[i]}"))
        );
    }

    [Theory]
    [InlineData("""{"stringValue":"a"}""", "a", ValueKind.Text)]
    [InlineData("""{"boolValue":true}""", "true", ValueKind.Boolean)]
    [InlineData("""{"intValue":"-9223372036854775808"}""", "-9223372036854775808", ValueKind.Integer)]
    [InlineData("""{"doubleValue":0.5}""", "0.5", ValueKind.Decimal)]
    [InlineData("""{"doubleValue":"NaN"}""", "NaN", ValueKind.Text)]
    [InlineData("""{"bytesValue":"3q2+7w=="}""", "3q2+7w==", ValueKind.Text)]
    [InlineData("""{"arrayValue":{"values":[{"intValue":1},{"stringValue":"b"}]}}""", """[1,"b"]""", ValueKind.List)]
    [InlineData("""{"kvlistValue":{"values":[{"key":"a","value":{"boolValue":false}}]}}""", """{"a":false}""", ValueKind.Object)]
    public void Every_kind_of_value_is_understood_as_attribute_and_as_body(string value, string text, ValueKind kind)
    {
        var record = Log(
            $$$"""{"timeUnixNano":"1","body":{{{value}}},"attributes":[{"key":"it","value":{{{value}}}},{"key":"none","value":{} }]}"""
        );
        Assert.Equal(text, record.Body);
        Assert.Equal((text, kind), (record.Attributes.Get("it").ToText(), record.Attributes.Get("it").Kind));
        Assert.True(record.Attributes.Get("none").IsMissing);
    }

    [Fact]
    public void Of_equal_names_the_last_wins_and_names_without_letters_are_left_out()
    {
        var record = Log(
            """{"body":{"stringValue":"x"},"attributes":[{"key":"berth","value":{"intValue":"1"}},{"key":"","value":{"intValue":"3"}},{"key":"berth","value":{"stringValue":"two"}},{"key":"lane","value":{"intValue":"9"}}]}"""
        );
        Assert.Equal(
            ["berth=two", "lane=2", "otel.scope.name=gate", "otel.scope.version=7.3"],
            record.Attributes.Names.ToArray().Select((n, i) => $"{n}={record.Attributes.Values[i]}")
        );
    }

    [Fact]
    public void Rows_of_many_shapes_keep_their_own_fields()
    {
        string Fields(int i) =>
            string.Join(
                ',',
                Enumerable.Range(0, i % 70).Select(n => $"{{\"key\":\"field{n}\",\"value\":{{\"intValue\":\"{i * n}\"}}}}")
            );
        string Row(int i) =>
            $"{{\"timeUnixNano\":\"{i + 1}\",\"body\":{{\"stringValue\":\"row {i}\"}},\"attributes\":[{Fields(i)}]}}";
        var records = OtlpLogs
            .Read(
                Json<Wire.ExportLogsServiceRequest>(
                    "{\"resourceLogs\":[{\"scopeLogs\":[{\"logRecords\":["
                        + string.Join(',', Enumerable.Range(0, 200).Select(Row))
                        + "]}]}]}"
                ),
                "quay",
                0
            )
            .Items.Records;
        Assert.All(records.Select((r, i) => (r, i)), p =>
        {
            Assert.Equal(("row " + p.i, p.i + 1L, p.i % 70), (p.r.Body, p.r.Time, p.r.Attributes.Count));
            for (var n = 0; n < p.i % 70; n++)
                Assert.Equal(p.i * n, p.r.Attributes.Get("field" + n).AsLong);
        });
    }

    [Fact]
    public void Without_a_time_the_observed_one_counts_and_without_that_now()
    {
        Assert.Equal(
            (7L, 7L),
            (
                Log("""{"observedTimeUnixNano":"7","body":{"stringValue":"x"}}""").Time,
                Log("""{"observedTimeUnixNano":"7","body":{"stringValue":"x"}}""").Observed
            )
        );
        Assert.Equal(42, Log("""{"body":{"stringValue":"x"}}""").Time);
    }

    [Fact]
    public void Ids_that_are_none_are_absent_and_text_gives_a_severity()
    {
        var record = Log(
            """{"body":{"stringValue":"x"},"severityText":"Warn","traceId":"00000000000000000000000000000000","spanId":"0102"}"""
        );
        Assert.Equal((null, null, 13), (record.TraceId, record.SpanId, record.SeverityNumber));
    }

    [Fact]
    public void A_time_beyond_what_can_be_kept_is_refused_with_its_place_and_the_rest_taken()
    {
        var taken = OtlpLogs.Read(
            Json<Wire.ExportLogsServiceRequest>(
                """{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"timeUnixNano":"5","body":{"stringValue":"good"}},{"timeUnixNano":"18446744073709551615"},{"timeUnixNano":"6"}]}]}]}"""
            ),
            "quay",
            0
        );
        Assert.Equal(
            (2, 1, (2L, "The time is beyond the year 2261.")),
            (taken.Items.Count, taken.RefusedTotal, (taken.Refused[0].Line, taken.Refused[0].Reason))
        );
    }

    [Fact]
    public void Protobuf_with_padded_lengths_and_unknown_fields_is_read()
    {
        // resource_logs { scope_logs { log_records { field 99: 7, body { "ok" } } } }, the lengths written with five bytes.
        byte[] body = [0x2a, 0x84, 0x80, 0x80, 0x80, 0x00, 0x0a, 0x02, .. "ok"u8];
        byte[] record = [0x98, 0x06, 0x07, .. body];
        byte[] scope = [0x12, (byte)(record.Length | 0x80), 0x80, 0x80, 0x80, 0x00, .. record];
        byte[] resource = [0x12, (byte)(scope.Length | 0x80), 0x80, 0x00, .. scope];
        byte[] request = [0x0a, (byte)(resource.Length | 0x80), 0x80, 0x80, 0x00, .. resource];
        var read = OtlpBody.Parse<Wire.ExportLogsServiceRequest>(
            new ReadOnlySequence<byte>(request),
            OtlpEncoding.Protobuf,
            out var reason
        );
        Assert.Null(reason);
        Assert.Equal("ok", Assert.Single(OtlpLogs.Read(read!, "quay", 1).Items.Records).Body);
    }

    [Theory]
    [InlineData("[]")]
    [InlineData("{\"resourceLogs\":7}")]
    [InlineData("{\"resourceLogs\":[{\"scopeLogs\":[{\"logRecords\":[{\"traceId\":\"abc\"}]}]}]}")]
    [InlineData("")]
    [InlineData("{")]
    public void What_is_no_request_is_told(string text)
    {
        Assert.Null(
            OtlpBody.Parse<Wire.ExportLogsServiceRequest>(
                new ReadOnlySequence<byte>(Encoding.UTF8.GetBytes(text)),
                OtlpEncoding.Json,
                out var reason
            )
        );
        Assert.StartsWith("This is not the JSON", reason);
    }

    [Fact]
    public void Values_nested_without_end_are_refused()
    {
        var depth = 3_000;
        var text =
            string.Concat(Enumerable.Repeat("{\"arrayValue\":{\"values\":[", depth))
            + string.Concat(Enumerable.Repeat("]}}", depth));
        Assert.Null(
            OtlpBody.Parse<Wire.AnyValue>(
                new ReadOnlySequence<byte>(Encoding.UTF8.GetBytes(text)),
                OtlpEncoding.Json,
                out var reason
            )
        );
        Assert.StartsWith("This is not the JSON that belongs here: ", reason);
    }

    private static OtlpTaken<IReadOnlyList<Metric>> Metrics(string metrics) =>
        OtlpMetrics.Read(
            Json<Wire.ExportMetricsServiceRequest>(
                $$$"""{"resourceMetrics":[{ {{{Gate}}} "scopeMetrics":[{"scope":{"name":"meter"},"metrics":[{{{metrics}}}]}]}]}"""
            )
        );

    private static readonly string Every = $$$"""
        {"name":"cpu","unit":"1","description":"busy","gauge":{"dataPoints":[{"timeUnixNano":"{{{Noon}}}","asDouble":0.25,"attributes":[{"key":"cpu","value":{"intValue":1}}]}]},"metadata":[{"key":"from","value":{"stringValue":"host"}}]},
        {"name":"scans","sum":{"aggregationTemporality":2,"isMonotonic":true,"dataPoints":[{"startTimeUnixNano":"{{{Noon
            - 60}}}","timeUnixNano":"{{{Noon}}}","asInt":"12","exemplars":[{"timeUnixNano":"{{{Noon
            - 1}}}","asInt":"1","traceId":"{{{Trace}}}","spanId":"{{{Span}}}","filteredAttributes":[{"key":"lane","value":{"intValue":2}}]}]}]}},
        {"name":"took","unit":"s","histogram":{"aggregationTemporality":1,"dataPoints":[{"timeUnixNano":"{{{Noon}}}","count":"6","sum":1.5,"min":0.1,"max":0.7,"bucketCounts":["1","2","3"],"explicitBounds":[0.2,0.5]}]}},
        {"name":"size","exponentialHistogram":{"aggregationTemporality":1,"dataPoints":[{"timeUnixNano":"{{{Noon}}}","count":"5","sum":9,"scale":-2,"zeroCount":"1","zeroThreshold":0.001,"positive":{"offset":-3,"bucketCounts":["1","2"]},"negative":{"offset":4,"bucketCounts":["1"]}}]}},
        {"name":"waits","summary":{"dataPoints":[{"timeUnixNano":"{{{Noon}}}","count":"3","sum":4.5,"quantileValues":[{"quantile":0.5,"value":1.5},{"quantile":1,"value":2}]}]}},
        {"name":"gone","gauge":{"dataPoints":[{"timeUnixNano":"{{{Noon}}}","flags":1}]}}
        """;

    [Fact]
    public async Task Every_kind_of_metric_comes_through_decoding_and_the_store_alike()
    {
        using var records = Open();
        using var store = new MetricStore(records, Clock, MetricOptions.Default with { Background = false });
        var read = Metrics(Every);
        Assert.Equal(0, read.RefusedTotal);
        await store.Append(read.Items, "quay");
        foreach (var metrics in new[] { read.Items, [.. store.Read(new Window(0, long.MaxValue))] })
        {
            Assert.Equal(
                ["cpu Gauge", "scans Sum", "took Histogram", "size ExponentialHistogram", "waits Summary", "gone Gauge"],
                metrics.Select(m => $"{m.Name} {m.Kind}")
            );
            Assert.All(metrics, m => Assert.Equal(("gate-control", "meter"), (m.Resource.Service.AsText, m.Scope.Name)));
            var (cpu, scans, took, size, waits) = (
                metrics[0],
                metrics[1],
                metrics[2].Samples[0].Distribution!,
                metrics[3].Samples[0].Distribution!,
                metrics[4].Samples[0].Distribution!
            );
            Assert.Equal(
                ("1", "busy", Value.Of(0.25), Value.Of(1), "host", Noon),
                (
                    cpu.Unit,
                    cpu.Description,
                    cpu.Samples[0].Value,
                    cpu.Samples[0].Attributes.Get("cpu"),
                    cpu.Metadata.Get("from").AsText,
                    cpu.Samples[0].Time
                )
            );
            Assert.Equal(
                (Temporality.Cumulative, true, 12.0, Noon - 60),
                (scans.Temporality, scans.IsMonotonic, scans.Samples[0].Value.AsDouble, scans.Samples[0].Start)
            );
            var exemplar = Assert.Single(scans.Samples[0].Exemplars);
            Assert.Equal(
                (Noon - 1, 1.0, Trace, Span, Value.Of(2)),
                (exemplar.Time, exemplar.Value.AsDouble, exemplar.TraceId, exemplar.SpanId, exemplar.Attributes.Get("lane"))
            );
            Assert.Equal((6UL, 1.5, 0.1, 0.7), (took.Count, took.Sum, took.Min, took.Max));
            Assert.Equal(([1, 2, 3], [0.2, 0.5]), (took.Counts, took.Bounds), Comparer());
            var e = size.Exponential!;
            Assert.Equal(
                (-2, 1UL, 0.001, -3, 4, null),
                (e.Scale, e.ZeroCount, e.ZeroThreshold, e.PositiveOffset, e.NegativeOffset, size.Min)
            );
            Assert.Equal(([1UL, 2UL], [1UL]), (e.Positive, e.Negative), Lists());
            Assert.Equal([(0.5, 1.5), (1, 2)], waits.Quantiles);
            Assert.True(metrics[5].Samples[0].Value.IsMissing);
        }
    }

    private static IEqualityComparer<(ulong[], double[])> Comparer() =>
        EqualityComparer<(ulong[], double[])>.Create((a, b) => a.Item1.SequenceEqual(b.Item1) && a.Item2.SequenceEqual(b.Item2));

    private static IEqualityComparer<(ulong[], ulong[])> Lists() =>
        EqualityComparer<(ulong[], ulong[])>.Create((a, b) => a.Item1.SequenceEqual(b.Item1) && a.Item2.SequenceEqual(b.Item2));

    [Theory]
    [InlineData("""{"name":"a","gauge":{"dataPoints":[{"asInt":1}]}}""", "needs a time")]
    [InlineData("""{"name":"a","gauge":{"dataPoints":[{"timeUnixNano":"1"}]}}""", "no value")]
    [InlineData("""{"name":"","gauge":{"dataPoints":[{"timeUnixNano":"1","asInt":1}]}}""", "needs a name")]
    [InlineData(
        """{"name":"a","histogram":{"dataPoints":[{"timeUnixNano":"1","bucketCounts":["1"],"explicitBounds":[1]}]}}""",
        "needs 2 counts, not 1"
    )]
    [InlineData(
        """{"name":"a","histogram":{"dataPoints":[{"timeUnixNano":"1","bucketCounts":["1","1","1"],"explicitBounds":[2,1]}]}}""",
        "must rise"
    )]
    [InlineData(
        """{"name":"a","summary":{"dataPoints":[{"timeUnixNano":"1","quantileValues":[{"quantile":50}]}]}}""",
        "between 0 and 1"
    )]
    public void Points_that_cannot_be_right_are_refused(string metric, string reason)
    {
        var read = Metrics(metric + """,{"name":"good","gauge":{"dataPoints":[{"timeUnixNano":"1","asInt":"1"}]}}""");
        Assert.Equal(("good", 1), (Assert.Single(read.Items).Name, read.RefusedTotal));
        Assert.Contains(reason, read.Refused[0].Reason);
    }

    [Fact]
    public async Task Spans_come_through_decoding_and_the_store_alike()
    {
        using var records = Open();
        var store = new SpanStore(records);
        var read = OtlpSpans.Read(
            Json<Wire.ExportTraceServiceRequest>(
                $$$"""
                {"resourceSpans":[{ {{{Gate}}} "scopeSpans":[{"scope":{"name":"tracer","version":"1"},"spans":[
                  {"traceId":"{{{Trace}}}","spanId":"{{{Span}}}","parentSpanId":"00f067aa0ba902b7","traceState":"a=1","name":"claim","kind":2,"startTimeUnixNano":"{{{Noon}}}","endTimeUnixNano":"{{{Noon
                    + 900}}}","flags":257,
                   "attributes":[{"key":"seat","value":{"stringValue":"12A"}}],"status":{"code":2,"message":"locked"},
                   "events":[{"timeUnixNano":"{{{Noon
                    + 4}}}","name":"exception","attributes":[{"key":"exception.type","value":{"stringValue":"RowLocked"}}]}],
                   "links":[{"traceId":"{{{Trace}}}","spanId":"00f067aa0ba902b7","attributes":[{"key":"why","value":{"stringValue":"retry"}}],"flags":1}]},
                  {"traceId":"{{{Trace}}}","spanId":"0000000000000000","name":"no id","startTimeUnixNano":"1"},
                  {"traceId":"{{{Trace}}}","spanId":"{{{Span}}}","name":"no start"}]}]}]}
                """
            )
        );
        Assert.Equal((2, 2L), (read.RefusedTotal, read.Refused[0].Line));
        await store.Append(read.Items, "quay");
        foreach (var spans in new[] { read.Items, [.. store.Spans(new Window(Noon, Noon + 1))] })
        {
            var span = Assert.Single(spans);
            Assert.Equal(
                (Trace, Span, "00f067aa0ba902b7", "claim", SpanKind.Server, Noon, Noon + 900),
                (span.TraceId, span.SpanId, span.ParentId, span.Name, span.Kind, span.Start, span.End)
            );
            Assert.Equal(
                (SpanStatus.Error, "locked", "a=1", 257U, "12A", "gate-t1", "1"),
                (
                    span.Status,
                    span.StatusMessage,
                    span.TraceState,
                    span.Flags,
                    span.Attributes.Get("seat").AsText,
                    span.Resource.Host.AsText,
                    span.Scope.Version
                )
            );
            Assert.Equal(
                (Noon + 4, "exception", "RowLocked"),
                (span.Events[0].Time, span.Events[0].Name, span.Events[0].Attributes.Get("exception.type").AsText)
            );
            Assert.Equal(
                (Trace, "00f067aa0ba902b7", "retry", 1U),
                (span.Links[0].TraceId, span.Links[0].SpanId, span.Links[0].Attributes.Get("why").AsText, span.Links[0].Flags)
            );
        }
        Assert.Empty(store.Spans(new Window(0, Noon)));
    }

    [Fact]
    public async Task A_damaged_segment_of_spans_is_told()
    {
        using var records = Open();
        var store = new SpanStore(records);
        await store.Append(
            [
                new Span
                {
                    TraceId = Trace,
                    SpanId = Span,
                    Name = "claim",
                    Start = Noon,
                    End = Noon + 1,
                },
            ],
            "quay"
        );
        await records.Upkeep.SealAll();
        await records.Database.Writer.Write(c =>
            Dapper.SqlMapper.Execute(c, "UPDATE segment_column SET content = CAST(substr(content, 1, 20) AS BLOB)")
        );
        Assert.Empty(store.Spans(new Window(0, long.MaxValue)));
        // It is set aside by the writer, whose turn comes after.
        await records.Database.Writer.Write(_ => 0);
        Assert.Contains("1 spans from", Assert.Single(records.Notices));
    }

    [Theory]
    [InlineData("9223372036854775807")]
    [InlineData("-9223372036854775808")]
    [InlineData("9007199254740993")]
    public void Numbers_of_64_bits_need_no_quotes(string number)
    {
        var record = Log(
            $$$"""{"timeUnixNano":1795411300123456789,"body":{"stringValue":"say \"{{{number}}}\" {{{number}}}"},"attributes":[{"key":"it","value":{"intValue":{{{number}}}}}]}"""
        );
        Assert.Equal(
            (1_795_411_300_123_456_789, number, $"say \"{number}\" {number}"),
            (record.Time, record.Attributes.Get("it").ToText(), record.Body)
        );
        Assert.Equal(
            1.234567890123456789e-7,
            Log("""{"timeUnixNano":"1","body":{"doubleValue":1.234567890123456789e-7}}""").Body is var text
                ? double.Parse(text, System.Globalization.CultureInfo.InvariantCulture)
                : 0
        );
    }

    [Fact]
    public void A_signal_sent_to_the_path_of_another_is_refused_and_its_own_is_named()
    {
        var span = new Wire.Span
        {
            TraceId = ByteString.CopyFrom(Convert.FromHexString(Trace)),
            SpanId = ByteString.CopyFrom(Convert.FromHexString(Span)),
            Name = "claim seat",
            StartTimeUnixNano = 5,
            EndTimeUnixNano = 9,
        };
        var traces = new Wire.ExportTraceServiceRequest
        {
            ResourceSpans = { new Wire.ResourceSpans { ScopeSpans = { new Wire.ScopeSpans { Spans = { span } } } } },
        };
        var metric = new Wire.Metric
        {
            Name = "gate.tickets",
            Gauge = new Wire.Gauge
            {
                DataPoints =
                {
                    new Wire.NumberDataPoint { AsInt = 3, TimeUnixNano = 5 },
                },
            },
        };
        var metrics = new Wire.ExportMetricsServiceRequest
        {
            ResourceMetrics = { new Wire.ResourceMetrics { ScopeMetrics = { new Wire.ScopeMetrics { Metrics = { metric } } } } },
        };
        var logs = new Wire.ExportLogsServiceRequest
        {
            ResourceLogs =
            {
                new Wire.ResourceLogs
                {
                    ScopeLogs =
                    {
                        new Wire.ScopeLogs
                        {
                            LogRecords =
                            {
                                new Wire.LogRecord
                                {
                                    TimeUnixNano = 5,
                                    Body = new Wire.AnyValue { StringValue = "gate opened" },
                                },
                            },
                        },
                    },
                },
            },
        };
        (IMessage Message, string Name, string Path)[] all =
        [
            (logs, "logs", "/v1/logs"),
            (metrics, "metrics", "/v1/metrics"),
            (traces, "traces", "/v1/traces"),
        ];
        foreach (var encoding in new[] { OtlpEncoding.Protobuf, OtlpEncoding.Json })
        {
            foreach (var sent in all)
            {
                var body = new ReadOnlySequence<byte>(OtlpBody.Write(sent.Message, encoding));
                Assert.Equal(
                    [Told("logs", "/v1/logs"), Told("metrics", "/v1/metrics"), Told("traces", "/v1/traces")],
                    [
                        Reason<Wire.ExportLogsServiceRequest>(body, encoding),
                        Reason<Wire.ExportMetricsServiceRequest>(body, encoding),
                        Reason<Wire.ExportTraceServiceRequest>(body, encoding),
                    ]
                );

                string? Told(string wanted, string at) =>
                    wanted == sent.Name ? null : $"These are {sent.Name}, and {at} takes {wanted}. Send them to {sent.Path}.";
            }
        }
    }

    [Fact]
    public void A_metric_whose_name_is_as_long_as_the_id_of_a_trace_is_taken()
    {
        var metric = new Wire.Metric
        {
            Name = "skerry.cpu.usage",
            Description = "CPU time",
            Sum = new Wire.Sum
            {
                DataPoints =
                {
                    new Wire.NumberDataPoint { AsInt = 3, TimeUnixNano = 5 },
                },
            },
        };
        Assert.Equal((16, 8), (metric.Name.Length, metric.Description.Length));
        var metrics = new Wire.ExportMetricsServiceRequest
        {
            ResourceMetrics = { new Wire.ResourceMetrics { ScopeMetrics = { new Wire.ScopeMetrics { Metrics = { metric } } } } },
        };
        Assert.Null(
            Reason<Wire.ExportMetricsServiceRequest>(
                new ReadOnlySequence<byte>(OtlpBody.Write(metrics, OtlpEncoding.Protobuf)),
                OtlpEncoding.Protobuf
            )
        );
    }

    private static string? Reason<T>(ReadOnlySequence<byte> body, OtlpEncoding encoding)
        where T : class, IMessage<T>, new()
    {
        OtlpBody.Parse<T>(body, encoding, out var reason);
        return reason;
    }
}
