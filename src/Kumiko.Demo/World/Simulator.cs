using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Signals;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Demo.World;

/// <summary>What happens in one minute.</summary>
public sealed record Minute(List<SimulatedRecord> Records, List<Span> Spans);

/// <summary>
/// Writes what the services of Skerry Line would write: a record for each request that they answer, and what else they have to
/// say. Every minute has random sources of its own, made from the seed, so that the same seed gives the same minute whoever
/// asks and in whatever pieces.
/// </summary>
public sealed class Simulator
{
    /// <summary>Brings the rates of lines that hang on no request to about three million records in fourteen days.</summary>
    private const double Rates = 0.45;

    private const int Radio = 7_919;

    /// <summary>Of spans so many are kept that fourteen days have about 600 000 of them, or all of fewer.</summary>
    private const int HalvedAtScaleOne = 2;

    private static readonly ILookup<Beat, Line> Lines = Line.All.ToLookup(l => l.Beat);
    private static readonly ILookup<string, Line> OfRequests = Line.All.Where(l => l.Beat >= Beat.Done).ToLookup(l => l.Service);

    private readonly int _seed;
    private readonly double _scale;
    private readonly Spans _spans;
    private readonly Resources _resources;
    private readonly Dictionary<string, (Service Service, int Host)> _hosts;
    private readonly Dictionary<string, Service> _services;
    private readonly System.Collections.Concurrent.ConcurrentDictionary<
        (string Service, Beat Beat, string Of),
        List<Line>
    > _usual = new();

    /// <param name="scale">1 for about three million records in fourteen days.</param>
    /// <param name="endOfHistory">When the flag has been raised; null for none.</param>
    public Simulator(int seed, double scale = 1, DateTimeOffset? endOfHistory = null)
    {
        (_seed, _scale) = (seed, scale);
        World = new Simulation(SkerryLine.Topology, seed, scale) { EndOfHistory = endOfHistory ?? DateTimeOffset.MaxValue };
        _spans = new Spans(World);
        Sampler = new Sampler(Math.Max(0, (int)Math.Round(HalvedAtScaleOne + Math.Log2(scale))));
        _resources = new Resources(World);
        _hosts = SkerryLine
            .Topology.Services.SelectMany(s => s.Hosts.Select((h, i) => (h.Name, Service: s, Host: i)))
            .ToDictionary(h => h.Name, h => (h.Service, h.Host));
        _services = SkerryLine.Topology.Services.ToDictionary(s => s.Name);
    }

    /// <summary>The requests behind it all.</summary>
    public Simulation World { get; }

    /// <summary>Which spans are kept.</summary>
    public Sampler Sampler { get; }

    /// <summary>The records of one minute, in order of time.</summary>
    public List<SimulatedRecord> Records(DateTimeOffset minute, IReadOnlyList<Play> plays) => All(minute, plays).Records;

    /// <summary>Records of one minute in order of time, and spans of the requests that came in during it.</summary>
    public Minute All(DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var active = plays.Where(p => p.Touches(minute.AddMinutes(-1), minute.AddMinutes(1))).ToList();
        var random = new Random(Seeds.Of(_seed, minute.ToUnixTimeSeconds() / 60));
        var records = new List<SimulatedRecord>();
        // What began in the minute before may end in this one.
        var visits = World
            .Visits(minute.AddMinutes(-1), plays)
            .Concat(World.Visits(minute, plays))
            .Where(v => v.Host >= 0)
            .ToList();
        var byService = visits.ToLookup(v => World.Graph.Nodes[v.Node].Of.Name);
        var (from, until) = (Instants.FromDateTime(minute), Instants.FromDateTime(minute.AddMinutes(1)));
        foreach (var visit in visits)
            if ((visit.End >= from && visit.End < until) || visit.Calls.Exists(c => c.Error.Length > 0))
                records.AddRange(OfVisit(visit, minute, active));
        foreach (var line in Lines[Beat.Busy])
            Add(
                records,
                random,
                minute,
                line,
                null,
                line.PerMinute * Rates * _scale * World.Activity(_services[line.Service], minute),
                active,
                null,
                byService[line.Service]
            );
        foreach (var line in Lines[Beat.Steady])
            Add(records, random, minute, line, null, line.PerMinute * Rates * _scale, active, null, byService[line.Service]);
        Depart(records, random, minute, active);
        records.AddRange(Processes.In(this, minute, active));
        Disturb(records, minute, active, byService);
        // The radio has its own source of chance, so that all else is the same with and without it.
        var air = new Random(Seeds.Of(_seed + Radio, minute.ToUnixTimeSeconds() / 60));
        foreach (var line in Line.Radio)
            Add(
                records,
                air,
                minute,
                line,
                SkerryLine.Radios,
                line.PerMinute * Rates * _scale * (line.Beat == Beat.Busy ? SkerryLine.Busy(minute) : 1),
                active,
                null,
                []
            );
        records.RemoveAll(r => r.Time < minute || r.Time >= minute.AddMinutes(1));
        for (var i = 0; i < records.Count; i++)
            if (_hosts.TryGetValue(records[i].Host, out var at))
                records[i] = records[i] with { Process = _resources.ProcessOf(at.Service, at.Host, records[i].Time, active) };
        records.Sort((a, b) => a.Time.CompareTo(b.Time));
        return new Minute(records, [.. _spans.Of(World.Traces(minute, plays), Sampler, minute, plays)]);
    }

    /// <summary>The records of what one host did: what it missed, and how it ended.</summary>
    private IEnumerable<SimulatedRecord> OfVisit(Visit visit, DateTimeOffset minute, List<Play> plays)
    {
        var node = World.Graph.Nodes[visit.Node];
        var random = new Random((int)visit.Chance.Bits(700));
        foreach (var call in visit.Calls)
            if (call.Error.Length > 0)
            {
                var callee = World.Graph.Nodes[call.Callee].Of.Name;
                if (LineFor(node, visit, Beat.Missed, callee, call.End, minute, plays, random) is { } missed)
                    yield return missed;
            }
        var how = visit switch
        {
            { Error.Length: > 0 } => Beat.Failed,
            { IsRefused: true } => Beat.Refused,
            _ => Beat.Done,
        };
        if (LineFor(node, visit, how, node.Operation.Name, visit.End, minute, plays, random) is { } record)
            yield return record;
    }

    private SimulatedRecord? LineFor(
        Graph.Node node,
        Visit visit,
        Beat beat,
        string of,
        long at,
        DateTimeOffset minute,
        List<Play> plays,
        Random random
    )
    {
        var (time, host) = (TimeOf(at, minute), node.Of.Hosts[visit.Host].Name);
        Line? line = null;
        if (plays.Count > 0)
            line = Chosen(
                [
                    .. plays
                        .Where(p => p.Strength(time) > 0)
                        .SelectMany(p => Disturbances.Of(p.Of.Number).Effects)
                        .Where(e => e.Hosts is null || e.Hosts.Contains(host))
                        .Select(e => e.Line)
                        .Where(l => l.Service == node.Of.Name && l.IsOf(beat, of)),
                ],
                random
            );
        line ??= Chosen(Usual(node.Of.Name, beat, of), random);
        var draw = new Draw(random, time, host, plays) { Visit = visit, Operation = node.Operation.Name };
        return line?.Write(draw, visit.Trace.Id, visit.SpanId);
    }

    /// <summary>Lines for this very operation or callee, else those for any.</summary>
    private List<Line> Usual(string service, Beat beat, string of)
    {
        if (_usual.TryGetValue((service, beat, of), out var known))
            return known;
        var all = OfRequests[service].Where(l => l.IsOf(beat, of)).ToList();
        return _usual[(service, beat, of)] = all.Exists(l => l.Of != "*") ? all.FindAll(l => l.Of != "*") : all;
    }

    private static Line? Chosen(List<Line> lines, Random random)
    {
        if (lines.Count <= 1)
            return lines.Count == 0 ? null : lines[0];
        var at = random.NextDouble() * lines.Sum(l => l.PerMinute);
        return lines.Find(l => (at -= l.PerMinute) < 0);
    }

    private static DateTimeOffset TimeOf(long time, DateTimeOffset minute) =>
        minute.AddTicks((time - Instants.FromDateTime(minute)) / 100);

    private static void Depart(List<SimulatedRecord> records, Random random, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var now = (int)minute.TimeOfDay.TotalMinutes;
        foreach (var line in Lines[Beat.Sailing])
        foreach (var (_, departs) in SkerryLine.Timetable)
        {
            if (departs + (int)line.PerMinute != now)
                continue;
            var hosts = SkerryLine.Hosts[line.Service];
            records.Add(
                line.Write(
                    new Draw(random, minute.AddMilliseconds(random.Next(60_000)), hosts[random.Next(hosts.Length)], plays),
                    null,
                    null
                )
            );
        }
    }

    private void Disturb(List<SimulatedRecord> records, DateTimeOffset minute, List<Play> plays, ILookup<string, Visit> visits)
    {
        foreach (var play in plays)
        {
            var of = Disturbances.Of(play.Of.Number);
            // What a disturbance adds has its own source, so that all else stays the same without it.
            var extra = new Random(
                Seeds.Of(_seed + of.Number, play.Start.ToUnixTimeSeconds() ^ (minute.ToUnixTimeSeconds() / 60))
            );
            var strength = Math.Max(
                play.Strength(minute),
                Math.Max(play.Strength(minute.AddSeconds(30)), play.Strength(minute.AddSeconds(59)))
            );
            foreach (var (line, hosts, share) in of.Effects.Where(e => e.Line.Beat is Beat.Busy))
            {
                var rate = line.PerMinute * play.Intensity * _scale * (share?.Invoke(minute, plays) ?? 1);
                if (strength > 0 && rate > 0)
                    Add(records, extra, minute, line, hosts, rate, plays, play, visits[line.Service]);
            }
            if (of.Alter is { } alter)
                for (var i = records.Count - 1; i >= 0; i--)
                {
                    if (records[i].Service != of.Alters)
                        continue;
                    if (alter(records[i], play) is { } altered)
                        records[i] = altered;
                    else
                        records.RemoveAt(i);
                }
            records.AddRange(of.Tell(play, minute, minute.AddMinutes(1)));
        }
    }

    /// <summary>A stretch of minutes as newline-delimited JSON.</summary>
    /// <returns>How many records were written.</returns>
    /// <param name="spans">Receives the spans of that stretch.</param>
    public int Write(Stream to, DateTimeOffset from, DateTimeOffset until, IReadOnlyList<Play> plays, List<Span>? spans = null)
    {
        using var lines = new LineWriter(to);
        var count = 0;
        foreach (var record in Between(from, until, plays, spans))
        {
            lines.Write(record);
            count++;
        }
        return count;
    }

    /// <summary>What is written in a stretch of time, minute by minute in order of time.</summary>
    /// <param name="spans">Receives the spans that ended in that stretch.</param>
    public IEnumerable<SimulatedRecord> Between(
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        List<Span>? spans = null
    )
    {
        var (first, last) = (Instants.FromDateTime(from), Instants.FromDateTime(until));
        var before = spans is null ? [] : SpansOf(Floor(from).AddMinutes(-1), plays);
        for (var minute = Floor(from); minute < until; minute = minute.AddMinutes(1))
        {
            var all = All(minute, plays);
            // A span is sent when it ends.
            spans?.AddRange(
                before.Concat(all.Spans).Where(s => s.End >= first && s.End < last && s.End >= Instants.FromDateTime(minute))
            );
            before = all.Spans;
            foreach (var record in all.Records)
                if (record.Time >= from && record.Time < until)
                    yield return record;
        }
    }

    private List<Span> SpansOf(DateTimeOffset minute, IReadOnlyList<Play> plays) =>
        [.. _spans.Of(World.Traces(minute, plays), Sampler, minute, plays)];

    /// <summary>The full minute, on the same clock.</summary>
    public static DateTimeOffset Floor(DateTimeOffset time) => Simulation.Floor(time);

    private void Add(
        List<SimulatedRecord> records,
        Random random,
        DateTimeOffset minute,
        Line line,
        string[]? hosts,
        double rate,
        IReadOnlyList<Play> plays,
        Play? play,
        IEnumerable<Visit> visits
    )
    {
        for (var n = Poisson(random, rate); n > 0; n--)
        {
            var time = minute.AddMilliseconds(random.Next(60_000));
            var host = hosts is null ? HostOf(line.Service, random.NextDouble()) : hosts[random.Next(hosts.Length)];
            var (kept, traced) = (random.NextDouble(), random.NextDouble());
            var within = line.IsTraced && traced < 0.8 ? Within(visits, host, time) : null;
            var draw = new Draw(random, time, host, plays);
            var record = line.Write(draw, within?.Trace.Id, within?.SpanId);
            if (play is null || kept < play.Strength(time))
                records.Add(record);
        }
    }

    /// <summary>A request that the host was at then; null where it was at none.</summary>
    private Visit? Within(IEnumerable<Visit> visits, string host, DateTimeOffset time)
    {
        var at = Instants.FromDateTime(time);
        foreach (var visit in visits)
            if (visit.Start <= at && at <= visit.End && World.Graph.Nodes[visit.Node].Of.Hosts[visit.Host].Name == host)
                return visit;
        return null;
    }

    /// <summary>A host by its share of the work.</summary>
    private string HostOf(string service, double at)
    {
        var hosts = _services[service].Hosts;
        at *= hosts.Sum(h => h.Share);
        foreach (var host in hosts)
            if ((at -= host.Share) < 0)
                return host.Name;
        return hosts[^1].Name;
    }

    /// <summary>Knuth's method for small means, a normal one for large.</summary>
    private static int Poisson(Random random, double mean)
    {
        if (mean > 60)
        {
            var normal = Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
            return Math.Max(0, (int)Math.Round(mean + (Math.Sqrt(mean) * normal)));
        }
        var limit = Math.Exp(-mean);
        var count = 0;
        for (var product = random.NextDouble(); product > limit; product *= random.NextDouble())
            count++;
        return count;
    }
}
