namespace Kumiko.Core.Rules;

/// <summary>The start of an alert.</summary>
public sealed record RuleStart(long Rule, long At, string Name, IReadOnlyList<string> Keys);

/// <summary>Alerts of several rules that began one after another.</summary>
/// <param name="Starts">One of each rule, in order.</param>
public sealed record AlertSequence(IReadOnlyList<RuleStart> Starts)
{
    /// <summary>It happens when the last of them begins.</summary>
    public RuleStart Last => Starts[^1];
}

/// <summary>Finds alerts that began in order.</summary>
public static class AlertSequences
{
    /// <summary>One sequence for each start of the last rule that has one; each earlier step is the latest that fits.</summary>
    /// <param name="starts">In order of time.</param>
    public static IEnumerable<AlertSequence> Find(InOrder order, IReadOnlyList<RuleStart> starts)
    {
        foreach (var last in starts.Where(s => s.Rule == order.Rules[^1]))
            if (Before(order, starts, last, order.Rules.Count - 2) is { } chain)
                yield return new AlertSequence([.. chain, last]);
    }

    private static List<RuleStart>? Before(InOrder order, IReadOnlyList<RuleStart> starts, RuleStart next, int step)
    {
        if (step < 0)
            return [];
        foreach (
            var start in starts
                .Where(s =>
                    s.Rule == order.Rules[step]
                    && s.At < next.At
                    && next.At - s.At <= order.Within
                    && (!order.SameKey || s.Keys.SequenceEqual(next.Keys))
                )
                .OrderByDescending(s => s.At)
        )
            if (Before(order, starts, start, step - 1) is { } chain)
                return [.. chain, start];
        return null;
    }
}
