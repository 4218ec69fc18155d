namespace Kumiko.Core.Rules;

/// <summary>
/// The logic of one rule over its checks: feeds on values in order of time, and says when an alert starts, rises
/// and ends. The same code judges live checks and a trial on history.
/// </summary>
public sealed class Episode(Rule rule, AlertLevel level = AlertLevel.None, long highest = 0)
{
    /// <summary>The highest level since the start; none while all is well.</summary>
    public AlertLevel Level { get; private set; } = level;

    /// <summary>The highest value since the start.</summary>
    public long Highest { get; private set; } = highest;

    public Turn? Judge(long at, long value)
    {
        var now = rule.LevelOf(value);
        var before = Level;
        if (now == AlertLevel.None)
        {
            Level = AlertLevel.None;
            return before == AlertLevel.None ? null : new Turn(TurnKind.Ended, at, before, value);
        }
        Highest = before == AlertLevel.None ? value : Math.Max(Highest, value);
        if (now <= before) return null;
        Level = now;
        return new Turn(before == AlertLevel.None ? TurnKind.Started : TurnKind.Rose, at, now, value);
    }
}
