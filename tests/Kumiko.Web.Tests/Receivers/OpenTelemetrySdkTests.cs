using System.Diagnostics;
using System.Diagnostics.Metrics;
using Kumiko.Core.Accounts;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.Logging;
using OpenTelemetry;
using OpenTelemetry.Exporter;
using OpenTelemetry.Logs;
using OpenTelemetry.Metrics;
using OpenTelemetry.Resources;
using OpenTelemetry.Trace;
using SpanKind = Kumiko.Core.Records.SpanKind;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>A sender that nobody here wrote: OpenTelemetry's own SDK sends all three signals, by both transports.</summary>
public sealed class OpenTelemetrySdkTests : IAsyncLifetime
{
    private static readonly Window Ever = new(0, long.MaxValue);
    private RunningServer _server = null!;
    private string _token = "";

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _token = await _server.Get<TokenStore>().Create("gate-control", TokenPurpose.Intake);
    }

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private static ResourceBuilder Gate() =>
        ResourceBuilder
            .CreateEmpty()
            .AddAttributes([new("service.name", "gate-control"), new("host.name", "gate-t1"), new("lanes", 3)]);

    private void To(OtlpExporterOptions options, string transport, string path)
    {
        var grpc = transport == "gRPC";
        options.Protocol = grpc ? OtlpExportProtocol.Grpc : OtlpExportProtocol.HttpProtobuf;
        options.Endpoint = grpc
            ? new Uri($"http://127.0.0.1:{_server.Get<ServerState>().GrpcPort}")
            : new Uri(_server.Address + path);
        options.Headers = $"authorization=Bearer {_token}";
    }

    [Theory]
    [InlineData("gRPC")]
    [InlineData("HTTP")]
    public void Log_records_arrive_with_all_their_fields(string transport)
    {
        var now = DateTimeOffset.UtcNow;
        using (
            var factory = LoggerFactory.Create(b =>
                b.AddOpenTelemetry(o =>
                {
                    o.IncludeFormattedMessage = true;
                    o.IncludeScopes = true;
                    o.SetResourceBuilder(Gate());
                    o.AddOtlpExporter(e => To(e, transport, "/v1/logs"));
                })
            )
        )
        using (var activity = new Activity("boarding").SetIdFormat(ActivityIdFormat.W3C).Start())
        {
            var logger = factory.CreateLogger("scans");
            using (logger.BeginScope(new Dictionary<string, object> { ["terminal"] = "Tarnhead" }))
                logger.LogError(
                    new EventId(7, "refused"),
                    new InvalidOperationException("row locked"),
                    "ticket {Ticket} refused after {Took} ms at {Share}",
                    "SK-10442-B",
                    812,
                    0.25
                );
            factory.Dispose();
            using var snapshot = _server.Get<RecordStore>().Current;
            var record = Assert.Single(snapshot.OldestFirst(Ever, BatchTest.All, null, CancellationToken.None));
            Assert.Equal(
                ("ticket SK-10442-B refused after 812 ms at 0.25", 17, "Error", "gate-control"),
                (record.Body, record.SeverityNumber, record.SeverityText, record.Source)
            );
            Assert.Equal((activity.TraceId.ToHexString(), activity.SpanId.ToHexString()), (record.TraceId, record.SpanId));
            Assert.Equal(
                ("gate-control", "gate-t1", Value.Of(3)),
                (record.Resource.Service.AsText, record.Resource.Host.AsText, record.Resource.Attributes.Get("lanes"))
            );
            Assert.InRange(record.Time, Instants.FromDateTime(now), Instants.FromDateTime(DateTimeOffset.UtcNow));
            string Field(string name) => record.Attributes.Get(name).ToText();
            Assert.Equal(
                ("SK-10442-B", "812", "0.25", "Tarnhead"),
                (Field("Ticket"), Field("Took"), Field("Share"), Field("terminal"))
            );
            Assert.Equal(
                ("InvalidOperationException", "row locked", "scans"),
                (Field("exception.type").Split('.')[^1], Field("exception.message"), Field("otel.scope.name"))
            );
        }
        var source = _server.Get<SourceBook>().Find("gate-control")!;
        Assert.Equal(
            (1L, transport == "gRPC" ? "OTLP over gRPC" : "OTLP over HTTP, protobuf", "token “gate-control”"),
            (source.Records, source.Protocol, source.Recognised)
        );
    }

    [Theory]
    [InlineData("gRPC")]
    [InlineData("HTTP")]
    public void Metrics_arrive_with_all_their_fields(string transport)
    {
        using var meter = new Meter("gates", "7.3");
        using (
            var provider = Sdk.CreateMeterProviderBuilder()
                .SetResourceBuilder(Gate())
                .AddMeter("gates")
                .SetExemplarFilter(ExemplarFilterType.AlwaysOn)
                .AddView("size", new Base2ExponentialBucketHistogramConfiguration())
                .AddView("took", new ExplicitBucketHistogramConfiguration { Boundaries = [0.1, 0.5] })
                .AddOtlpExporter(
                    (e, reader) =>
                    {
                        To(e, transport, "/v1/metrics");
                        reader.TemporalityPreference = MetricReaderTemporalityPreference.Delta;
                    }
                )
                .Build()
        )
        {
            meter
                .CreateCounter<long>("scans", "{scan}", "tickets read")
                .Add(12, new KeyValuePair<string, object?>("terminal", "Orra"));
            meter.CreateUpDownCounter<long>("open").Add(-2);
            meter.CreateObservableGauge("battery", () => 0.75, "1");
            var took = meter.CreateHistogram<double>("took", "s");
            foreach (var value in new[] { 0.05, 0.2, 0.7 })
                took.Record(value);
            meter.CreateHistogram<double>("size").Record(1.5);
            Assert.True(provider!.ForceFlush());
        }
        // The provider sends once more when it ends; the first of each name is what was measured.
        var all = _server.Get<MetricStore>().Read(Ever).GroupBy(m => m.Name).ToDictionary(g => g.Key, g => g.First());
        Assert.Equal(["battery", "open", "scans", "size", "took"], all.Keys.Order());
        var (scans, distribution) = (all["scans"], all["took"].Samples[0].Distribution!);
        Assert.Equal(
            ("{scan}", "tickets read", MetricKind.Sum, Temporality.Delta, true, 12.0, "Orra"),
            (
                scans.Unit,
                scans.Description,
                scans.Kind,
                scans.Temporality,
                scans.IsMonotonic,
                scans.Samples[0].Value.AsDouble,
                scans.Samples[0].Attributes.Get("terminal").AsText
            )
        );
        Assert.Equal(("gates", "7.3", "gate-t1"), (scans.Scope.Name, scans.Scope.Version, scans.Resource.Host.AsText));
        Assert.Equal((false, -2.0), (all["open"].IsMonotonic, all["open"].Samples[0].Value.AsDouble));
        Assert.Equal((MetricKind.Gauge, Value.Of(0.75)), (all["battery"].Kind, all["battery"].Samples[0].Value));
        Assert.Equal(
            (3UL, 0.95, 0.05, 0.7),
            (distribution.Count, Math.Round(distribution.Sum!.Value, 9), distribution.Min, distribution.Max)
        );
        Assert.Equal(
            "1 1 1 / 0.1 0.5",
            string.Join(' ', distribution.Counts)
                + " / "
                + string.Join(' ', distribution.Bounds.Select(b => b.ToString(System.Globalization.CultureInfo.InvariantCulture)))
        );
        Assert.NotEmpty(all["took"].Samples[0].Exemplars);
        var exponential = all["size"].Samples[0].Distribution!.Exponential!;
        Assert.Equal(
            (MetricKind.ExponentialHistogram, 1UL),
            (all["size"].Kind, exponential.Positive.Aggregate(0UL, (a, b) => a + b))
        );
    }

    [Theory]
    [InlineData("gRPC")]
    [InlineData("HTTP")]
    public void Spans_arrive_with_all_their_fields(string transport)
    {
        using var source = new ActivitySource("seats", "2");
        string trace;
        string parent;
        string child;
        using (
            Sdk.CreateTracerProviderBuilder()
                .SetResourceBuilder(Gate())
                .AddSource("seats")
                .AddOtlpExporter(e => To(e, transport, "/v1/traces"))
                .Build()
        )
        using (var outer = source.StartActivity("board", ActivityKind.Server)!)
        using (
            var inner = source.StartActivity(
                "claim",
                ActivityKind.Client,
                outer.Context,
                [new("seat", "12A"), new("tries", 2)],
                [new ActivityLink(outer.Context, new ActivityTagsCollection { ["why"] = "retry" })]
            )!
        )
        {
            (trace, parent, child) = (inner.TraceId.ToHexString(), outer.SpanId.ToHexString(), inner.SpanId.ToHexString());
            inner.AddEvent(new ActivityEvent("locked", tags: new ActivityTagsCollection { ["row"] = 9 }));
            inner.SetStatus(ActivityStatusCode.Error, "row locked");
        }
        var spans = _server.Get<SpanStore>().Spans(Ever).ToDictionary(s => s.SpanId);
        var (claim, board) = (spans[child], spans[parent]);
        Assert.Equal(
            (trace, parent, "claim", SpanKind.Client, SpanStatus.Error, "row locked"),
            (claim.TraceId, claim.ParentId, claim.Name, claim.Kind, claim.Status, claim.StatusMessage)
        );
        Assert.Equal(
            ("12A", Value.Of(2), "seats", "2", "gate-control"),
            (
                claim.Attributes.Get("seat").AsText,
                claim.Attributes.Get("tries"),
                claim.Scope.Name,
                claim.Scope.Version,
                claim.Resource.Service.AsText
            )
        );
        Assert.Equal(("locked", Value.Of(9)), (claim.Events[0].Name, claim.Events[0].Attributes.Get("row")));
        Assert.Equal(
            (trace, parent, "retry"),
            (claim.Links[0].TraceId, claim.Links[0].SpanId, claim.Links[0].Attributes.Get("why").AsText)
        );
        Assert.Equal((null, SpanKind.Server), (board.ParentId, board.Kind));
        Assert.True(board.Start <= claim.Start && claim.Start < claim.End && claim.End <= board.End);
    }
}
