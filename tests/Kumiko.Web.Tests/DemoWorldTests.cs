using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Storage.Templates;
using Kumiko.Demo;
using Kumiko.Demo.StandIns;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Truth;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;
using NodaTime;

namespace Kumiko.Web.Tests;

public sealed class DemoWorldTests : IDisposable
{
    private static readonly DateTimeOffset Evening = new(2026, 11, 23, 17, 30, 0, TimeSpan.Zero);

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    private static byte[] Written(Simulator simulator, DateTimeOffset from, DateTimeOffset until, params Play[] plays)
    {
        using var lines = new MemoryStream();
        simulator.Write(lines, from, until, plays);
        return lines.ToArray();
    }

    [Fact]
    public void The_same_seed_gives_the_same_world_in_whatever_pieces()
    {
        var whole = Written(new Simulator(7), Evening, Evening.AddMinutes(10));
        var pieces = Enumerable
            .Range(0, 20)
            .SelectMany(i => Written(new Simulator(7), Evening.AddSeconds(i * 30), Evening.AddSeconds((i + 1) * 30)));
        Assert.Equal(whole, pieces);
        for (var minute = 0; minute < 200; minute++)
            Assert.All(new Simulator(7).Records(Evening.AddMinutes(minute), []), r =>
                Assert.InRange(r.Time, Evening.AddMinutes(minute), Evening.AddMinutes(minute + 1).AddTicks(-1))
            );
        Assert.NotEqual(whole, Written(new Simulator(8), Evening, Evening.AddMinutes(10)));
    }

    [Fact]
    public void Twelve_services_have_three_hundred_lines_of_code()
    {
        Assert.Equal(12, Line.All.Select(t => t.Service).Distinct().Count());
        var lines = Line
            .All.Concat(Disturbances.All.SelectMany(d => d.Effects).Select(e => e.Line))
            .Select(l => l.Id)
            .Distinct()
            .Count();
        Assert.True(lines >= 300, $"{lines} lines of code");
        Assert.All(SkerryLine.Hosts.Values, hosts => Assert.InRange(hosts.Length, 2, 6));
        Assert.Contains(SkerryLine.Hosts.Values.SelectMany(h => h), h => SkerryLine.EnvironmentOf(h) == "rehearsal");
    }

    [Fact]
    public void Fourteen_days_hold_about_three_million_records_with_a_daily_and_a_weekly_rhythm()
    {
        double Day(DateTimeOffset midnight, Simulator simulator) =>
            Enumerable.Range(0, 24).Sum(h => simulator.Records(midnight.AddHours(h).AddMinutes(20), []).Count * 60.0);
        var simulator = new Simulator(1);
        var monday = new DateTimeOffset(2026, 11, 16, 0, 0, 0, TimeSpan.Zero);
        var days = Enumerable.Range(0, 7).Select(d => Day(monday.AddDays(d), simulator)).ToList();
        Assert.InRange(days.Sum() * 2, 2_400_000, 3_600_000);
        Assert.True(days[5] > days[1] * 1.05, "Saturday is fuller than Tuesday");
        Assert.True(
            simulator.Records(monday.AddHours(17.5), []).Count > simulator.Records(monday.AddHours(3), []).Count * 3,
            "the evening is far busier than the night"
        );
        Assert.InRange(Day(monday, new Simulator(1, 5)) / days[0], 4.5, 5.5);
    }

    [Fact]
    public void Every_kind_of_request_leaves_traces_that_agree_with_its_records()
    {
        // So few that every span is kept.
        var simulator = new Simulator(1, 0.25);
        var minutes = Enumerable.Range(-1, 40).Select(m => simulator.All(Evening.AddMinutes(m), [])).ToList();
        var spans = minutes.SelectMany(m => m.Spans).ToDictionary(s => s.SpanId);
        var entered = spans
            .Values.Where(s => s.ParentId is null)
            .Select(s => $"{s.Resource.Service.ToText()} {s.Name}")
            .ToHashSet();
        foreach (var gate in simulator.World.Graph.Gates.Where(g => g.Entry.PerMinute >= 0.5))
        {
            var node = simulator.World.Graph.Nodes[gate.Node];
            Assert.Contains($"{node.Of.Name} {node.Operation.Name}", entered);
        }
        Assert.Equal(
            ["acquirer", "booking-web", "fare-engine", "manifest", "payment-bridge", "seat-ledger", "tide-feed"],
            spans
                .Values.Where(s => s.Kind == SpanKind.Client)
                .Select(s => s.Attributes.Get("peer.service").ToText())
                .Distinct()
                .Where(s => s is not ("payroll" or "berth-planner"))
                .Order()
        );
        Assert.Contains(spans.Values, s =>
            s.Kind == SpanKind.Consumer && s.Attributes.Get("messaging.destination.name").ToText() == "notices"
        );
        var records = minutes.Skip(1).SelectMany(m => m.Records).Where(r => r.SpanId is not null).ToList();
        Assert.InRange(records.Count, 500, 5_000);
        Assert.All(records, r =>
        {
            var span = spans[r.SpanId!];
            Assert.Equal(
                (r.TraceId, r.Service, r.Host),
                (span.TraceId, span.Resource.Service.ToText(), span.Resource.Host.ToText())
            );
            Assert.InRange(Instants.FromDateTime(r.Time), span.Start - 100, span.End + 100);
        });
        // A request that failed says so in both.
        Assert.All(
            spans.Values.Where(s =>
                s.Kind == SpanKind.Server
                && s.Status == SpanStatus.Error
                && s.Start >= Instants.FromDateTime(Evening)
                && s.End < Instants.FromDateTime(Evening.AddMinutes(39))
            ),
            s => Assert.Contains(records, r => r.SpanId == s.SpanId)
        );
    }

    [Fact]
    public void Records_and_metrics_of_a_service_count_the_same_requests()
    {
        var simulator = new Simulator(2);
        var (from, until) = (Evening, Evening.AddHours(1));
        var outcomes = Line.All.Where(l => l.Beat is Beat.Done or Beat.Refused or Beat.Failed).Select(l => l.Id).ToHashSet();
        // Those that began before the hour and ended in it, and the other way round, are few and counted by both somewhere.
        var told = simulator
            .Between(from, until, [])
            .Where(r => r.SpanId is not null && outcomes.Contains(r.Line))
            .CountBy(r => r.Service)
            .ToDictionary();
        told["booking-web"] = AccessLog.Between(simulator, from, until, []).Count();
        var counted = new Measurements(simulator)
            .OfServices(from, until, [])
            .Where(m => m.Name == "http.server.request.count")
            .GroupBy(m => m.Resource.Service.ToText())
            .ToDictionary(g => g.Key, g => g.Sum(m => m.Samples.Sum(s => s.Value.AsDouble)));
        foreach (var service in SkerryLine.Hosts.Keys)
            Assert.Equal(counted[service], told[service], 3.0);
    }

    [Fact]
    public void Fourteen_days_leave_about_600_000_spans_that_say_what_they_stand_for()
    {
        var simulator = new Simulator(1);
        var monday = new DateTimeOffset(2026, 11, 16, 0, 0, 0, TimeSpan.Zero);
        var spans = Enumerable
            .Range(0, 7 * 24)
            .SelectMany(h => simulator.All(monday.AddHours(h).AddMinutes(20), []).Spans)
            .ToList();
        Assert.InRange(spans.Count * 60 * 2, 450_000, 800_000);
        Assert.All(spans, s => Assert.Equal(4, SamplingWeight.Of(s.TraceState)));
    }

    [Fact]
    public void A_disturbance_leaves_the_rest_of_the_world_as_it_is()
    {
        var simulator = new Simulator(1);
        foreach (var disturbance in Disturbances.All.Where(d => d.Alter is null))
        {
            // Memory that is kept is felt after minutes.
            Play[] plays = [new Play(disturbance, Evening.AddMinutes(disturbance.Number == 9 ? -20.5 : -25), null, 1)];
            ILookup<string, string> Bodies(Play[] of) => simulator.Records(Evening, of).ToLookup(r => r.Service, r => r.Body);
            var (with, without) = (Bodies(plays), Bodies([]));
            foreach (var service in SkerryLine.Hosts.Keys.Append(SkerryLine.RadioService))
            {
                var isTouched =
                    disturbance.Effects.Any(e => e.Line.Service == service)
                    || disturbance.Acts.Any(a => a.Service == service)
                    || Work(plays, service) != Work([], service);
                // tide-feed writes heights, and berth-planner reads them.
                if (!isTouched && !(disturbance.Number == 3 && service is "tide-feed" or "berth-planner"))
                    Assert.Equal(without[service], with[service]);
            }
            Assert.NotEqual(without.SelectMany(b => b), with.SelectMany(b => b));

            string Work(Play[] of, string service) =>
                string.Join(
                    '\n',
                    simulator
                        .World.Visits(Evening.AddMinutes(-1), of)
                        .Concat(simulator.World.Visits(Evening, of))
                        .Where(v => simulator.World.Graph.Nodes[v.Node].Of.Name == service)
                        .Select(v => $"{v.SpanId} {v.End} {v.Error} {v.Host}")
                );
        }
    }

    [Fact]
    public void The_clocks_of_two_kiosks_drift_and_come_back()
    {
        var play = new Play(Disturbances.Of(5), Evening, Evening.AddHours(1), 1);
        var simulator = new Simulator(1);
        var drifts = simulator
            .Records(Evening.AddMinutes(40), [play])
            .Where(r => r.Service == "kiosk-ui")
            .ToLookup(r => r.Host, r => r.Drift);
        Assert.All(drifts["kiosk-m1"], d => Assert.Equal(260, d.TotalSeconds));
        Assert.All(drifts["kiosk-t1"], d => Assert.Equal(-260, d.TotalSeconds));
        Assert.All(drifts["kiosk-h1"], d => Assert.Equal(TimeSpan.Zero, d));
        Assert.All(simulator.Records(Evening.AddMinutes(62), [play]), r => Assert.Equal(TimeSpan.Zero, r.Drift));
    }

    [Fact]
    public void A_consumer_scaled_away_is_silent_and_the_queue_grows_and_drains()
    {
        var play = new Play(Disturbances.Of(7), Evening, Evening.AddMinutes(30), 1);
        var simulator = new Simulator(1);
        Assert.DoesNotContain(simulator.Records(Evening.AddMinutes(10), [play]), r => r.Host == "notice-3");
        Assert.Contains(simulator.Records(Evening.AddMinutes(31), [play]), r => r.Host == "notice-3");
        Assert.InRange(new[] { play }.Waiting("notices", Evening.AddMinutes(30)), 1_700, 1_900);
        Assert.Equal(0, new[] { play }.Waiting("notices", Evening.AddMinutes(60)));
    }

    [Fact]
    public void A_disk_fills_in_two_days_and_is_tidied_after()
    {
        var play = new Play(Disturbances.Of(4), Evening, Evening.AddDays(2), 0.1);
        Assert.Equal(42, Manifest.Disk(Evening.AddMinutes(-1), [play]), 6);
        Assert.InRange(Manifest.Disk(Evening.AddDays(1), [play]), 68, 73);
        Assert.InRange(Manifest.Disk(Evening.AddDays(2), [play]), 98, 100);
        Assert.InRange(Manifest.Disk(Evening.AddDays(4), [play]), 42, 43);
    }

    public static TheoryData<int> Numbers => [.. Enumerable.Range(1, 9)];

    [Theory]
    [MemberData(nameof(Numbers))]
    public async Task The_truth_agrees_with_the_data(int number)
    {
        var disturbance = Disturbances.Of(number);
        var truth = new Truth(_folder);
        truth.Begin(number, Evening, Evening.AddMinutes(40), 1);
        var entry = Assert.Single(truth.Entries);
        using var store = new RecordStore(
            Path.Combine(_folder, "records.db"),
            TimeProvider.System,
            new RecordStoreOptions(Retention.None, Background: false)
        );
        foreach (
            var (from, until) in new[]
            {
                (Evening.AddMinutes(-20), Evening.AddMinutes(40)),
                (Evening.AddHours(26), Evening.AddHours(26.3)),
            }
        )
            await new LineIntake(store, TimeProvider.System).Take(
                new MemoryStream(Written(new Simulator(3, 0.3), from, until, [.. truth.Plays])),
                new LineWish("skerry-line"),
                CancellationToken.None
            );

        async Task<long> Count(DateTimeOffset from, DateTimeOffset until)
        {
            var window = new Window(Instants.FromDateTime(from), Instants.FromDateTime(until));
            using var run = new Run(
                new Question("test", QueryParser.Parse(entry.Sign), window, window.To, DateTimeZone.Utc, Limits.Default),
                store.Current
            );
            return (await run.Counts()).Records;
        }

        // Of the drift only the word at its start, of memory only the last words; of the rest a steady stream.
        Assert.True(
            await Count(entry.Start, entry.End!.Value)
                >= number switch
                {
                    5 => 2,
                    9 => 2,
                    7 or 8 => 5,
                    3 => 10,
                    _ => 20,
                },
            $"{await Count(entry.Start, entry.End.Value)} records of: {entry.Sign}"
        );
        Assert.Equal(0, await Count(entry.Start.AddMinutes(-20), entry.Start));
        Assert.Equal(0, await Count(Evening.AddHours(26), Evening.AddHours(27)));
        Assert.Equal(disturbance.Affected, entry.Affected);
    }

    /// <summary>The share of records whose pattern holds exactly the records of their line of code.</summary>
    [Fact]
    public void The_patterns_of_each_service_are_right_for_95_of_100_records()
    {
        var simulator = new Simulator(5);
        var midnight = new DateTimeOffset(2026, 11, 19, 0, 0, 0, TimeSpan.Zero);
        Play[] plays =
        [
            .. Disturbances.All.Select(d => new Play(
                d,
                midnight.AddHours(2 * d.Number),
                midnight.AddHours(1 + (2 * d.Number)),
                0.3
            )),
        ];
        var records = Enumerable.Range(0, 1440).SelectMany(m => simulator.Records(midnight.AddMinutes(m), plays)).ToList();
        var miner = new TemplateMiner();
        var templates = records.ConvertAll(r => miner.Find(r.Service, System.Text.Encoding.UTF8.GetBytes(r.Body), 0, []).Id);
        var book = new PatternBook(miner, []);
        foreach (
            var service in records
                .Select((r, i) => (r.Service, r.Line, Pattern: book.ValueOf(templates[i])))
                .GroupBy(r => r.Service)
        )
        {
            var ofLine = service.CountBy(r => r.Line).ToDictionary();
            var right = service
                .GroupBy(r => r.Pattern)
                .Where(g => g.Select(r => r.Line).Distinct().Count() == 1 && g.Count() == ofLine[g.First().Line])
                .Sum(g => g.Count());
            Assert.True(right >= 0.95 * service.Count(), $"{service.Key}: {right} of {service.Count()}");
        }
    }

    [Fact]
    public void The_truth_is_kept_apart_and_survives_a_restart()
    {
        var truth = new Truth(_folder);
        truth.Begin(1, Evening, null, 1);
        truth.Begin(6, Evening.AddDays(-2), Evening.AddDays(-1), 0.4);
        Assert.NotNull(new Truth(_folder).Open(1, Evening));
        Assert.Null(truth.Open(1, Evening.AddSeconds(-1)));
        Assert.Null(truth.Open(6, Evening));
        truth.RollBack(1, Evening.AddHours(1));
        var entry = new Truth(_folder).Entries[0];
        Assert.Equal((1, Evening, Evening.AddHours(1)), (entry.Disturbance, entry.Start, entry.End));
        Assert.Contains("seat-ledger", entry.Affected);
        Assert.Equal(Evening.AddDays(-1), new Truth(_folder).Entries[1].End);
    }

    [Fact]
    public void What_a_disturbance_did_is_written_beside_it_and_read_again()
    {
        var truth = new Truth(_folder);
        truth.Begin(9, Evening.AddHours(-6), Evening.AddHours(-5), 0.5);
        var told = new Teller(new Simulator(1).World).Of(Assert.Single(truth.Plays), Evening);
        truth.Tell(told);
        truth.Tell(told);
        var again = Assert.Single(new Truth(_folder).Told);
        Assert.Equal(
            ("berth-planner", told.Symptom, told.Paged, told.Back),
            (again.Entity, again.Symptom, again.Paged, again.Back)
        );
        Assert.Equal(["berth-planner", "notice-board"], again.Affected.Take(2).Select(a => a.Service));
        Assert.Equal(Sign.Memory, again.Affected[0].Signs[0]);
        Assert.Contains("gate-control", again.Innocent);
        Assert.Contains(Changes.Of(truth.Plays[0]), c => c.Id == again.Change);
        Assert.InRange((again.Paged!.Value - again.Start).TotalMinutes, 12, 25);
    }

    /// <summary>What comes of each is what the line's people say of it.</summary>
    [Theory]
    [InlineData(1, "gate-control")]
    [InlineData(2, "kiosk-ui")]
    [InlineData(3, "berth-planner")]
    [InlineData(8, "booking-web")]
    public void What_people_meet_first_is_where_the_line_would_meet_it(int number, string symptom)
    {
        var start = new DateTimeOffset(2026, 11, 18, 17, 0, 0, TimeSpan.Zero);
        var play = new Play(Disturbances.Of(number), start, start.AddMinutes(50), 1);
        var told = new Teller(new Simulator(1).World).Of(play, play.End!.Value);
        Assert.Equal(symptom, told.Symptom);
        Assert.Equal(play.Of.Service, told.Affected[0].Service);
    }

    [Theory]
    [InlineData("2026-11-23T23:30:00Z", -360, "UTC-06")]
    [InlineData("2026-11-23T03:10:20Z", -580, "UTC-09:40")]
    [InlineData("2026-11-23T17:30:00Z", 0, "UTC")]
    [InlineData("2026-11-23T05:30:00Z", 720, "UTC+12")]
    [InlineData("2026-11-23T08:47:59Z", 523, "UTC+08:43")]
    public void Whenever_the_demo_is_first_started_it_is_half_past_five_at_the_line(string at, int minutes, string id)
    {
        var clock = new FakeTimeProvider(DateTimeOffset.Parse(at, System.Globalization.CultureInfo.InvariantCulture));
        var zone = new LineZone(_folder, null, clock);
        Assert.Equal((minutes, id, 17, 30), ((int)zone.Offset.TotalMinutes, zone.Id, zone.Now.Hour, zone.Now.Minute));
        Assert.NotNull(NodaTime.DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone.Id));
        // Later starts go on with it.
        clock.Advance(TimeSpan.FromHours(7));
        Assert.Equal(zone.Offset, new LineZone(_folder, null, clock).Offset);
    }

    [Fact]
    public void A_demo_that_was_there_before_keeps_its_clock()
    {
        new Truth(_folder).Begin(1, Evening, null, 1);
        Assert.Equal(TimeSpan.Zero, new LineZone(_folder, null, new FakeTimeProvider(Evening.AddHours(5))).Offset);
    }

    [Fact]
    public async Task A_start_at_night_shows_the_evening_peak_and_the_disturbance_after_it_bites()
    {
        var clock = new FakeTimeProvider(new DateTimeOffset(2026, 11, 23, 23, 30, 0, TimeSpan.Zero));
        using var folder = DataFolder.TryOpen(_folder)!;
        await using var app = await DemoHost.Build(
            new DemoOptions
            {
                Data = _folder,
                Port = 0,
                Records = 300_000,
                History = TimeSpan.FromHours(30),
                Ahead = TimeSpan.FromHours(30),
            },
            folder,
            b => b.Services.AddSingleton<TimeProvider>(clock)
        );
        var (zone, truth) = (app.Services.GetRequiredService<LineZone>(), app.Services.GetRequiredService<Truth>());
        Assert.All(app.Services.GetRequiredService<PeopleStore>().All(), p => Assert.Equal("UTC-06", p.Zone));
        var now = zone.Now;
        var store = app.Services.GetRequiredService<RecordStore>().Current;
        int Written(DateTimeOffset from, DateTimeOffset to) =>
            store
                .NewestFirst(
                    new Core.Frames.Window(Instants.FromDateTime(from), Instants.FromDateTime(to)),
                    BatchTest.All,
                    null,
                    CancellationToken.None
                )
                .Count();
        // The quiet hours lie at the line's night.
        Assert.InRange(Written(now.AddHours(-3), now), 3 * Written(now.AddHours(-15), now.AddHours(-12)), int.MaxValue);
        var soon = Assert.Single(truth.Entries, e => e.Start > now);
        Assert.Equal(now.AddMinutes(4), soon.Start);
        var failures = new Measurements(app.Services.GetRequiredService<Simulator>())
            .OfServices(soon.Start.AddMinutes(1), soon.Start.AddMinutes(6), truth.Plays)
            .Where(m => m.Name == "skerry.payment.handshake.failures")
            .GroupBy(m => m.Resource.Host.ToText())
            .ToDictionary(g => g.Key, g => g.Sum(m => m.Samples.Sum(s => s.Value.AsDouble)));
        // The rule warns above 4 in five minutes.
        Assert.Equal(["pay-5", "pay-6"], failures.Where(f => f.Value > 4).Select(f => f.Key).Order());
    }

    [Fact]
    public async Task History_comes_whole_once_even_when_it_is_stopped_in_between()
    {
        var clock = new FakeTimeProvider(Evening.AddSeconds(20));
        DemoOptions Options() =>
            new()
            {
                Data = _folder,
                Port = 0,
                Records = 60_000,
                History = TimeSpan.FromDays(2),
                Ahead = TimeSpan.FromHours(9),
                Offset = TimeSpan.Zero,
            };
        using var folder = DataFolder.TryOpen(_folder)!;
        long ahead;
        await using (var first = await DemoHost.Build(Options(), folder, b => b.Services.AddSingleton<TimeProvider>(clock)))
            ahead = first.Services.GetRequiredService<RecordStore>().Count;
        await using var again = await DemoHost.Build(Options(), folder, b => b.Services.AddSingleton<TimeProvider>(clock));
        var store = again.Services.GetRequiredService<RecordStore>();
        Assert.Equal(ahead, store.Count);
        var filler = again.Services.GetRequiredService<HistoryFiller>();
        await filler.StartAsync(CancellationToken.None);
        await filler.ExecuteTask!;
        var truth = again.Services.GetRequiredService<Truth>();
        var (oldest, now) = (Simulator.Floor(clock.GetUtcNow() - TimeSpan.FromDays(2)), clock.GetUtcNow());
        Play[] plays = [.. truth.Plays];
        var expected =
            Written(new Simulator(1, 0.02), oldest, now, plays).Count(b => b == '\n')
            + AccessLog.Between(new Simulator(1, 0.02), oldest, now, plays).Count();
        Assert.InRange(ahead, 1, expected - 1);
        Assert.Equal(expected, store.Count);
        Assert.Empty(store.Refusals(10));
        var spans = new List<Span>();
        Assert.Equal(
            expected,
            new Simulator(1, 0.02).Between(oldest, now, plays, spans).Count()
                + AccessLog.Between(new Simulator(1, 0.02), oldest, now, plays).Count()
        );
        var every = new Window(0, long.MaxValue);
        Assert.Equal(spans.Count, again.Services.GetRequiredService<SpanStore>().Spans(every).Count());
        // What hosts measured is there from the oldest minute to the newest.
        var busy = again
            .Services.GetRequiredService<MetricStore>()
            .Read(every)
            .Where(m => m.Name == "system.cpu.utilization" && m.Resource.Host.ToText() == "berth-1")
            .SelectMany(m => m.Samples)
            .DistinctBy(s => s.Time)
            .Count();
        Assert.Equal(2 * 1440, busy, 2.0);
        Assert.Contains(truth.Entries, e => e.Start > clock.GetUtcNow());
    }

    [Fact]
    public void What_is_measured_goes_on_where_it_was_whatever_stretch_is_asked()
    {
        var whole = new Measurements(new Simulator(1)).Between(Evening, Evening.AddMinutes(6), []).ToDictionary(Key);
        var late = new Measurements(new Simulator(1)).Between(Evening.AddMinutes(4), Evening.AddMinutes(6), []).ToDictionary(Key);
        Assert.Equal(whole.Keys.Order(), late.Keys.Order());
        Assert.Equal(["Gauge", "Histogram", "Sum"], whole.Values.Select(m => m.Kind.ToString()).Distinct().Order());
        Assert.Equal(2 * SkerryLine.Terminals.Length, whole.Values.Count(m => m.Temporality == Temporality.Cumulative));
        foreach (var (name, metric) in whole)
            Assert.Equal(
                metric
                    .Samples.Where(s => s.Time >= late[name].Samples[0].Time)
                    .Select(s => (s.Time, s.Value, s.Distribution?.Sum)),
                late[name].Samples.Select(s => (s.Time, s.Value, s.Distribution?.Sum))
            );

        static string Key(Kumiko.Core.Records.Metric m) =>
            $"{m.Name} {Told(m.Resource.Attributes)} {Told(m.Samples[0].Attributes)}";
        static string Told(Attributes of) => string.Join(' ', of.Values.ToArray().Select(v => v.ToText()));
    }

    [Fact]
    public void Every_line_is_json_with_its_fields_as_attributes()
    {
        var lines = System
            .Text.Encoding.UTF8.GetString(
                Written(new Simulator(1), Evening, Evening.AddMinutes(5), new Play(Disturbances.Of(1), Evening, null, 1))
            )
            .TrimEnd()
            .Split('\n');
        Assert.All(lines, line => JsonDocument.Parse(line).Dispose());
        var refusal = JsonDocument.Parse(lines.First(l => l.Contains("seat already claimed"))).RootElement;
        foreach (var field in new[] { "terminal", "reason", "wait", "firmware", "ticket" })
            Assert.True(refusal.TryGetProperty(field, out _), field);
    }

    [Theory]
    [InlineData("{nothing}")]
    [InlineData("{int")]
    [InlineData("open }")]
    public void A_line_that_cannot_be_read_is_refused(string text) =>
        Assert.Throws<FormatException>(() => new LineFormat(text, Slots.Make));

    [Fact]
    public void A_slot_that_stands_twice_has_one_value()
    {
        var format = new LineFormat("{int 1 900} {{{int}}} {a|b|{int}}{? {?x} and {int2 1 900}}", Slots.Make);
        for (var seed = 0; seed < 50; seed++)
        {
            var text = new System.Text.StringBuilder();
            format.Write(new Draw(new Random(seed), Evening, "host", []), format.NewValues(), text);
            Assert.Matches(@"^(\d+) \{\1\} (a|b|\1)( (x)? and \d+)?$", text.ToString());
        }
    }
}
