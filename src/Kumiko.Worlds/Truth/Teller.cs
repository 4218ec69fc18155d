using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Truth;

/// <summary>
/// Tells the truth of a play by making its world twice with the same chance, with it and without, and looking what differs: what
/// is untouched is equal to the last digit. The world is made with more requests than it has, so that minutes are judged
/// surely.
/// </summary>
public sealed class Teller(Simulation world)
{
    /// <summary>So many requests that every minute of every service is clear.</summary>
    private const double Scale = 12;

    /// <summary>More minutes than these are looked at in steps.</summary>
    private const int MostMinutes = 420;

    /// <summary>Minutes that are looked at together where one is not enough.</summary>
    private const int Together = 10;

    private static readonly TimeSpan Longest = TimeSpan.FromHours(6);
    private static readonly TimeSpan After = TimeSpan.FromMinutes(20);

    // What matters to people: the share that fails, how many times as long, seconds of delay.
    private const double FailedMatters = 0.03;
    private const double TimeMatters = 1.3;
    private const double DelayMatters = 90;

    private readonly Simulation _many = new(world.Topology, world.Seed, Scale) { EndOfHistory = world.EndOfHistory };

    private readonly Dictionary<string, int> _places = world
        .Topology.Services.Select((s, i) => (s.Name, Place: i))
        .ToDictionary(s => s.Name, s => s.Place);

    private sealed class Course
    {
        public DateTimeOffset? Onset;
        public DateTimeOffset? Last;
        public readonly Dictionary<Sign, (DateTimeOffset First, double Size)> Signs = [];
        public readonly HashSet<int> Hosts = [];
        public readonly Queue<(DateTimeOffset Minute, Ledger.Sums With, Ledger.Sums Without)> Latest = new();
    }

    /// <param name="play">What is played; others that go on beside it are not looked at.</param>
    /// <param name="known">Until when it is known what happens, for one without an end.</param>
    public WorldTruth Of(Play play, DateTimeOffset known)
    {
        var ends = play.End ?? (known - play.Start > Longest ? play.Start + Longest : known);
        var until = ends + play.Of.Fall + play.Of.Aftermath + After;
        var step = Math.Max(1, (int)((until - play.Start).TotalMinutes / MostMinutes));
        var courses = new Dictionary<int, Course>();
        string? symptom = null;
        DateTimeOffset? paged = null;
        var bad = new Dictionary<int, Queue<bool>>();
        for (var minute = Simulation.Floor(play.Start); minute < until; minute = minute.AddMinutes(step))
        {
            var (with, without) = (new Ledger(_many, minute, [play]), new Ledger(_many, minute, []));
            var paging = new List<int>();
            for (var s = 0; s < world.Topology.Services.Count; s++)
            {
                Compare(courses, s, minute, with, without);
                if (paged is null && minute < ends && IsPaged(bad, s, with, without))
                    paging.Add(s);
            }
            // Of those that page in one minute the one where most fails.
            if (paging.Count > 0)
            {
                var worst = paging.MaxBy(s => with.Entering(s).Failed - without.Entering(s).Failed);
                (symptom, paged) = (world.Topology.Services[worst].Name, minute);
            }
            Resources(courses, play, minute);
        }
        var affected = courses
            .Where(c => c.Value.Onset is not null)
            .Select(c => AffectedOf(c.Key, c.Value, until, step))
            .OrderBy(a => a.Onset)
            .ThenByDescending(a => a.Service == play.Of.Service)
            .ThenByDescending(a => world.Graph.DepthOf(a.Service))
            .ToList();
        var change = Changes.Of(play).FirstOrDefault();
        return new WorldTruth(
            play.Of.Number,
            play.Of.Cause,
            play.Of.IsFault,
            play.Of.Service,
            play.Of.Hosts,
            change?.Id,
            play.Start,
            play.End,
            affected.Count > 0 && affected.TrueForAll(a => a.Back is not null) ? affected.Max(a => a.Back) : null,
            affected,
            play.Of.IsFault ? symptom : null,
            play.Of.IsFault ? paged : null,
            [.. world.Instances.Services.Select(s => s.Name).Except(affected.Select(a => a.Service))],
            [.. Changes.Between(world, play.Start.AddDays(-1), ends, []).Select(c => c.Id)]
        );
    }

    private void Compare(Dictionary<int, Course> courses, int service, DateTimeOffset minute, Ledger with, Ledger without)
    {
        if (!courses.TryGetValue(service, out var course))
            courses.Add(service, course = new Course());
        var differences = Ledger.Differences(with.Of(service), without.Of(service)).ToList();
        var hosts = new List<int>();
        for (var h = 0; h < world.Topology.Services[service].Hosts.Count; h++)
        {
            var ofHost = Ledger.Differences(with.Of(service, h), without.Of(service, h)).Where(d => d.Size > 2).ToList();
            if (ofHost.Count > 0)
                hosts.Add(h);
            differences.AddRange(ofHost);
        }
        course.Latest.Enqueue((minute, with.Of(service), without.Of(service)));
        if (course.Latest.Count > Together)
            course.Latest.Dequeue();
        if (differences.Count > 0)
            Mark(course, minute, minute, differences, hosts);
        else
            CompareLatest(course);
    }

    /// <summary>What is too little to be clear in a minute: it began, and is over, where the two worlds are no longer
    /// equal.</summary>
    private static void CompareLatest(Course course)
    {
        var (with, without) = (default(Ledger.Sums), default(Ledger.Sums));
        foreach (var of in course.Latest)
            (with, without) = (with + of.With, without + of.Without);
        var differences = Ledger.Differences(with, without).ToList();
        if (differences.Count == 0)
            return;
        var unequal = course.Latest.Where(l => l.With != l.Without).Select(l => l.Minute).ToList();
        Mark(course, unequal[0], unequal[^1], differences, []);
    }

    private static void Mark(
        Course course,
        DateTimeOffset first,
        DateTimeOffset last,
        IEnumerable<(Sign Sign, double Size)> differences,
        IEnumerable<int> hosts
    )
    {
        course.Onset ??= first;
        course.Last = course.Last > last ? course.Last : last;
        foreach (var (sign, size) in differences)
            course.Signs[sign] = course.Signs.TryGetValue(sign, out var of) ? (of.First, of.Size + size) : (first, size);
        course.Hosts.UnionWith(hosts);
    }

    /// <summary>What no request tells: memory, disks, processors, values, clocks.</summary>
    private void Resources(Dictionary<int, Course> courses, Play play, DateTimeOffset minute)
    {
        foreach (var act in play.Of.Acts)
            if (SignOf(act.On) is { } sign && (play.Strength(act, minute) > 0 || IsFilled(play, act, minute)))
            {
                // A feed is its sender's.
                var name = act.On == ActOn.Feed ? world.Topology.Feeds.First(f => f.Name == act.Service).Of : act.Service;
                var place = _places[name];
                var hosts = world.Topology.Services[place].Hosts.Select((h, i) => (h.Name, Place: i));
                Mark(
                    courses[place],
                    minute,
                    minute,
                    [(sign, 1)],
                    act.Hosts is null ? [] : hosts.Where(h => act.Hosts.Contains(h.Name)).Select(h => h.Place)
                );
            }
    }

    private static Sign? SignOf(ActOn on) =>
        on switch
        {
            ActOn.Memory => Sign.Memory,
            ActOn.Disk => Sign.Disk,
            ActOn.Processor => Sign.Processor,
            ActOn.Feed => Sign.Values,
            ActOn.Clock => Sign.Clock,
            _ => null,
        };

    /// <summary>Whether a disk is still fuller than it was.</summary>
    private static bool IsFilled(Play play, Act act, DateTimeOffset minute) =>
        act.On == ActOn.Disk && new[] { play }.Filled(act.Service, 1, minute) > 0.01;

    private Affected AffectedOf(int service, Course course, DateTimeOffset until, int step)
    {
        var of = world.Topology.Services[service];
        var hosts = course.Hosts.Count < of.Hosts.Count ? course.Hosts.Order().Select(h => of.Hosts[h].Name) : [];
        var back = course.Last!.Value.AddMinutes(step);
        return new Affected(
            of.Name,
            [.. hosts],
            course.Onset!.Value,
            back >= until.AddMinutes(-step) ? null : back,
            [.. course.Signs.OrderBy(s => s.Value.First).ThenByDescending(s => s.Value.Size).Select(s => s.Key)]
        );
    }

    /// <summary>Whether what comes in at a service, or out of a queue, is beyond what matters in two of three minutes.</summary>
    private static bool IsPaged(Dictionary<int, Queue<bool>> bad, int service, Ledger with, Ledger without)
    {
        var (a, b) = (with.Entering(service), without.Entering(service));
        if (a.Requests + b.Requests < 8)
            return false;
        var (n, m) = (Math.Max(1, a.Requests), Math.Max(1, b.Requests));
        var isBad =
            (a.Failed / n) - (b.Failed / m) > FailedMatters
            || a.Seconds / n > TimeMatters * b.Seconds / m
            || (a.Waited / n) - (b.Waited / m) > DelayMatters;
        if (!bad.TryGetValue(service, out var last))
            bad.Add(service, last = new Queue<bool>());
        last.Enqueue(isBad);
        if (last.Count > 3)
            last.Dequeue();
        return isBad && last.Count(l => l) >= 2;
    }
}
