using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Signals;
using Kumiko.Worlds.Topologies;
using Kumiko.Worlds.Truth;

namespace Kumiko.Worlds.Tests;

/// <summary>A world with a disturbance differs from the same one without where the truth says, and nowhere else.</summary>
public sealed class TruthTests
{
    private const int Minutes = 30;

    public static TheoryData<string, int, string> Cases
    {
        get
        {
            var cases = new TheoryData<string, int, string>();
            foreach (var name in TopologyFile.Names)
                for (var seed = 1; seed <= 2; seed++)
                    foreach (var (kind, _) in Kinds.All)
                        cases.Add(name, seed, kind);
            return cases;
        }
    }

    private static Play? PlayOf(Topology topology, string name, int seed, string kind)
    {
        var chance = Chance.Of(seed, name + kind);
        var start = new DateTimeOffset(2026, 11, 18, 10, 0, 0, TimeSpan.Zero).AddMinutes(Math.Floor(480 * chance.Unit(60)));
        return Kinds.All.Single(k => k.Name == kind).Make(topology, chance) is { } of
            ? new Play(of, start, start.AddMinutes(Minutes), 1)
            : null;
    }

    [Theory]
    [MemberData(nameof(Cases))]
    public void With_and_without_differ_where_the_truth_says_and_nowhere_else(string name, int seed, string kind)
    {
        var topology = TopologyFile.Named(name);
        Assert.SkipWhen(PlayOf(topology, name, seed, kind) is null, "this topology has no place for it");
        var play = PlayOf(topology, name, seed, kind)!;
        var truth = new Teller(new Simulation(topology, seed)).Of(play, play.End!.Value);

        Assert.NotEmpty(truth.Affected);
        Assert.Equal(truth.Affected.Select(a => a.Onset).Order(), truth.Affected.Select(a => a.Onset));
        Assert.All(truth.Affected, a =>
            Assert.InRange(a.Onset, Simulation.Floor(play.Start), play.End.Value + play.Of.Aftermath)
        );
        Assert.Equal(
            topology.Services.Where(s => s.Kind == PartyKind.Service).Select(s => s.Name).Order(),
            truth
                .Innocent.Concat(
                    truth.Affected.Select(a => a.Service).Where(a => topology.ServiceOf(a).Kind == PartyKind.Service)
                )
                .Order()
        );
        // Trouble goes along calls: down to whom less or more comes, up to who waits.
        var near = Near(topology, [play.Of.Service, .. play.Of.Acts.Select(a => a.Service)]);
        Assert.All(truth.Affected, a => Assert.Contains(a.Service, near));

        // Now the world as it is, by its frames, and not as many times more.
        var world = new Simulation(topology, seed, 3);
        var (from, until) = (play.Start.AddMinutes(-5), play.End.Value);
        var (with, without) = (Sums(world, from, until, [play]), Sums(world, from, until, []));
        foreach (var service in truth.Innocent)
        {
            var (a, b) = (with[service], without[service]);
            Assert.Equal(b.Requests, a.Requests, (b.Requests * 0.15) + 5);
            Assert.Equal(b.Failed / b.Requests, a.Failed / a.Requests, 0.02);
            Assert.Equal(Math.Exp(b.Logs / b.Requests), Math.Exp(a.Logs / a.Requests), Math.Exp(b.Logs / b.Requests) * 0.15);
        }
        foreach (var service in world.Instances.Services.Select(s => s.Name).Except(near))
            Assert.Equal(without[service], with[service]);
        Assert.Equal(Sums(world, from, play.Start, []), Sums(world, from, play.Start, [play]));
    }

    private static HashSet<string> Near(Topology topology, IEnumerable<string> of)
    {
        string Party(string name) =>
            topology.Feeds.FirstOrDefault(f => f.Name == name)?.Of
            ?? (topology.Queues.Any(q => q.Name == name) ? ConsumerOf(topology, name) : name);
        static string Callee(Call call) => call.To[..call.To.IndexOf(' ', StringComparison.Ordinal)];
        var up = of.Select(Party).ToHashSet();
        bool Grow(HashSet<string> set, bool callers)
        {
            var before = set.Count;
            foreach (var service in topology.Services)
            foreach (var callee in service.Operations.SelectMany(o => o.Calls).Select(Callee))
                if (set.Contains(callers ? callee : service.Name))
                    set.Add(callers ? service.Name : callee);
            return set.Count > before;
        }
        while (Grow(up, callers: true)) { }
        while (Grow(up, callers: false)) { }
        // What is busier is slower for all its callers.
        while (Grow(up, callers: true)) { }
        return up;
    }

    private static string ConsumerOf(Topology topology, string queue) =>
        topology.Services.SelectMany(s => s.Operations).SelectMany(o => o.Calls).First(c => c.Queue == queue).To.Split(' ')[0];

    private sealed record Figures(double Requests, double Failed, double Logs);

    private static Dictionary<string, Figures> Sums(
        Simulation world,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays
    ) =>
        WorldFrames
            .Hosts(world, from, until, plays, 5)
            .Rows.GroupBy(r => r[1].AsText)
            .ToDictionary(
                g => g.Key,
                g => new Figures(g.Sum(r => r[3].AsDouble), g.Sum(r => r[4].AsDouble), g.Sum(r => r[6].AsDouble))
            );

    [Fact]
    public void Before_it_begins_and_in_what_it_does_not_touch_everything_is_equal_to_the_last_digit()
    {
        var topology = TopologyFile.Named("night-post");
        var play = PlayOf(topology, "night-post", 1, "outside party slow")!;
        var world = new Simulation(topology, 1, 5);
        var far = world
            .Graph.Nodes.Select((n, i) => (n, i))
            .Where(n => n.n.Of.Name is "sorter" or "parcel-store")
            .Select(n => n.i)
            .ToHashSet();
        for (var minute = -3; minute < 10; minute++)
        {
            var at = play.Start.AddMinutes(minute);
            string Of(IReadOnlyList<Play> plays) =>
                SimulationTests.Written(world.Visits(at, plays).Where(v => minute < 0 || far.Contains(v.Node)));
            Assert.Equal(Of([]), Of([play]));
        }
    }

    [Fact]
    public void The_truth_of_a_short_time_out_names_its_change_and_the_minute_of_the_page()
    {
        var topology = TopologyFile.Named("skerry-line");
        var start = new DateTimeOffset(2026, 11, 18, 17, 0, 20, TimeSpan.Zero);
        var play = new Play(
            new Disturbance(1, "booking-web goes away too soon")
            {
                Service = "booking-web",
                What = "time-out to fare-engine",
                From = "2000 ms",
                To = "60 ms",
                Who = "Oluchi Brandt",
                Acts = [new Act(ActOn.TimeOut, "booking-web", 60) { Callee = "fare-engine" }],
            },
            start,
            start.AddMinutes(30),
            1
        );
        var truth = new Teller(new Simulation(topology, 1)).Of(play, play.End!.Value);
        Assert.Equal(("booking-web", "booking-web", true), (truth.Entity, truth.Symptom, truth.IsFault));
        Assert.Equal(Changes.Of(play).First().Id, truth.Change);
        Assert.InRange((truth.Paged!.Value - start).TotalMinutes, 0, 4);
        Assert.InRange((truth.Back!.Value - play.End.Value).TotalMinutes, 0, 3);
        Assert.Contains("gate-control", truth.Innocent);
        Assert.Equal("booking-web", truth.Affected[0].Service);
        Assert.Equal(
            ["time-out to fare-engine: 2000 ms → 60 ms", "time-out to fare-engine rolled back: 60 ms → 2000 ms"],
            Changes.Of(play).Select(c => $"{c.What}: {c.From} → {c.To}")
        );
    }

    [Fact]
    public void No_field_of_the_data_tells_the_truth()
    {
        var topology = TopologyFile.Named("kelp-works");
        foreach (var (kind, _) in Kinds.All)
        {
            if (PlayOf(topology, "kelp-works", 2, kind) is not { } play)
                continue;
            var world = new Simulation(topology, 2);
            var names = Names(world, play.Start, [play]).Except(Names(world, play.Start, [])).ToList();
            // What fails says with what, as in any system.
            Assert.All(names, n => Assert.Contains(n, new[] { "error.type", "http.request.resend_count" }));
            Assert.DoesNotContain(new Records(world).Of(play.Start.AddMinutes(2), [play]), r =>
                r.Body.Contains(play.Of.Cause, StringComparison.Ordinal)
            );
        }
    }

    private static HashSet<string> Names(Simulation world, DateTimeOffset from, IReadOnlyList<Play> plays)
    {
        var names = new HashSet<string>();
        var spans = new Spans(world);
        for (var minute = from; minute < from.AddMinutes(10); minute = minute.AddMinutes(1))
        {
            foreach (var span in spans.Of(world.Traces(minute, plays), new Sampler(0), minute, plays))
                names.UnionWith(span.Attributes.Names.ToArray().Concat(span.Resource.Attributes.Names.ToArray()));
            foreach (var record in new Records(world).Of(minute, plays))
                names.UnionWith(record.Attributes.Names.ToArray().Concat(record.Resource.Attributes.Names.ToArray()));
        }
        return names;
    }
}
