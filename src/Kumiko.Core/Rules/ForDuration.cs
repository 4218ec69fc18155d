using System.Text.Json.Serialization;

namespace Kumiko.Core.Rules;

/// <summary>For how long something must be wrong.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(AtOnce), "once")]
[JsonDerivedType(typeof(ForChecks), "checks")]
[JsonDerivedType(typeof(ForShare), "share")]
public abstract record ForDuration
{
    public const int MostChecks = 500;

    /// <summary>How many of how many of the last checks must be wrong.</summary>
    public abstract (int Least, int Of) Checks(long interval);
}

public sealed record AtOnce : ForDuration
{
    public override (int Least, int Of) Checks(long interval) => (1, 1);
}

/// <summary>At so many checks, one after the other.</summary>
public sealed record ForChecks(int Count) : ForDuration
{
    public override (int Least, int Of) Checks(long interval) => (Count, Count);
}

/// <summary>At a share of the checks of a window.</summary>
/// <param name="Share">More than 0, up to 1.</param>
/// <param name="Window">Nanoseconds.</param>
public sealed record ForShare(double Share, long Window) : ForDuration
{
    public override (int Least, int Of) Checks(long interval)
    {
        var of = (int)Math.Clamp(Window / interval, 1, MostChecks);
        return (Math.Max(1, (int)Math.Ceiling((of * Share) - 1e-9)), of);
    }
}
