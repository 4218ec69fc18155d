using System.Text.Json.Serialization;

namespace Kumiko.Core.Rules;

/// <summary>Which way a figure is off.</summary>
public enum Direction
{
    High,
    Low,
    Either,
}

/// <summary>How a move against an earlier window is told.</summary>
public enum MoveBy
{
    Amount,
    Factor,
    Percent,
}

/// <summary>What is wrong with a figure. Limits are null where there is no such level.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(Beyond), "beyond")]
[JsonDerivedType(typeof(Moved), "moved")]
[JsonDerivedType(typeof(Unusual), "unusual")]
[JsonDerivedType(typeof(Silent), "silent")]
[JsonDerivedType(typeof(NewValue), "new")]
[JsonDerivedType(typeof(WillReach), "reach")]
[JsonDerivedType(typeof(Occurs), "happens")]
public abstract record AlertCondition
{
    /// <summary>The same with other limits; itself where there is no limit that can be moved.</summary>
    public virtual AlertCondition With(double? warning, double? critical) => this;

    /// <summary>The limits that can be moved.</summary>
    [JsonIgnore]
    public virtual (double? Warning, double? Critical) Limits => (null, null);
}

/// <summary>Above a limit, or below it.</summary>
public sealed record Beyond(bool Below, double? Warning, double? Critical) : AlertCondition
{
    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };
}

/// <summary>Higher or lower than in the window of the same length so much earlier.</summary>
/// <param name="By">How the limits are meant: 0.5 is half as much again in percent, 2 is twice as much by factor.</param>
/// <param name="Earlier">Nanoseconds.</param>
public sealed record Moved(Direction Side, MoveBy By, long Earlier, double? Warning, double? Critical) : AlertCondition
{
    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };
}

/// <summary>So many spreads from the median of the same hour on like days.</summary>
public sealed record Unusual(Direction Side, double? Warning, double? Critical) : AlertCondition
{
    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };
}

/// <summary>Nothing came, from what came at some time in the stretch before.</summary>
/// <param name="Expected">How far back something that came is still expected; nanoseconds.</param>
public sealed record Silent(AlertLevel Level, long Expected) : AlertCondition;

/// <summary>A key that did not come in the stretch before.</summary>
/// <param name="History">Its length, nanoseconds.</param>
public sealed record NewValue(AlertLevel Level, long History) : AlertCondition;

/// <summary>By its trend it will be beyond a limit within a time.</summary>
/// <param name="Limit">What it will reach.</param>
/// <param name="Trend">The stretch that the trend is taken from, nanoseconds.</param>
/// <param name="Warning">Within so many seconds.</param>
public sealed record WillReach(bool Below, double Limit, long Trend, double? Warning, double? Critical) : AlertCondition
{
    public override (double? Warning, double? Critical) Limits => (Warning, Critical);

    public override AlertCondition With(double? warning, double? critical) =>
        this with
        {
            Warning = warning,
            Critical = critical,
        };
}

/// <summary>That it happens at all: for records as they come in, and for alerts in order.</summary>
public sealed record Occurs(AlertLevel Level) : AlertCondition;
