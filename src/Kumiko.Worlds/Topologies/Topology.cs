namespace Kumiko.Worlds.Topologies;

/// <summary>A made-up system: what runs where, who calls whom and when there is how much to do.</summary>
public sealed record Topology
{
    public required string Name { get; init; }
    public required IReadOnlyList<Rhythm> Rhythms { get; init; }
    public required IReadOnlyList<Service> Services { get; init; }
    public IReadOnlyList<Queue> Queues { get; init; } = [];
    public IReadOnlyList<Feed> Feeds { get; init; } = [];
    public IReadOnlyList<NightlyJob> Jobs { get; init; } = [];
    public IReadOnlyList<Flag> Flags { get; init; } = [];

    public Service ServiceOf(string name) => Services.First(s => s.Name == name);
}

/// <summary>When there is how much to do: 1 on average.</summary>
public sealed record Rhythm
{
    public required string Name { get; init; }

    /// <summary>How busy each hour of the day is; between them it goes evenly.</summary>
    public double[] Hours { get; init; } = [1];

    /// <summary>How busy each day of the week is, from Monday on.</summary>
    public double[] Days { get; init; } = [1];

    /// <summary>Day of the year around which it is busiest, and by which share of the mean.</summary>
    public int YearPeak { get; init; } = 355;
    public double YearSwing { get; init; }

    /// <summary>Minutes of the day towards which people crowd, such as departures.</summary>
    public int[] Crowds { get; init; } = [];

    /// <summary>Minutes before a crowd that it is largest, how long it lasts, and how many times as much it brings.</summary>
    public double CrowdBefore { get; init; } = 12;
    public double CrowdWidth { get; init; } = 8;
    public double CrowdHeight { get; init; } = 1.5;

    // Asked for every minute, by several threads: each is whole when it is read.
    private double _hour;
    private double _day;

    /// <summary>What an hour and a day have on average.</summary>
    internal double MeanHour => _hour > 0 ? _hour : _hour = Hours.Average();
    internal double MeanDay => _day > 0 ? _day : _day = Days.Average();
}

/// <summary>What a party of calls is.</summary>
public enum PartyKind
{
    /// <summary>Ours: it has hosts and writes spans, records and metrics.</summary>
    Service,

    /// <summary>Only its callers tell of it.</summary>
    Outside,
    Database,
}

public sealed record Service
{
    public required string Name { get; init; }
    public PartyKind Kind { get; init; }
    public string Rhythm { get; init; } = "";

    /// <summary>How far its rate strays from its rhythm: spread of its logarithm.</summary>
    public double Noise { get; init; } = 0.08;
    public string Version { get; init; } = "1.0.0";

    /// <summary>Memory of one of its processes, and where it is ended, MiB.</summary>
    public double Memory { get; init; } = 512;
    public double MemoryLimit { get; init; } = 1536;

    /// <summary>Share of a host's processors that it takes when it has as much to do as on average.</summary>
    public double Processor { get; init; } = 0.15;

    /// <summary>Days between its harmless releases; 0 for none.</summary>
    public double ReleaseEvery { get; init; } = 6;
    public IReadOnlyList<Host> Hosts { get; init; } = [];
    public IReadOnlyList<Operation> Operations { get; init; } = [];
}

public sealed record Host
{
    public required string Name { get; init; }
    public int Cores { get; init; } = 2;

    /// <summary>GiB.</summary>
    public double Memory { get; init; } = 8;

    /// <summary>How many times as long everything takes here.</summary>
    public double Slowness { get; init; } = 1;

    /// <summary>How much of the work comes here, next to 1 for others.</summary>
    public double Share { get; init; } = 1;
    public string Environment { get; init; } = "production";
    public string Place { get; init; } = "";
}

public sealed record Operation
{
    public required string Name { get; init; }

    /// <summary>Requests that come from outside, by where they enter.</summary>
    public IReadOnlyList<Entry> Entries { get; init; } = [];

    /// <summary>Median of the time that it takes itself, ms, and the spread of its logarithm.</summary>
    public double Own { get; init; } = 10;
    public double Spread { get; init; } = 0.45;

    /// <summary>How much longer it takes when there is twice as much to do: 0.3 for 30 %.</summary>
    public double Load { get; init; } = 0.15;

    /// <summary>Share that fails by itself, and with what.</summary>
    public double Fails { get; init; } = 0.001;
    public string Error { get; init; } = "InternalError";

    /// <summary>Share that is turned down by the rules of the trade, which is no failure.</summary>
    public double Refuses { get; init; }
    public IReadOnlyList<Call> Calls { get; init; } = [];
}

/// <param name="PerMinute">At a mean minute.</param>
public sealed record Entry(double PerMinute)
{
    /// <summary>Another than that of its service.</summary>
    public string Rhythm { get; init; } = "";

    /// <summary>Where it enters; empty for all hosts of the service.</summary>
    public IReadOnlyList<string> Hosts { get; init; } = [];
}

public sealed record Call
{
    /// <summary>Service and operation with a blank between: <c>fare-engine quote</c>.</summary>
    public required string To { get; init; }

    /// <summary>Mean number for each request.</summary>
    public double Times { get; init; } = 1;

    /// <summary>After which the caller goes away, ms.</summary>
    public double TimeOut { get; init; } = 10_000;
    public int Retries { get; init; }

    /// <summary>Whether the caller does without.</summary>
    public bool IsOptional { get; init; }

    /// <summary>By which queue it goes; the caller does not wait then.</summary>
    public string Queue { get; init; } = "";
}

/// <summary>What is handed on between a producer and its consumers.</summary>
public sealed record Queue
{
    public required string Name { get; init; }

    /// <summary>Seconds until a message is taken when all is well.</summary>
    public double Delay { get; init; } = 0.5;

    /// <summary>Messages that consumers take in a second.</summary>
    public double PerSecond { get; init; } = 20;

    /// <summary>The metric of those that wait.</summary>
    public required string Metric { get; init; }
}

/// <summary>A value that one service measures and others work with: a curve with a period.</summary>
public sealed record Feed
{
    public required string Name { get; init; }

    /// <summary>The service that sends it.</summary>
    public required string Of { get; init; }
    public required string Metric { get; init; }
    public string Unit { get; init; } = "1";

    /// <summary>What it is, in words.</summary>
    public string What { get; init; } = "";
    public double Middle { get; init; } = 1;
    public double Swing { get; init; } = 0.5;

    /// <summary>Hours.</summary>
    public double Period { get; init; } = 24;

    public double At(DateTimeOffset time, int station) =>
        Middle + (Swing * Math.Sin((time.ToUnixTimeSeconds() / 3600.0 / Period * 2 * Math.PI) + (station * 0.4)));
}

/// <summary>Work of the night, which takes processor and disk and nothing else.</summary>
/// <param name="At">Minute of the day.</param>
/// <param name="Minutes">How long it lasts.</param>
/// <param name="Processor">Share of the host's processors.</param>
public sealed record NightlyJob(string Name, string Host, int At, int Minutes, double Processor);

/// <summary>A flag that is raised in steps: days ago, counted from the end of history, and the share of requests that have
/// it on then.</summary>
public sealed record Flag(string Key, string Service, string Operation, FlagStep[] Steps);

/// <param name="DaysAgo">Before the end of history.</param>
/// <param name="Share">0 to 1.</param>
public sealed record FlagStep(double DaysAgo, double Share);
