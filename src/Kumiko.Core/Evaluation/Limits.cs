namespace Kumiko.Core.Evaluation;

/// <summary>What one query may use. Beyond it, it is refused with words that say the limit and a way out.</summary>
public sealed record Limits(TimeSpan Time, int Keys, int Steps, int Rows, int Sorted)
{
    public static readonly Limits Default = new(TimeSpan.FromSeconds(30), Keys: 10_000, Steps: 5_000, Rows: 300_000, Sorted: 200_000);
}

/// <summary>A query asked for more than its limits. Its message is for the person who asked.</summary>
public sealed class QueryRefusedException(FormattableString message) : Exception(Grouped(message))
{
    // Thin spaces between thousands, as everywhere in the interface.
    private static string Grouped(FormattableString message) =>
        message.ToString(System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u2009').Replace("\u2009 ", ", ");
}
