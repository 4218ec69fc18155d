using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>What one check finds wrong with one key.</summary>
/// <param name="Level">Whatever comes before and after.</param>
/// <param name="HasData">Whether there was anything to judge.</param>
/// <param name="Badness">The higher, the worse; for comparing the checks of one episode.</param>
public readonly record struct ConditionResult(AlertLevel Level, bool HasData, double Badness)
{
    private static readonly ConditionResult Nothing = new(AlertLevel.None, false, 0);

    /// <param name="key">What is known of the key, with this check's sighting.</param>
    public static ConditionResult Of(RuleDefinition definition, in Measurement measurement, KeyState key, long at) =>
        definition.Condition switch
        {
            Beyond when double.IsNaN(measurement.Value) => Nothing,
            Beyond { Below: true } beyond => Low(measurement.Value, beyond.Warning, beyond.Critical, -measurement.Value),
            Beyond beyond => High(measurement.Value, beyond.Warning, beyond.Critical, measurement.Value),
            Moved moved => Of(moved, measurement),
            Unusual unusual => Of(unusual, measurement),
            Silent silent => new(!measurement.Seen && IsExpected(silent, key, at) ? silent.Level : AlertLevel.None, true, 0),
            // It is new until it has been there for as long as is looked at.
            NewValue fresh => new(
                measurement.Seen
                && key.Name.Any(c => c != '\0' && c != '\u001f')
                && key.FirstSeen is { } first
                && at - first < definition.InTheLast
                    ? fresh.Level
                    : AlertLevel.None,
                true,
                double.IsNaN(measurement.Value) ? 0 : measurement.Value
            ),
            WillReach reach => double.IsNaN(measurement.Compared)
                ? Nothing
                : new(
                    LevelOf(measurement.Compared <= reach.Critical, measurement.Compared <= reach.Warning),
                    true,
                    -measurement.Compared
                ),
            _ => Nothing,
        };

    /// <summary>Without a key something is always expected.</summary>
    private static bool IsExpected(Silent silent, KeyState key, long at) =>
        key.Name.Length == 0 || (key.LastSeen is { } last && at - last <= silent.Expected);

    private static ConditionResult High(double value, double? warning, double? critical, double badness) =>
        new(LevelOf(value > critical, value > warning), true, badness);

    private static ConditionResult Low(double value, double? warning, double? critical, double badness) =>
        new(LevelOf(value < critical, value < warning), true, badness);

    private static AlertLevel LevelOf(bool isCritical, bool isWarning)
    {
        if (isCritical)
            return AlertLevel.Critical;
        return isWarning ? AlertLevel.Warning : AlertLevel.None;
    }

    private static ConditionResult Of(Moved moved, in Measurement measurement)
    {
        if (double.IsNaN(measurement.Value) || double.IsNaN(measurement.Compared))
            return Nothing;
        if (Change(moved.By, measurement.Value, measurement.Compared) is not { } change)
            return Nothing;
        var off = Directed(moved.Side, change, moved.By == MoveBy.Factor);
        return High(off, moved.Warning, moved.Critical, off);
    }

    /// <summary>How a figure moved; null where nothing can be said: there was nothing earlier.</summary>
    public static double? Change(MoveBy by, double value, double earlier) =>
        by switch
        {
            MoveBy.Amount => value - earlier,
            _ when earlier == 0 => null,
            MoveBy.Percent => (value - earlier) / Math.Abs(earlier),
            _ => earlier < 0 || value < 0 ? null : value / earlier,
        };

    private static double Directed(Direction side, double change, bool isFactor)
    {
        // Half is as far as twice.
        var (up, down) = isFactor ? (change, change > 0 ? 1 / change : double.PositiveInfinity) : (change, -change);
        return side switch
        {
            Direction.High => up,
            Direction.Low => down,
            _ => Math.Max(up, down),
        };
    }

    private static ConditionResult Of(Unusual unusual, in Measurement measurement)
    {
        if (double.IsNaN(measurement.Value) || double.IsNaN(measurement.Compared) || !(measurement.Spread > 0))
            return Nothing;
        var score = (measurement.Value - measurement.Compared) / measurement.Spread;
        var off = Directed(unusual.Side, score, isFactor: false);
        return High(off, unusual.Warning, unusual.Critical, off);
    }

    /// <summary>For how long something that does not come any more is remembered.</summary>
    public static long Memory(RuleDefinition definition) =>
        definition.Condition switch
        {
            Silent silent => silent.Expected,
            NewValue fresh => fresh.History,
            _ => Math.Max(Instants.Day, definition.InTheLast),
        };
}
