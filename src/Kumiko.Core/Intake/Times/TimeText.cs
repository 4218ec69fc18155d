using System.Buffers.Text;
using System.Text;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Times;

/// <summary>
/// Texts that are a time and nothing else, as fields hold them: ISO 8601, the spellings of <see cref="WrittenTime"/> with a
/// whole date, RFC 1123, and numbers since 1970. UTC where no offset is written.
/// </summary>
internal static class TimeText
{
    private const int Longest = 64;

    /// <summary>Reads a text that is a time and nothing else.</summary>
    /// <param name="reason">What is wrong and what to send, where the answer is false.</param>
    public static bool TryRead(ReadOnlySpan<byte> text, out long nanoseconds, out string reason)
    {
        reason = "";
        if (Instants.TryParsePlain(text, out nanoseconds))
            return true;
        text = text.Trim(" \t"u8);
        if (WrittenTime.TryScan(text, out var written) && written.Length == text.Length)
        {
            if (written.TryGetInstant(out nanoseconds))
                return true;
            reason = Reason(written);
            return false;
        }
        if (text.Length <= Longest && Instants.TryParse(Encoding.Latin1.GetString(text), out nanoseconds))
            return true;
        if (Utf8Parser.TryParse(text, out long whole, out var read) && read == text.Length)
            return TryRead(whole, out nanoseconds, out reason);
        if (Utf8Parser.TryParse(text, out decimal exact, out read) && read == text.Length)
            return TryRead(exact, out nanoseconds, out reason);
        if (Utf8Parser.TryParse(text, out double number, out read) && read == text.Length)
            return TryRead(number, out nanoseconds, out reason);
        reason = "This is not written as a time. Send ISO 8601, such as 2026-11-23T17:51:04.204Z, or a number since 1970.";
        return false;
    }

    /// <summary>Reads a number of seconds, milliseconds, microseconds or nanoseconds since 1970.</summary>
    public static bool TryRead(long number, out long nanoseconds, out string reason)
    {
        var known = Instants.TryFromEpoch(number, out nanoseconds);
        reason = known ? "" : Outside;
        return known;
    }

    /// <inheritdoc cref="TryRead(long, out long, out string)"/>
    public static bool TryRead(decimal number, out long nanoseconds, out string reason)
    {
        // All its digits count, of which a double keeps nine behind the point at most in this century's seconds.
        var factor = Math.Abs(number) switch
        {
            < 100_000_000_000m => 1e9m,
            < 100_000_000_000_000m => 1e6m,
            < 100_000_000_000_000_000m => 1e3m,
            _ => 1m,
        };
        var known = Math.Abs(number) < long.MaxValue / factor;
        nanoseconds = known ? (long)decimal.Round(number * factor) : 0;
        reason = known ? "" : Outside;
        return known;
    }

    /// <inheritdoc cref="TryRead(long, out long, out string)"/>
    public static bool TryRead(double number, out long nanoseconds, out string reason)
    {
        var known = Instants.TryFromEpoch(number, out nanoseconds);
        reason = known ? "" : Outside;
        return known;
    }

    private const string Outside = "This time lies outside the years 1678 to 2261.";

    private static string Reason(in WrittenTime time) =>
        time switch
        {
            { IsAmbiguous: true } => "Which number is the month cannot be told. Send ISO 8601, such as 2026-11-23T17:51:04Z.",
            { HasUnknownZone: true } => "The name of this zone has several meanings. Send its offset, such as +01:00.",
            { Month: 0 } => "This time has no day. Send ISO 8601, such as 2026-11-23T17:51:04Z.",
            { Year: 0 } => "This time has no year. Send ISO 8601, such as 2026-11-23T17:51:04Z.",
            { Year: < 1678 or > 2261 } => Outside,
            _ => "This day is not in the calendar.",
        };
}
