using Kumiko.Core.Records;

namespace Kumiko.Core.Delivery;

/// <summary>Tellings that wait for one target, of one bundle.</summary>
/// <param name="Since">Since when the oldest waits.</param>
/// <param name="Last">When the target was last told of this bundle; null for never.</param>
/// <param name="IsCritical">Whether one of them is critical.</param>
public sealed record WaitingBundle(string Name, long Since, long? Last, bool IsCritical);

/// <summary>Decides which of what waits is told now, and in how many messages.</summary>
public static class QuietPlan
{
    /// <param name="recent">When messages went to the target, within <see cref="ChannelQuiet.Per"/>.</param>
    /// <param name="waiting">Oldest first.</param>
    /// <returns>The bundles of each message.</returns>
    public static IReadOnlyList<IReadOnlyList<string>> Decide(
        ChannelQuiet quiet,
        IEnumerable<long> recent,
        IReadOnlyList<WaitingBundle> waiting,
        long now
    )
    {
        if (waiting.Count == 0)
            return [];
        if (quiet.Digest > 0)
        {
            var digest = waiting.Where(w => NextDigest(quiet, w.Since) <= now).Select(w => w.Name).ToList();
            var atOnce = quiet.CriticalAtOnce ? waiting.Where(w => w.IsCritical && !digest.Contains(w.Name)).ToList() : [];
            // A digest that is due takes everything along.
            if (digest.Count > 0)
                return
                [
                    [.. waiting.Select(w => w.Name)],
                ];
            waiting = atOnce;
        }
        var free = quiet.Most - recent.Count(t => t > now - quiet.Per);
        var ready = waiting.Where(w => w.Last is not { } last || last <= now - quiet.Gather).Select(w => w.Name).ToList();
        if (free <= 0 || ready.Count == 0)
            return [];
        // The last message that may go takes along all that waits.
        if (ready.Count < free)
            return [.. ready.Select(r => (IReadOnlyList<string>)[r])];
        return
        [
            .. ready.Take(free - 1).Select(r => (IReadOnlyList<string>)[r]),
            [.. waiting.Select(w => w.Name).Except(ready.Take(free - 1))],
        ];
    }

    /// <summary>When what waits since then is told in a digest.</summary>
    public static long NextDigest(ChannelQuiet quiet, long since) =>
        quiet.Digest <= 0 ? since : ((since / quiet.Digest) + 1) * quiet.Digest;

    /// <summary>When further messages can go, once the limit is reached; null where it is not.</summary>
    public static long? FullUntil(ChannelQuiet quiet, IEnumerable<long> recent, long now)
    {
        var within = recent.Where(t => t > now - quiet.Per).Order().ToList();
        return within.Count < quiet.Most ? null : within[^quiet.Most] + quiet.Per;
    }
}
