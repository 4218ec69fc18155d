using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Flow;

/// <summary>How things stand in one minute: how much comes in, and how much there is to do for each operation.</summary>
public sealed class Conditions
{
    private const double MostBusy = 3;

    private readonly double[] _loads;
    private readonly int _acts;

    internal Conditions(Simulation world, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        Minute = minute;
        Plays = [.. plays.Where(p => p.Touches(minute.AddMinutes(-1), minute.AddMinutes(2)))];
        foreach (var act in Plays.SelectMany(p => p.Of.Acts))
            _acts |= 1 << (int)act.On;
        var graph = world.Graph;
        Entering = new double[graph.Gates.Count];
        for (var i = 0; i < Entering.Length; i++)
            Entering[i] = EnteringAt(world, graph.Gates[i], minute);
        var arriving = graph.Arriving(Entering);
        _loads = new double[arriving.Length];
        Busy = new double[graph.Topology.Services.Count];
        var means = new double[Busy.Length];
        for (var i = 0; i < arriving.Length; i++)
        {
            var node = graph.Nodes[i];
            Busy[node.Service] += arriving[i] * node.Operation.Own;
            means[node.Service] += graph.Means[i] * node.Operation.Own;
        }
        for (var s = 0; s < Busy.Length; s++)
            Busy[s] = means[s] > 0 ? Busy[s] / means[s] : world.Activity(graph.Topology.Services[s], minute);
        for (var i = 0; i < arriving.Length; i++)
        {
            // What cannot be done is not begun: from some point on more do not wait longer.
            var busy = Math.Min(MostBusy, Busy[graph.Nodes[i].Service]);
            _loads[i] = 1 + (graph.Nodes[i].Operation.Load * busy * busy);
        }
    }

    public DateTimeOffset Minute { get; }

    /// <summary>Plays that may matter in this minute.</summary>
    public IReadOnlyList<Play> Plays { get; }

    /// <summary>Whether any play does something of this kind.</summary>
    public bool Has(ActOn on) => (_acts & (1 << (int)on)) != 0;

    /// <summary>Requests that enter at each gate, at scale 1.</summary>
    public double[] Entering { get; }

    /// <summary>How much there is to do for each service: 1 on average.</summary>
    public double[] Busy { get; }

    /// <summary>How many times as long an operation takes itself for all that there is to do.</summary>
    public double Load(int node) => _loads[node];

    private double EnteringAt(Simulation world, Graph.Gate gate, DateTimeOffset minute)
    {
        var node = world.Graph.Nodes[gate.Node];
        var rate = gate.Entry.PerMinute * gate.Rhythm.At(minute) * world.Stray(node.Of, minute);
        foreach (var (act, strength) in Plays.Of(ActOn.Demand, node.Of.Name, minute.AddSeconds(30)))
            if (Enters(act))
                rate *= 1 + ((act.Amount - 1) * strength);
        foreach (var (act, strength) in Plays.Of(ActOn.Extra, node.Of.Name, minute.AddSeconds(30)))
            if (Enters(act))
                rate += act.Amount * strength;
        return rate;

        bool Enters(Act act) =>
            (act.Operation is null || act.Operation == node.Operation.Name)
            && (act.Hosts is null || gate.Entry.Hosts.Any(act.Hosts.Contains));
    }
}
