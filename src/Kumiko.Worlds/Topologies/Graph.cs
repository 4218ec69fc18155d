namespace Kumiko.Worlds.Topologies;

/// <summary>A topology by numbers: operations, whom they call, and how often each comes to be called.</summary>
public sealed class Graph
{
    /// <summary>One operation of one service.</summary>
    /// <param name="Service">Its place among the services.</param>
    /// <param name="Calls">What it calls, with the place of the callee.</param>
    public sealed record Node(int Service, Service Of, Operation Operation, IReadOnlyList<(Call Call, int Callee)> Calls);

    /// <summary>Where requests enter: an operation, and how many at a mean minute.</summary>
    public sealed record Gate(int Node, Entry Entry, Rhythm Rhythm);

    private readonly Dictionary<(string Service, string Operation), int> _places = [];
    private readonly int[] _callersFirst;

    /// <exception cref="FormatException">A call goes nowhere, or calls go round.</exception>
    public Graph(Topology topology)
    {
        Topology = topology;
        foreach (var service in topology.Services)
        foreach (var operation in service.Operations)
            if (!_places.TryAdd((service.Name, operation.Name), _places.Count))
                throw new FormatException($"{service.Name} has two operations called {operation.Name}.");
        Nodes =
        [
            .. topology.Services.SelectMany(
                (s, i) => s.Operations.Select(o => new Node(i, s, o, [.. o.Calls.Select(c => (c, PlaceOf(c.To, s.Name)))]))
            ),
        ];
        foreach (var call in Nodes.SelectMany(n => n.Operation.Calls))
            if (call.Queue.Length > 0 && topology.Queues.All(q => q.Name != call.Queue))
                throw new FormatException($"No queue is called {call.Queue}.");
        var rhythms = topology.Rhythms.ToDictionary(r => r.Name);
        rhythms.TryAdd("", new Rhythm { Name = "" });
        Gates =
        [
            .. Nodes.SelectMany(
                (n, i) => n.Operation.Entries.Select(e => new Gate(i, e, rhythms[e.Rhythm.Length > 0 ? e.Rhythm : n.Of.Rhythm]))
            ),
        ];
        _callersFirst = InOrder();
        Means = Arriving([.. Gates.Select(g => g.Entry.PerMinute)]);
    }

    public Topology Topology { get; }
    public IReadOnlyList<Node> Nodes { get; }
    public IReadOnlyList<Gate> Gates { get; }

    /// <summary>Requests of each operation at a mean minute.</summary>
    public double[] Means { get; }

    public int Find(string service, string operation) => _places.GetValueOrDefault((service, operation), -1);

    /// <summary>How far from its entries a service is called, by its farthest operation: callees lie deeper than their
    /// callers.</summary>
    public int DepthOf(string service)
    {
        var depths = new int[Nodes.Count];
        foreach (var caller in _callersFirst)
        foreach (var (_, callee) in Nodes[caller].Calls)
            depths[callee] = Math.Max(depths[callee], depths[caller] + 1);
        return Nodes.Select((n, i) => n.Of.Name == service ? depths[i] : 0).Max();
    }

    /// <summary>Requests of each operation, when so many enter at each gate.</summary>
    public double[] Arriving(IReadOnlyList<double> entering)
    {
        var arriving = new double[Nodes.Count];
        for (var i = 0; i < Gates.Count; i++)
            arriving[Gates[i].Node] += entering[i];
        foreach (var caller in _callersFirst)
        foreach (var (call, callee) in Nodes[caller].Calls)
            arriving[callee] += arriving[caller] * call.Times;
        return arriving;
    }

    private int PlaceOf(string to, string caller)
    {
        var blank = to.IndexOf(' ', StringComparison.Ordinal);
        return blank > 0 && _places.TryGetValue((to[..blank], to[(blank + 1)..]), out var place)
            ? place
            : throw new FormatException($"{caller} calls {to}, which is no operation.");
    }

    private int[] InOrder()
    {
        var callers = new int[Nodes.Count];
        foreach (var (_, callee) in Nodes.SelectMany(n => n.Calls))
            callers[callee]++;
        var ready = new Queue<int>(Enumerable.Range(0, Nodes.Count).Where(i => callers[i] == 0));
        var order = new List<int>();
        while (ready.TryDequeue(out var node))
        {
            order.Add(node);
            foreach (var (_, callee) in Nodes[node].Calls)
                if (--callers[callee] == 0)
                    ready.Enqueue(callee);
        }
        if (order.Count < Nodes.Count)
        {
            var round = Nodes.First(n => callers[Find(n.Of.Name, n.Operation.Name)] > 0);
            throw new FormatException($"Calls of {round.Of.Name} {round.Operation.Name} come back to it.");
        }
        return [.. order];
    }
}
