using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Signals;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Tests;

public sealed class SignalTests
{
    private static readonly DateTimeOffset Morning = new(2026, 11, 18, 7, 0, 0, TimeSpan.FromHours(2));

    public static TheoryData<string> Names => [.. TopologyFile.Names];

    [Theory]
    [MemberData(nameof(Names))]
    public void Figures_by_service_from_records_spans_and_metrics_agree(string name)
    {
        var world = new Simulation(TopologyFile.Named(name), 4, 3);
        var sampler = new Sampler(2);
        var (from, until) = (Morning, Morning.AddHours(1));
        var (spans, failedSpans) = (new Dictionary<string, double>(), new Dictionary<string, double>());
        var (records, failedRecords) = (new Dictionary<string, double>(), new Dictionary<string, double>());
        static void Add(Dictionary<string, double> to, string key, double value) => to[key] = to.GetValueOrDefault(key) + value;
        var (traced, words) = (new Spans(world), new Records(world));
        for (var minute = from.AddMinutes(-1); minute < until; minute = minute.AddMinutes(1))
            foreach (var span in traced.Of(world.Traces(minute, []), sampler, minute, []))
                if (
                    span.Kind is SpanKind.Server or SpanKind.Consumer
                    && span.Start >= Instants.FromDateTime(from)
                    && span.Start < Instants.FromDateTime(until)
                )
                {
                    Assert.Equal(SamplingWeight.Of(span.TraceState), sampler.Weight);
                    Add(spans, span.Resource.Service.AsText, sampler.Weight);
                    Add(failedSpans, span.Resource.Service.AsText, span.Status == SpanStatus.Error ? sampler.Weight : 0);
                }
        for (var minute = from; minute < until; minute = minute.AddMinutes(1))
            foreach (var record in words.Of(minute, []))
                if (record.SpanId is not null && record.SeverityText != "warn")
                {
                    Add(records, record.Resource.Service.AsText, 1);
                    Add(failedRecords, record.Resource.Service.AsText, record.SeverityText == "error" ? 1 : 0);
                }
        var (metrics, failedMetrics) = (new Dictionary<string, double>(), new Dictionary<string, double>());
        foreach (
            var metric in new RequestMetrics(world).Between(from, until, []).Where(m => m.Name == "http.server.request.duration")
        )
        foreach (var sample in metric.Samples)
        {
            Add(metrics, metric.Resource.Service.AsText, sample.Distribution!.Count);
            Add(failedMetrics, metric.Resource.Service.AsText, sample.Attributes.Count > 0 ? sample.Distribution.Count : 0);
        }
        Assert.Equal(records, metrics);
        Assert.Equal(failedRecords, failedMetrics);
        // Of n that are kept one in four, the estimate strays by the square root of 3 n; requests of one trace go together.
        foreach (var (service, count) in metrics)
        {
            Assert.InRange(
                spans.GetValueOrDefault(service),
                count - (8 * Math.Sqrt(3 * count)),
                count + (8 * Math.Sqrt(3 * count))
            );
            Assert.InRange(
                failedSpans.GetValueOrDefault(service),
                0,
                failedMetrics[service] + (12 * Math.Sqrt(3 * failedMetrics[service])) + 4
            );
        }
    }

    [Theory]
    [InlineData(0, "")]
    [InlineData(1, "ot=th:8")]
    [InlineData(2, "ot=th:c")]
    [InlineData(3, "ot=th:e")]
    [InlineData(5, "ot=th:f8")]
    public void A_sampler_says_what_it_keeps(int halvings, string state)
    {
        var sampler = new Sampler(halvings);
        Assert.Equal(state, sampler.TraceState);
        var kept = Enumerable.Range(0, 40_000).Count(i => sampler.Keeps(new Trace(Chance.Of(i, "t"))));
        Assert.Equal(40_000 / sampler.Weight, kept, 4 * Math.Sqrt(40_000 / sampler.Weight));
    }

    [Fact]
    public void The_time_of_processors_is_all_there_and_follows_what_there_is_to_do()
    {
        var topology = TopologyFile.Named("skerry-line");
        var world = new Simulation(topology, 1);
        var metrics = new HostMetrics(world)
            .Between(Morning.AddHours(-4), Morning.AddHours(2), [])
            .ToLookup(m => (m.Name, Host: m.Resource.Host.ToText()));
        foreach (var host in topology.Services.SelectMany(s => s.Hosts))
        {
            var time = Assert.Single(metrics[("system.cpu.time", host.Name)]);
            Assert.All(time.Samples.GroupBy(s => s.Time), g =>
                Assert.Equal(60.0 * host.Cores, g.Sum(s => s.Value.AsDouble), 0.2)
            );
            var memory = Assert.Single(metrics[("system.memory.usage", host.Name)]);
            Assert.All(memory.Samples.GroupBy(s => s.Time), g =>
                Assert.Equal(host.Memory * (1L << 30), g.Sum(s => s.Value.AsDouble), 10.0)
            );
            var busy = Assert.Single(metrics[("system.cpu.utilization", host.Name)]).Samples;
            var processes = metrics[("process.cpu.utilization", host.Name)]
                .SelectMany(m => m.Samples)
                .ToLookup(s => s.Time, s => s.Value.AsDouble);
            Assert.All(busy, s => Assert.InRange(processes[s.Time].Sum(), 0, s.Value.AsDouble));
        }
        double At(string host, double hours) =>
            metrics[("system.cpu.utilization", host)]
                .Single()
                .Samples.Where(s => s.Time >= Instants.FromDateTime(Morning.AddHours(hours)))
                .Take(30)
                .Average(s => s.Value.AsDouble);
        Assert.True(At("booking-1", 0.5) > 2 * At("booking-1", -4));
        Assert.True(At("booking-4", 0.5) > 1.2 * At("booking-1", 0.5), "one host is always slower");
        // The vacuum of the night.
        Assert.True(At("ledger-3", -4) > At("ledger-3", -3.2) || At("ledger-3", -4.0) > 0.2);
    }

    [Fact]
    public void A_missing_consumer_makes_what_waits_grow_and_others_go_on()
    {
        var topology = TopologyFile.Named("skerry-line");
        var play = new Play(
            new Disturbance(1, "gone")
            {
                Service = "notice-board",
                Hosts = ["notice-3"],
                Rise = TimeSpan.Zero,
                Aftermath = TimeSpan.FromHours(1),
                Acts = [new Act(ActOn.Hosts, "notice-board", 1) { Hosts = ["notice-3"] }, new Act(ActOn.Queue, "notices", 60)],
            },
            Morning,
            Morning.AddMinutes(30),
            1
        );
        var world = new Simulation(topology, 1, 10);
        var visits = Enumerable.Range(0, 25).SelectMany(m => world.Visits(Morning.AddMinutes(m), [play])).ToList();
        var board = topology.Services.ToList().FindIndex(s => s.Name == "notice-board");
        Assert.DoesNotContain(visits, v => world.Graph.Nodes[v.Node].Service == board && v.Host == 2);
        var late = visits.Last(v => v.By?.Call.Queue == "notices");
        Assert.InRange((late.Start - late.By!.End) / (double)Instants.Second, 45, 90);
        var queue = new RequestMetrics(world)
            .Gauges(Morning, Morning.AddMinutes(31), [play])
            .First(m => m.Name == "skerry.notice.queue");
        Assert.InRange(queue.Samples[^1].Value.AsDouble, 1_790, 1_830);
        Assert.InRange(queue.Samples[0].Value.AsDouble, 0, 20);
    }

    [Fact]
    public async Task A_world_is_written_into_stores_as_if_it_had_been_sent()
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
        try
        {
            using var records = new RecordStore(
                Path.Combine(folder, "records.db"),
                TimeProvider.System,
                new RecordStoreOptions(Retention.None, Background: false)
            );
            using var metrics = new MetricStore(records, TimeProvider.System);
            var spans = new SpanStore(records);
            var world = new Simulation(TopologyFile.Named("night-post"), 1);
            var (from, until) = (Morning, Morning.AddHours(10));
            await WorldFolder.Write(world, from, until, [], new Sampler(1), 5, records, spans, metrics);
            var window = new Core.Frames.Window(Instants.FromDateTime(from), Instants.FromDateTime(until) + Instants.Minute);
            var expected = Enumerable.Range(0, 600).Sum(m => new Records(world).Of(from.AddMinutes(m), []).Count());
            Assert.Equal(expected, records.Count);
            var traces = Enumerable
                .Range(0, 600)
                .SelectMany(m => world.Traces(from.AddMinutes(m), []))
                .Where(new Sampler(1).Keeps);
            Assert.Equal(
                traces.SelectMany(t => t.Visits).Where(v => v.Host >= 0).Sum(v => 1 + v.Calls.Count),
                spans.Spans(new Core.Frames.Window(window.From, long.MaxValue)).Count()
            );
            Assert.Contains(metrics.Read(window), m => m.Name == "post.scans.waiting");
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }
}
