using Kumiko.Core.Records;

namespace Kumiko.Core.Sources;

/// <summary>What one source sent, counted as it comes. Used under the lock of its book.</summary>
internal sealed class SourceCounts
{
    private const int Seconds = 60;
    private const int Minutes = 60;
    private const int Delays = 256;

    /// <summary>Something so late was stored somewhere, or imported; it says nothing about the way here.</summary>
    private const long LongestDelay = Instants.Day;

    private readonly (long At, long Count)[] _seconds = new (long, long)[Seconds];
    private readonly (long At, long Count)[] _minutes = new (long, long)[Minutes];
    private readonly long[] _delays = new long[Delays];
    private int _delaysKnown;
    private int _nextDelay;

    public string Name { get; init; } = "";
    public long FirstSeen { get; set; }
    public long LastSeen { get; set; }
    public long Newest { get; set; }
    public long Records { get; set; }
    public long Samples { get; set; }
    public long Spans { get; set; }
    public long Changes { get; set; }
    public long Refused { get; set; }
    public string Protocol { get; set; } = "";
    public string Recognised { get; set; } = "";
    public bool IsChanged { get; set; }

    public void Add(long now, long items, long newest)
    {
        if (FirstSeen == 0)
            FirstSeen = now;
        LastSeen = now;
        if (newest > Newest && newest < now + LongestDelay)
            Newest = newest;
        Add(_seconds, now / Instants.Second, items);
        Add(_minutes, now / Instants.Minute, items);
        IsChanged = true;
    }

    private static void Add((long At, long Count)[] ring, long at, long items)
    {
        ref var slot = ref ring[at % ring.Length];
        slot = slot.At == at ? (at, slot.Count + items) : (at, items);
    }

    public void AddDelay(long delay)
    {
        if (delay is < -LongestDelay or > LongestDelay)
            return;
        _delays[_nextDelay] = delay;
        _nextDelay = (_nextDelay + 1) % Delays;
        _delaysKnown = Math.Min(Delays, _delaysKnown + 1);
    }

    public SourceState At(long now)
    {
        var second = now / Instants.Second;
        // The second that goes on is left out: it is not full.
        var sum = _seconds.Where(s => s.At < second && s.At >= second - Seconds + 1).Sum(s => s.Count);
        var minute = now / Instants.Minute;
        var hour = new long[Minutes];
        foreach (var (at, count) in _minutes)
            if (at > minute - Minutes && at <= minute)
                hour[at - minute + Minutes - 1] = count;
        var delays = _delays[.._delaysKnown].Order().ToArray();
        long? Part(double share) => delays.Length == 0 ? null : delays[(int)((delays.Length - 1) * share)];
        return new SourceState(
            Name,
            FirstSeen,
            LastSeen,
            Newest,
            Records,
            Samples,
            Spans,
            Changes,
            Refused,
            Protocol,
            Recognised,
            sum / (double)(Seconds - 1),
            hour,
            Part(0.5),
            Part(0.95)
        );
    }
}
