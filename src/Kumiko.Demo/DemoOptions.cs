namespace Kumiko.Demo;

/// <summary>What the demonstration is started with.</summary>
public sealed class DemoOptions
{
    public required string Data { get; init; }
    public int Port { get; init; } = 8460;
    public int Seed { get; init; } = 1;
    public TimeSpan History { get; init; } = TimeSpan.FromDays(2);

    /// <summary>Where history ends and live records begin.</summary>
    public DateTimeOffset LiveFrom { get; set; }
}
