using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Flow;

/// <summary>Takes requests of one minute through all that they bring about.</summary>
internal sealed class Walk(Simulation world, Conditions now)
{
    public const string TimedOut = "timeout";
    public const string UpstreamFailed = "UpstreamFailed";

    private const double Millisecond = 1e6;
    private const int TriesApart = 8;

    private readonly long _minute = Instants.FromDateTime(now.Minute);

    public Trace Enter(Graph.Gate gate, Chance chance)
    {
        var trace = new Trace(chance);
        var node = world.Graph.Nodes[gate.Node];
        var at = _minute + (long)(chance.Unit(0) * Instants.Minute);
        trace.Flag = FlagOf(node, chance);
        Visited(trace, gate.Node, at, chance.Of(1), null, gate.Entry.Hosts, "");
        return trace;
    }

    private (string, bool)? FlagOf(Graph.Node node, Chance chance)
    {
        foreach (var flag in world.Topology.Flags)
            if (flag.Service == node.Of.Name && flag.Operation == node.Operation.Name)
            {
                var ago = (world.EndOfHistory - now.Minute).TotalDays;
                var share = flag.Steps.Where(s => s.DaysAgo >= ago).Select(s => s.Share).DefaultIfEmpty(0).Last();
                return (flag.Key, chance.Unit(2) < share);
            }
        return null;
    }

    /// <summary>What one host does; null where there is none to do it.</summary>
    private Visit? Visited(
        Trace trace,
        int at,
        long start,
        Chance chance,
        Made? by,
        IReadOnlyList<string> only,
        string environment
    )
    {
        var node = world.Graph.Nodes[at];
        var time = TimeOf(start);
        var host = node.Of.Kind == PartyKind.Service ? HostFor(node.Of, chance, time, only, environment) : -1;
        if (host == None)
            return null;
        var visit = new Visit
        {
            Trace = trace,
            Node = at,
            Host = host,
            SpanId = Trace.Hex(chance.Bits(900)),
            By = by,
            Start = start,
            Chance = chance,
        };
        var pressure = 0.0;
        if (host >= 0 && now.Has(ActOn.Memory))
        {
            bool isDown;
            (_, pressure, isDown) = Instances.MemoryAt(InstanceOf(node, host, time), node.Of, time);
            if (isDown)
                return null;
        }
        trace.Visits.Add(visit);
        Work(visit, node, time, chance, pressure);
        return visit;
    }

    private void Work(Visit visit, Graph.Node node, DateTimeOffset time, Chance chance, double pressure)
    {
        var operation = node.Operation;
        var host = visit.Host >= 0 ? node.Of.Hosts[visit.Host] : null;
        var own = operation.Own * now.Load(visit.Node) * (host?.Slowness ?? 1) * Math.Exp(operation.Spread * chance.Normal(1));
        // A process that looks for memory does little else.
        own *= 1 + (40 * pressure);
        var fails = operation.Fails;
        var error = operation.Error;
        foreach (var (act, strength) in Acts(ActOn.OwnTime, node, host, time))
            own *= 1 + ((act.Amount - 1) * strength);
        foreach (var (act, strength) in Acts(ActOn.Failures, node, host, time))
            (fails, error) = (fails + (act.Amount * strength), act.Error);
        if (
            host is not null
            && now.Has(ActOn.Disk)
            && now.Plays.Filled(node.Of.Name, Acting.DiskRoom, time) > Acting.DiskRoom - 0.02
        )
            (fails, error) = (fails + 0.6, "DiskFull");
        var clock = visit.Start + (long)(own * 0.6 * Millisecond);
        visit.IsRefused = chance.Unit(4) < operation.Refuses;
        if (chance.Unit(5) < fails)
            visit.Error = error;
        else if (!visit.IsRefused)
            for (var i = 0; i < node.Calls.Count && visit.Error.Length == 0; i++)
                clock = CallAll(visit, node, i, clock, chance);
        visit.End = clock + Math.Max(1, (long)(own * 0.4 * Millisecond));
    }

    private long CallAll(Visit visit, Graph.Node node, int place, long clock, Chance chance)
    {
        var (call, callee) = node.Calls[place];
        var name = world.Graph.Nodes[callee].Of.Name;
        var of = chance.Of(100 + place);
        var times = call.Times;
        foreach (var (act, strength) in Acts(ActOn.Calls, node, HostOf(node, visit), TimeOf(clock)))
            if (act.Callee == name)
                times *= 1 + ((act.Amount - 1) * strength);
        var count = (int)times + (of.Unit(0) < times - (int)times ? 1 : 0);
        for (var n = 0; n < count; n++)
        for (var attempt = 0; attempt <= call.Retries; attempt++)
        {
            var made = MadeCall(visit, node, call, callee, clock, of.Of((n * TriesApart) + attempt + 1), attempt + 1);
            visit.Calls.Add(made);
            clock = made.End + (long)(0.2 * Millisecond);
            if (made.Error.Length == 0)
                break;
            if (attempt < call.Retries)
                clock += (long)(20 * Millisecond);
            else if (!call.IsOptional)
            {
                (visit.Error, visit.FailedBy) = (made.Error == TimedOut ? TimedOut : UpstreamFailed, made);
                return clock;
            }
        }
        return clock;
    }

    private Made MadeCall(Visit visit, Graph.Node node, Call call, int callee, long clock, Chance chance, int attempt)
    {
        var made = new Made
        {
            By = visit,
            Call = call,
            Callee = callee,
            SpanId = Trace.Hex(chance.Bits(901)),
            Start = clock,
            Attempt = attempt,
        };
        var way = (long)((0.15 + (0.5 * chance.Unit(6))) * Millisecond);
        var environment = HostOf(node, visit)?.Environment ?? "production";
        if (call.Queue.Length > 0)
        {
            made.End = clock + way;
            made.Answer = Visited(
                visit.Trace,
                callee,
                made.End + WaitIn(call.Queue, made.End, chance),
                chance,
                made,
                [],
                environment
            );
            return made;
        }
        var timeOut = TimeOutOf(node, call, callee, visit, TimeOf(clock));
        var before = visit.Trace.Visits.Count;
        var answer = Visited(visit.Trace, callee, clock + way, chance, made, [], environment);
        if (answer is not null && EndsBefore(answer))
        {
            // Nothing of it was written: its process was ended.
            visit.Trace.Visits.RemoveRange(before, visit.Trace.Visits.Count - before);
            answer = null;
        }
        made.Answer = answer;
        if (answer is null || answer.End + way - clock > timeOut)
            (made.End, made.Error) = (clock + timeOut, TimedOut);
        else
            (made.End, made.Error) = (answer.End + way, answer.Error);
        return made;
    }

    private long TimeOutOf(Graph.Node node, Call call, int callee, Visit visit, DateTimeOffset time)
    {
        var milliseconds = call.TimeOut;
        foreach (var (act, strength) in Acts(ActOn.TimeOut, node, HostOf(node, visit), time))
            if (act.Callee == world.Graph.Nodes[callee].Of.Name && strength > 0.3)
                milliseconds = act.Amount;
        return (long)(milliseconds * Millisecond);
    }

    private long WaitIn(string name, long time, Chance chance)
    {
        var queue = world.Topology.Queues.First(q => q.Name == name);
        var waiting = now.Has(ActOn.Queue) ? now.Plays.Waiting(name, TimeOf(time)) : 0;
        return (long)((queue.Delay * Math.Exp(0.4 * chance.Normal(4)) + (waiting / queue.PerSecond)) * Instants.Second);
    }

    /// <summary>Whether a process is ended while it is at something.</summary>
    private bool EndsBefore(Visit visit)
    {
        var node = world.Graph.Nodes[visit.Node];
        if (visit.Host < 0 || !now.Has(ActOn.Memory))
            return false;
        var instance = InstanceOf(node, visit.Host, TimeOf(visit.Start));
        return Instances.MemoryAt(instance, node.Of, TimeOf(visit.End)).IsDown;
    }

    private const int None = -2;

    private int HostFor(Service service, Chance chance, DateTimeOffset time, IReadOnlyList<string> only, string environment)
    {
        var host = Chosen(service, chance.Unit(0), only, environment, null);
        // Another one where that was taken away: all other requests stay where they were.
        if (host == None || !now.Has(ActOn.Hosts) || !IsGone(service, host, time))
            return host;
        return Chosen(service, chance.Unit(7), only, environment, time);
    }

    private bool IsGone(Service service, int host, DateTimeOffset time) =>
        now.Plays.Sum(ActOn.Hosts, service.Name, time, service.Hosts[host].Name) > 0;

    /// <param name="there">Only hosts that are there at this time, where one is given.</param>
    private int Chosen(Service service, double at, IReadOnlyList<string> only, string environment, DateTimeOffset? there)
    {
        var hosts = service.Hosts;
        Span<double> shares = stackalloc double[hosts.Count];
        var sum = 0.0;
        for (var pass = 0; pass < 2 && sum == 0; pass++)
        for (var i = 0; i < shares.Length; i++)
        {
            // What runs in rehearsal stays there where it can; who comes from outside may come to any.
            var may =
                only.Count > 0
                    ? only.Contains(hosts[i].Name)
                    : pass == 1 || environment.Length == 0 || hosts[i].Environment == environment;
            shares[i] = may && (there is not { } time || !IsGone(service, i, time)) ? hosts[i].Share : 0;
            sum += shares[i];
        }
        at *= sum;
        for (var i = 0; i < shares.Length; i++)
            if (shares[i] > 0 && (at -= shares[i]) < 0)
                return i;
        return None;
    }

    private Instance InstanceOf(Graph.Node node, int host, DateTimeOffset time) =>
        world.Instances.At(node.Of, host, time, now.Plays);

    private static Host? HostOf(Graph.Node node, Visit visit) => visit.Host >= 0 ? node.Of.Hosts[visit.Host] : null;

    private IEnumerable<(Act Act, double Strength)> Acts(ActOn on, Graph.Node node, Host? host, DateTimeOffset time) =>
        !now.Has(on)
            ? []
            : now
                .Plays.Of(on, node.Of.Name, time)
                .Where(a =>
                    (a.Act.Operation is null || a.Act.Operation == node.Operation.Name)
                    && (host is null || a.Act.Touches(host.Name))
                );

    private DateTimeOffset TimeOf(long time) => now.Minute.AddTicks((time - _minute) / 100);
}
