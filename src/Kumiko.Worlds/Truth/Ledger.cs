using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Truth;

/// <summary>Sums of what services and their hosts did in one minute.</summary>
public sealed class Ledger
{
    /// <summary>Requests, those that failed, the sum of logarithms of their milliseconds, and of seconds that they waited in a
    /// queue before.</summary>
    public record struct Sums(double Requests, double Failed, double LogTime, double Waited, double Seconds)
    {
        public static Sums operator +(Sums a, Sums b) =>
            new(a.Requests + b.Requests, a.Failed + b.Failed, a.LogTime + b.LogTime, a.Waited + b.Waited, a.Seconds + b.Seconds);
    }

    private readonly Dictionary<(int Service, int Host), Sums> _sums = [];
    private readonly Dictionary<int, Sums> _entries = [];

    public Ledger(Simulation world, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        foreach (var visit in world.Visits(minute, plays))
        {
            var service = world.Graph.Nodes[visit.Node].Service;
            Add(_sums, (service, visit.Host), visit);
            Add(_sums, (service, All), visit);
            if (visit.By is null || visit.By.Call.Queue.Length > 0)
                Add(_entries, service, visit);
        }
    }

    private const int All = -5;

    private static void Add<T>(Dictionary<T, Sums> sums, T key, Visit visit)
        where T : notnull
    {
        var of = sums.GetValueOrDefault(key);
        var waited = visit.By is { Call.Queue.Length: > 0 } by ? (visit.Start - by.End) / (double)Instants.Second : 0;
        sums[key] = new Sums(
            of.Requests + 1,
            of.Failed + (visit.Error.Length > 0 ? 1 : 0),
            of.LogTime + Math.Log(Math.Max(0.01, visit.Milliseconds)),
            of.Waited + waited,
            of.Seconds + (visit.Milliseconds / 1e3)
        );
    }

    public Sums Of(int service) => _sums.GetValueOrDefault((service, All));

    public Sums Of(int service, int host) => _sums.GetValueOrDefault((service, host));

    /// <summary>Only of requests that come in from outside or out of a queue.</summary>
    public Sums Entering(int service) => _entries.GetValueOrDefault(service);

    /// <summary>What differs clearly between two sums over the same stretch, and by how much of what matters. Few requests tell
    /// little: where one of them is missing, the rest is another mixture.</summary>
    public static IEnumerable<(Sign Sign, double Size)> Differences(Sums with, Sums without)
    {
        if (with.Requests + without.Requests < 16)
            yield break;
        var (n, m) = (Math.Max(1, with.Requests), Math.Max(1, without.Requests));
        var failed = Math.Abs((with.Failed / n) - (without.Failed / m)) / 0.02;
        if (failed > 1 && Math.Abs(with.Failed - without.Failed) >= 3)
            yield return (Sign.Failures, failed);
        var time = Math.Abs((with.LogTime / n) - (without.LogTime / m)) / Math.Max(Math.Log(1.12), 2 / Math.Sqrt(Math.Min(n, m)));
        if (time > 1 && Math.Min(with.Requests, without.Requests) >= 8)
            yield return (Sign.Time, time);
        var rate = Math.Abs(Math.Log((with.Requests + 1) / (without.Requests + 1))) / Math.Log(1.2);
        if (rate > 1 && Math.Abs(with.Requests - without.Requests) >= 8)
            yield return (Sign.Rate, rate);
        var delay = Math.Abs((with.Waited / n) - (without.Waited / m)) / 10;
        if (delay > 1)
            yield return (Sign.Delay, delay);
    }
}
