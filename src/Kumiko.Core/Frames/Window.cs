namespace Kumiko.Core.Frames;

/// <summary>A stretch of time, [From, To), in UTC nanoseconds.</summary>
public readonly record struct Window(long From, long To)
{
    public long Length => To - From;
    public bool IsEmpty => To <= From;

    public bool Contains(long time) => time >= From && time < To;

    public bool Overlaps(long first, long last) => first < To && last >= From;

    public Window Shift(long nanoseconds) => new(From + nanoseconds, To + nanoseconds);

    /// <summary>The shortest stretch that holds both.</summary>
    public Window Union(Window other) => new(Math.Min(From, other.From), Math.Max(To, other.To));
}
