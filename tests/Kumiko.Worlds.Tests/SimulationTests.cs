using System.Globalization;
using System.IO.Hashing;
using System.Text;
using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Tests;

public sealed class SimulationTests
{
    private static readonly DateTimeOffset Evening = new(2026, 11, 18, 17, 30, 0, TimeSpan.FromHours(-6));

    public static TheoryData<string> Names => [.. TopologyFile.Names];

    internal static string Written(IEnumerable<Visit> visits)
    {
        var text = new StringBuilder();
        foreach (var v in visits)
            text.Append(
                CultureInfo.InvariantCulture,
                $"{v.Trace.Id} {v.SpanId} {v.Node} {v.Host} {v.Start} {v.End} {v.Error} {v.Calls.Count}\n"
            );
        return text.ToString();
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void A_minute_is_the_same_whenever_it_is_asked(string name)
    {
        var forth = new Simulation(TopologyFile.Named(name), 7, 2);
        var back = new Simulation(TopologyFile.Named(name), 7, 2);
        var minutes = Enumerable.Range(0, 12).Select(m => Evening.AddMinutes(m)).ToList();
        var one = minutes.ConvertAll(m => Written(forth.Visits(m, [])));
        var other = Enumerable.Reverse(minutes).Select(m => Written(back.Visits(m, []))).Reverse();
        Assert.Equal(one, other);
        Assert.NotEqual(one[0], Written(new Simulation(TopologyFile.Named(name), 8, 2).Visits(Evening, [])));
    }

    /// <summary>Seeds give the same world on any machine: a change of these numbers is a change of every world.</summary>
    [Theory]
    [InlineData("skerry-line", 1)]
    [InlineData("skerry-line", 2)]
    [InlineData("kelp-works", 1)]
    [InlineData("kelp-works", 2)]
    [InlineData("night-post", 1)]
    [InlineData("night-post", 2)]
    public void A_seed_gives_the_same_world_on_any_machine(string name, int seed)
    {
        var world = new Simulation(TopologyFile.Named(name), seed, 3);
        // Ids, operations and hosts hang on no rounding of the machine's logarithms.
        var text = new StringBuilder();
        foreach (var visit in world.Visits(Evening, []).OrderBy(v => v.SpanId, StringComparer.Ordinal))
            text.Append(CultureInfo.InvariantCulture, $"{visit.Trace.Id} {visit.SpanId} {visit.Node} {visit.Host}\n");
        var sum = XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(text.ToString())).ToString("x16", CultureInfo.InvariantCulture);
        Assert.Equal(Sums[(name, seed)], sum);
    }

    private static readonly Dictionary<(string, int), string> Sums = new()
    {
        [("skerry-line", 1)] = "0bfced9eebc18fe7",
        [("skerry-line", 2)] = "a6fa055e8227d758",
        [("kelp-works", 1)] = "01c007903e2e6389",
        [("kelp-works", 2)] = "72359b0aaf714752",
        [("night-post", 1)] = "60ce55343bab73e7",
        [("night-post", 2)] = "c4db395ebf6a146c",
    };

    [Theory]
    [MemberData(nameof(Names))]
    public void Callees_work_within_their_callers_unless_somebody_went_away(string name)
    {
        var world = new Simulation(TopologyFile.Named(name), 3, 5);
        for (var minute = 0; minute < 5; minute++)
            foreach (var visit in world.Traces(Evening.AddMinutes(minute), []).SelectMany(t => t.Visits))
            {
                Assert.True(visit.End > visit.Start);
                foreach (var call in visit.Calls)
                {
                    Assert.InRange(call.Start, visit.Start, visit.End);
                    Assert.InRange(call.End, call.Start, visit.End);
                    if (call.Answer is { } answer && call.Call.Queue.Length == 0)
                    {
                        Assert.True(answer.Start > call.Start);
                        Assert.True(call.Error == "timeout" || answer.End < call.End);
                        Assert.Equal(answer.Error.Length > 0 || call.Error == "timeout", call.Error.Length > 0);
                    }
                }
                if (visit.FailedBy is { } by)
                    Assert.True(by.Error.Length > 0 && !by.Call.IsOptional);
            }
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void Minutes_part_all_visits_among_them(string name)
    {
        var world = new Simulation(TopologyFile.Named(name), 3, 4);
        var seen = new HashSet<string>();
        for (var minute = 0; minute < 8; minute++)
            foreach (var visit in world.Visits(Evening.AddMinutes(minute), []))
            {
                Assert.True(seen.Add(visit.SpanId));
                Assert.InRange(
                    visit.Start,
                    Instants.FromDateTime(Evening.AddMinutes(minute)),
                    Instants.FromDateTime(Evening.AddMinutes(minute + 1)) - 1
                );
            }
        var all = Enumerable.Range(0, 7).SelectMany(m => world.Traces(Evening.AddMinutes(m), []).SelectMany(t => t.Visits));
        Assert.All(all, v => Assert.Contains(v.SpanId, seen));
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void A_day_brings_what_the_topology_says(string name)
    {
        var world = new Simulation(TopologyFile.Named(name), 5);
        var midnight = new DateTimeOffset(2026, 11, 18, 0, 0, 0, TimeSpan.Zero);
        var counts = new double[world.Graph.Nodes.Count];
        for (var minute = 0; minute < 1440; minute++)
            foreach (var visit in world.Traces(midnight.AddMinutes(minute), []).SelectMany(t => t.Visits))
                counts[visit.Node]++;
        for (var node = 0; node < counts.Length; node++)
            // One day of the week, noise of a day, retries and failures.
            Assert.InRange(counts[node] / 1440 / world.Graph.Means[node], 0.4, 1.7);
    }

    [Fact]
    public void Hosts_differ_and_processes_come_and_go()
    {
        var topology = TopologyFile.Named("skerry-line");
        var world = new Simulation(topology, 1, 30);
        double Median(string host)
        {
            var service = topology.ServiceOf("booking-web");
            var at = world.Graph.Find("booking-web", "GET /");
            var times = Enumerable
                .Range(0, 10)
                .SelectMany(m => world.Visits(Evening.AddMinutes(m), []))
                .Where(v => v.Node == at && service.Hosts[v.Host].Name == host)
                .Select(v => v.Milliseconds)
                .Order()
                .ToList();
            return times[times.Count / 2];
        }
        Assert.InRange(Median("booking-4") / Median("booking-1"), 1.3, 1.8);
        var starts = new HashSet<(string, DateTimeOffset)>();
        foreach (var service in world.Instances.Services)
            for (var host = 0; host < service.Hosts.Count; host++)
            for (var hour = 0; hour < 14 * 24; hour++)
            {
                var instance = world.Instances.At(service, host, Evening.AddHours(hour), []);
                Assert.True(instance.Start <= Evening.AddHours(hour));
                starts.Add((service.Hosts[host].Name, instance.Start));
            }
        Assert.InRange(starts.Count, 80, 300);
    }

    [Fact]
    public void A_flag_is_raised_in_steps()
    {
        var world = new Simulation(TopologyFile.Named("skerry-line"), 1, 20) { EndOfHistory = Evening.AddDays(10) };
        double Share(double daysAgo)
        {
            var flags = Enumerable
                .Range(0, 10)
                .SelectMany(m => world.Traces(world.EndOfHistory.AddDays(-daysAgo).AddMinutes(m), []))
                .Where(t => t.Flag is not null)
                .ToList();
            return flags.Count(t => t.Flag!.Value.IsOn) / (double)flags.Count;
        }
        Assert.Equal(0, Share(9));
        Assert.Equal(0.125, Share(7), 0.08);
        Assert.Equal(0.5, Share(5), 0.12);
        Assert.Equal(1, Share(1));
        var steps = Changes
            .Between(world, world.EndOfHistory.AddDays(-10), world.EndOfHistory, [])
            .Where(c => c.Kind == "flag")
            .ToList();
        Assert.Equal(["off → 12.5 %", "12.5 % → 50 %", "50 % → 100 %"], steps.Select(c => $"{c.From} → {c.To}"));
        Assert.Single(steps.Select(c => c.RollOut).Distinct());
    }

    [Fact]
    public void What_a_process_keeps_ends_it_again_and_again()
    {
        var topology = TopologyFile.Named("skerry-line");
        var service = topology.ServiceOf("berth-planner");
        var play = new Play(
            new Disturbance(1, "kept")
            {
                Service = "berth-planner",
                Kind = "deploy",
                Acts = [new Act(ActOn.Memory, "berth-planner", 40)],
            },
            Evening,
            Evening.AddHours(2),
            1
        );
        var instances = new Instances(topology, 1);
        Instance At(double minutes) => instances.At(service, 0, Evening.AddMinutes(minutes), [play]);
        double Memory(double minutes) => Instances.MemoryAt(At(minutes), service, Evening.AddMinutes(minutes)).Memory;
        Assert.Equal(service.Memory, Memory(-1));
        Assert.Equal(service.Memory + 400, Memory(10), 0.1);
        Assert.Equal(service.MemoryLimit, Memory(25.5), 0.1);
        Assert.Equal(25.4, (instances.EndsIn(service, 0, Evening.AddMinutes(25), [play])!.Value - Evening).TotalMinutes, 6);
        Assert.Equal(Instances.MemoryOut, At(27).Why);
        Assert.Equal(25.4 + Instances.Down.TotalMinutes, (At(27).Start - Evening).TotalMinutes, 6);
        Assert.Equal((Instances.Release, service.Memory), (At(121).Why, Memory(121)));
    }
}
