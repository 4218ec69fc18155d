using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;

namespace Kumiko.Worlds.Signals;

/// <summary>A world as frames: what each host, and each edge as its client saw it, did in each step.</summary>
public static class WorldFrames
{
    private static readonly string[] Figures = ["requests", "failed", "seconds", "log_seconds"];

    private sealed class Sums
    {
        public double Requests;
        public double Failed;
        public double Seconds;
        public double Logs;

        public void Add(long duration, string error)
        {
            var seconds = Math.Max(1, duration) / (double)Instants.Second;
            Requests++;
            Failed += error.Length > 0 ? 1 : 0;
            Seconds += seconds;
            Logs += Math.Log(seconds);
        }
    }

    /// <summary>Requests by service and host.</summary>
    /// <param name="step">Minutes.</param>
    public static Frame Hosts(
        Simulation world,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        int step = 1
    ) => Made(["service", "host"], from, until, step, (minute, sums) =>
        {
            foreach (var visit in world.Visits(minute, plays))
                if (visit.Host >= 0)
                {
                    var service = world.Graph.Nodes[visit.Node].Of;
                    Of(sums, (service.Name, service.Hosts[visit.Host].Name)).Add(visit.End - visit.Start, visit.Error);
                }
        });

    /// <summary>Calls by caller and callee.</summary>
    /// <param name="step">Minutes.</param>
    public static Frame Edges(
        Simulation world,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        int step = 1
    ) => Made(["caller", "callee"], from, until, step, (minute, sums) =>
        {
            foreach (var visit in world.Visits(minute, plays))
            foreach (var call in visit.Calls)
                Of(sums, (world.Graph.Nodes[visit.Node].Of.Name, world.Graph.Nodes[call.Callee].Of.Name))
                    .Add(call.End - call.Start, call.Error);
        });

    private static Sums Of(Dictionary<(string, string), Sums> sums, (string, string) key)
    {
        if (!sums.TryGetValue(key, out var of))
            sums.Add(key, of = new Sums());
        return of;
    }

    private static Frame Made(
        string[] keys,
        DateTimeOffset from,
        DateTimeOffset until,
        int step,
        Action<DateTimeOffset, Dictionary<(string, string), Sums>> add
    )
    {
        var rows = new List<Value[]>();
        for (var at = from; at < until; at = at.AddMinutes(step))
        {
            var sums = new Dictionary<(string First, string Second), Sums>();
            for (var minute = 0; minute < step; minute++)
                add(at.AddMinutes(minute), sums);
            var time = Value.Time(Instants.FromDateTime(at));
            foreach (
                var ((first, second), of) in sums.OrderBy(s => s.Key.First, StringComparer.Ordinal)
                    .ThenBy(s => s.Key.Second, StringComparer.Ordinal)
            )
                rows.Add([
                    time,
                    Value.Of(first),
                    Value.Of(second),
                    Value.Of(of.Requests),
                    Value.Of(of.Failed),
                    Value.Of(of.Seconds),
                    Value.Of(of.Logs),
                ]);
        }
        Column[] columns =
        [
            new("time", ColumnRole.Time, ValueKind.Time),
            .. keys.Select(k => new Column(k, ColumnRole.Key)),
            .. Figures.Select(f => new Column(f, ColumnRole.Value, ValueKind.Decimal)),
        ];
        var window = new Window(Instants.FromDateTime(from), Instants.FromDateTime(until));
        return new Frame(new Schema(columns, step * Instants.Minute, window), rows);
    }
}
