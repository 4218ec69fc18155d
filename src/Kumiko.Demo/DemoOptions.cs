namespace Kumiko.Demo;

/// <summary>What the demonstration is started with.</summary>
public sealed class DemoOptions
{
    public required string Data { get; init; }
    public int Port { get; init; } = 8460;

    /// <summary>For OTLP over gRPC and for syslog; 0 for any free port.</summary>
    public int GrpcPort { get; init; }
    public int SyslogPort { get; init; }
    public int Seed { get; init; } = 1;
    public TimeSpan History { get; init; } = TimeSpan.FromDays(14);

    /// <summary>How much of the history is there before the first page is; the rest comes while people work.</summary>
    public TimeSpan Ahead { get; init; } = TimeSpan.FromHours(26);

    /// <summary>About how many records the history of fourteen days has.</summary>
    public double Records { get; init; } = 3_000_000;

    /// <summary>How many times as fast the world goes on while the application runs.</summary>
    public double Speed { get; init; } = 1;

    /// <summary>Whether one disturbance is played by itself soon after the start.</summary>
    public bool PlaysByItself { get; init; } = true;

    /// <summary>Whether there are rules and an objective from the start.</summary>
    public bool HasRules { get; init; } = true;

    /// <summary>How far the line's own clocks are ahead of UTC; null to choose it at the first start, see
    /// <see cref="World.LineZone"/>.</summary>
    public TimeSpan? Offset { get; init; }

    /// <summary>How many records there are for each of the usual world.</summary>
    public double Scale => Records / 3_000_000;

    /// <summary>Where history ends and live records begin.</summary>
    public DateTimeOffset LiveFrom { get; set; }
}
