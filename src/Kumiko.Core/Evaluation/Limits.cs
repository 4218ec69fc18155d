namespace Kumiko.Core.Evaluation;

/// <summary>What one query may use. Beyond it, it is refused with words that say the limit and a way out.</summary>
public sealed record Limits(TimeSpan Time, int Keys, int Steps, int Rows, int Sorted)
{
    /// <summary>Bytes that the values held for an answer may take.</summary>
    public long Memory { get; init; } = 1L << 30;

    public static readonly Limits Default = new(TimeSpan.FromSeconds(30), Keys: 10_000, Steps: 5_000, Rows: 300_000, Sorted: 200_000);
}

/// <summary>Adds up what one query holds, over its workers.</summary>
public sealed class MemoryMeter(long most)
{
    private long _held;

    /// <exception cref="QueryRefusedException">That is more than the query may hold.</exception>
    public void Take(long bytes)
    {
        if (Interlocked.Add(ref _held, bytes) > most)
            throw new QueryRefusedException($"This needs more than {most >> 20:N0} MiB of memory. Narrow the search, group by fewer keys, or take a longer step.");
    }
}

/// <summary>A query asked for more than its limits. Its message is for the person who asked.</summary>
public sealed class QueryRefusedException(FormattableString message) : Exception(Grouped(message))
{
    // Thin spaces between thousands, as everywhere in the interface.
    private static string Grouped(FormattableString message) =>
        message.ToString(System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u2009').Replace("\u2009 ", ", ");
}
