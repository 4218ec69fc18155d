using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Something that is known to have been wrong at a time.</summary>
/// <param name="IsFault">Whether it was a fault; else it has an explanation, such as a storm.</param>
public sealed record KnownDisturbance(string Name, Window Window, bool IsFault);

/// <summary>Disturbances that somebody wrote down.</summary>
public interface IKnownDisturbances
{
    IReadOnlyList<KnownDisturbance> In(Window window);
}

/// <summary>Nobody wrote any down.</summary>
public sealed class NoDisturbances : IKnownDisturbances
{
    public IReadOnlyList<KnownDisturbance> In(Window window) => [];
}

/// <param name="From">The first check at which it would have been true.</param>
/// <param name="To">The check at which it would have ended; null while still true.</param>
public sealed record TrialEpisode(
    string Key,
    IReadOnlyList<string> Keys,
    long From,
    long? To,
    AlertLevel Level,
    double Worst,
    bool IsFlapping
)
{
    public string Of => string.Join(", ", Keys.Where(k => k.Length > 0));
}

/// <summary>How many alerts there would have been with another limit.</summary>
public sealed record LimitCount(double Limit, int Alerts);

/// <summary>What a rule would have done over a stretch of history.</summary>
/// <param name="Window">The stretch that could be tried.</param>
/// <param name="Readings">What its checks would have found.</param>
public sealed record Trial(Window Window, RuleMeasurements Measurements, IReadOnlyList<TrialEpisode> Episodes)
{
    /// <summary>Starts, rises and ends, of which people would have been told.</summary>
    public int Turns { get; init; }
    public string Unit { get; init; } = "";
    public IReadOnlyList<LimitCount> Curve { get; init; } = [];
    public IReadOnlyList<(KnownDisturbance Known, TrialEpisode? By)> Disturbances { get; init; } = [];

    /// <summary>What a person must know of it.</summary>
    public IReadOnlyList<string> Notes { get; init; } = [];
}
