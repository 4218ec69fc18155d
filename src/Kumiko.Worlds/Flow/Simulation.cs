using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Flow;

/// <summary>
/// A made-up system at work: every request of every minute, from where it enters down to the last callee. A minute can be asked
/// at any time and is always the same for the same seed and plays; what plays do not touch is the same with them and without.
/// </summary>
/// <param name="topology">What there is.</param>
/// <param name="seed">Of all chance.</param>
/// <param name="scale">How many times as many requests as the topology says.</param>
public sealed class Simulation(Topology topology, int seed, double scale = 1)
{
    /// <summary>The longest that a queue keeps a message, minutes.</summary>
    private const int LongestWait = 30;

    /// <summary>Minutes that are kept for who asks again, of a world of scale 1.</summary>
    private const int MostKept = 512;

    private readonly Dictionary<string, Chance> _strays = topology.Services.ToDictionary(
        s => s.Name,
        s => Chance.Of(seed, "stray " + s.Name)
    );
    private readonly int _kept = (int)Math.Clamp(MostKept / scale, 4, MostKept);
    private readonly Dictionary<(long Minute, TimeSpan Clock, string Plays), IReadOnlyList<Trace>> _traces = [];
    private readonly Dictionary<(long Minute, TimeSpan Clock, string Plays), IReadOnlyList<Visit>> _visits = [];
    private readonly Lock _lock = new();

    public Topology Topology => topology;
    public int Seed => seed;
    public double Scale => scale;
    public Graph Graph { get; } = new(topology);
    public Instances Instances { get; } = new(topology, seed);

    /// <summary>When flags are raised is counted back from here.</summary>
    public DateTimeOffset EndOfHistory { get; init; } = DateTimeOffset.MaxValue;

    /// <summary>How far the rate of a service strays from its rhythm at a time: 1 on average, with a memory.</summary>
    public double Stray(Service service, DateTimeOffset minute) =>
        Math.Exp(service.Noise * Noise.At(_strays[service.Name], minute.ToUnixTimeSeconds() / 60.0));

    /// <summary>How busy a service is by its own rhythm and noise, 1 on average.</summary>
    public double Activity(Service service, DateTimeOffset minute) =>
        (topology.Rhythms.FirstOrDefault(r => r.Name == service.Rhythm)?.At(minute) ?? 1) * Stray(service, minute);

    public Conditions At(DateTimeOffset minute, IReadOnlyList<Play> plays) => new(this, Floor(minute), plays);

    /// <summary>The full minute, on the same clock.</summary>
    public static DateTimeOffset Floor(DateTimeOffset time) =>
        new(time.Ticks / TimeSpan.TicksPerMinute * TimeSpan.TicksPerMinute, time.Offset);

    /// <summary>Requests that came in during a minute.</summary>
    public IReadOnlyList<Trace> Traces(DateTimeOffset minute, IReadOnlyList<Play> plays) =>
        Once(_traces, Floor(minute), plays, Make);

    /// <summary>What was done in a minute: visits that began in it.</summary>
    public IReadOnlyList<Visit> Visits(DateTimeOffset minute, IReadOnlyList<Play> plays) =>
        Once(_visits, Floor(minute), plays, Begun);

    /// <summary>What was made for a minute before, or now.</summary>
    private IReadOnlyList<T> Once<T>(
        Dictionary<(long Minute, TimeSpan Clock, string Plays), IReadOnlyList<T>> kept,
        DateTimeOffset minute,
        IReadOnlyList<Play> plays,
        Func<DateTimeOffset, IReadOnlyList<Play>, IReadOnlyList<T>> make
    )
    {
        // By the clock too, as rhythms go by it.
        var key = (minute.UtcTicks, minute.Offset, Of(plays, minute));
        lock (_lock)
            if (kept.TryGetValue(key, out var known))
                return known;
        var made = make(minute, plays);
        lock (_lock)
        {
            if (kept.Count >= _kept)
                kept.Clear();
            kept[key] = made;
        }
        return made;
    }

    private List<Visit> Begun(DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var visits = new List<Visit>();
        var (from, until) = (
            Core.Records.Instants.FromDateTime(minute),
            Core.Records.Instants.FromDateTime(minute.AddMinutes(1))
        );
        // What takes long, or waited in a queue, came in before.
        var back = plays.Any(p => p.Of.Acts.Any(a => a.On == ActOn.Queue) && p.Touches(minute.AddMinutes(-LongestWait), minute))
            ? LongestWait
            : 1;
        for (var i = back; i >= 0; i--)
            foreach (var trace in Traces(minute.AddMinutes(-i), plays))
            foreach (var visit in trace.Visits)
                if (visit.Start >= from && visit.Start < until)
                    visits.Add(visit);
        return visits;
    }

    /// <summary>Tells plays apart that do something else in a minute.</summary>
    private static string Of(IReadOnlyList<Play> plays, DateTimeOffset minute)
    {
        var told = "";
        foreach (var play in plays)
            if (play.Touches(minute.AddMinutes(-LongestWait), minute.AddMinutes(2)))
                told += FormattableString.Invariant(
                    $"{play.Of.Number} {play.Of.Cause} {play.Start.UtcTicks} {play.End?.UtcTicks} {play.Intensity}\n"
                );
        return told;
    }

    private List<Trace> Make(DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var conditions = At(minute, plays);
        var walk = new Walk(this, conditions);
        var traces = new List<Trace>();
        var chance = Chance.Of(seed, "requests").Of(minute.ToUnixTimeSeconds() / 60);
        for (var gate = 0; gate < Graph.Gates.Count; gate++)
        {
            var entering = chance.Of(gate);
            var count = entering.Count(0, conditions.Entering[gate] * scale);
            for (var n = 0; n < count; n++)
                traces.Add(walk.Enter(Graph.Gates[gate], entering.Of(n + 1)));
        }
        return traces;
    }
}
