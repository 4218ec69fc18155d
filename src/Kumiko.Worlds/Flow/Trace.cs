namespace Kumiko.Worlds.Flow;

/// <summary>One request with all that it brought about. Times are UTC nanoseconds.</summary>
public sealed class Trace(Chance chance)
{
    private const ulong Random56 = (1UL << 56) - 1;

    /// <summary>Lower-case hex of 16 bytes.</summary>
    public string Id { get; } = Hex(chance.Bits(1_000_001)) + Hex(chance.Bits(1_000_002));

    /// <summary>By which samplers decide: the last 56 bits of the id, as OpenTelemetry's trace state handling has it.</summary>
    public ulong Randomness { get; } = chance.Bits(1_000_002) & Random56;

    /// <summary>In the order in which they began to be made: a caller before its callees.</summary>
    public List<Visit> Visits { get; } = [];

    /// <summary>Flags that this request meets: key and whether it is on.</summary>
    public (string Key, bool IsOn)? Flag { get; internal set; }

    internal static string Hex(ulong bits) => bits.ToString("x16", System.Globalization.CultureInfo.InvariantCulture);
}

/// <summary>What one host did for one request.</summary>
public sealed class Visit
{
    public required Trace Trace { get; init; }

    /// <summary>The operation, by its place in the graph.</summary>
    public required int Node { get; init; }

    /// <summary>Its place among the hosts of the service; −1 for a party of which only callers tell.</summary>
    public required int Host { get; init; }
    public required string SpanId { get; init; }

    /// <summary>The call that led here; null where the request came in.</summary>
    public Made? By { get; init; }
    public required long Start { get; init; }
    public long End { get; internal set; }

    /// <summary>What failed; empty where nothing did.</summary>
    public string Error { get; internal set; } = "";

    /// <summary>The call that made it fail; null where it failed by itself.</summary>
    public Made? FailedBy { get; internal set; }

    /// <summary>Turned down by the rules of the trade.</summary>
    public bool IsRefused { get; internal set; }
    public List<Made> Calls { get; } = [];

    public double Milliseconds => (End - Start) / 1e6;

    /// <summary>For what else is drawn about it: text, sizes.</summary>
    public required Chance Chance { get; init; }
}

/// <summary>One attempt to call, as the caller saw it.</summary>
public sealed class Made
{
    public required Visit By { get; init; }

    /// <summary>What is called, as the topology says.</summary>
    public required Topologies.Call Call { get; init; }
    public required int Callee { get; init; }
    public required string SpanId { get; init; }
    public required long Start { get; init; }
    public long End { get; internal set; }
    public string Error { get; internal set; } = "";

    /// <summary>What the callee did; null where nobody answered.</summary>
    public Visit? Answer { get; internal set; }

    /// <summary>1 for the first try.</summary>
    public int Attempt { get; init; } = 1;
}
