namespace Kumiko.Core.Evaluation;

/// <summary>What one query may use. Beyond it, it is refused with words that say the limit and a way out.</summary>
public sealed record Limits(TimeSpan Time, int Keys, int Steps, int Rows, int Sorted)
{
    /// <summary>Bytes that the values held for an answer may take.</summary>
    public long Memory { get; init; } = 1L << 30;

    public static readonly Limits Default = new(
        TimeSpan.FromSeconds(30),
        Keys: 10_000,
        Steps: 5_000,
        Rows: 300_000,
        Sorted: 200_000
    );
}

/// <summary>A query asked for more than its limits. Its message is for the person who asked.</summary>
public class QueryRefusedException(FormattableString message) : Exception(Grouped(message))
{
    // Thin spaces between thousands, as everywhere in the interface.
    private static string Grouped(FormattableString message) =>
        message.ToString(System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u2009').Replace("\u2009 ", ", ");
}

/// <summary>A query took longer than it may.</summary>
public sealed class QueryTimedOutException(FormattableString message) : QueryRefusedException(message);

/// <summary>A query was not begun, or not gone on with, as too much is asked for at this moment.</summary>
/// <param name="isOwn">Whether it is the one who asks that asks for too much, and not all together.</param>
public sealed class QueryBusyException(FormattableString message, bool isOwn) : QueryRefusedException(message)
{
    /// <summary>When it may be tried again.</summary>
    public static readonly TimeSpan Wait = TimeSpan.FromSeconds(5);

    public bool IsOwn => isOwn;
}
