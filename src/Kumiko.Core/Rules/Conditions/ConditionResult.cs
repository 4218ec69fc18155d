namespace Kumiko.Core.Rules;

/// <summary>What one check finds wrong with one key.</summary>
/// <param name="Level">Whatever comes before and after.</param>
/// <param name="HasData">Whether there was anything to judge.</param>
/// <param name="Badness">The higher, the worse; for comparing the checks of one episode.</param>
public readonly record struct ConditionResult(AlertLevel Level, bool HasData, double Badness)
{
    public static readonly ConditionResult Nothing = new(AlertLevel.None, false, 0);

    /// <summary>Wrong above a limit.</summary>
    public static ConditionResult High(double value, (double? Warning, double? Critical) limits) =>
        new(LevelOf(value > limits.Critical, value > limits.Warning), true, value);

    /// <summary>Wrong below a limit.</summary>
    public static ConditionResult Low(double value, (double? Warning, double? Critical) limits) =>
        new(LevelOf(value < limits.Critical, value < limits.Warning), true, -value);

    public static AlertLevel LevelOf(bool isCritical, bool isWarning)
    {
        if (isCritical)
            return AlertLevel.Critical;
        return isWarning ? AlertLevel.Warning : AlertLevel.None;
    }
}
