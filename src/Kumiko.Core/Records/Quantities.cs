using System.Globalization;

namespace Kumiko.Core.Records;

/// <summary>Durations and sizes as text, both ways, exact to the nanosecond and the byte.</summary>
public static class Quantities
{
    private static readonly (string Unit, long Factor)[] DurationUnits =
    [
        ("w", 7 * Instants.Day),
        ("d", Instants.Day),
        ("h", Instants.Hour),
        ("m", Instants.Minute),
        ("s", Instants.Second),
        ("ms", 1_000_000),
        ("us", 1_000),
        ("µs", 1_000),
        ("ns", 1),
    ];

    private static readonly (string Unit, long Factor)[] SizeUnits =
    [
        ("TiB", 1L << 40),
        ("GiB", 1L << 30),
        ("MiB", 1L << 20),
        ("KiB", 1L << 10),
        ("TB", 1_000_000_000_000),
        ("GB", 1_000_000_000),
        ("MB", 1_000_000),
        ("kB", 1_000),
        ("B", 1),
    ];

    /// <summary>The shortest exact spelling: 812ms, 1h30m, 1.04s.</summary>
    public static string Duration(long nanoseconds)
    {
        if (nanoseconds == 0)
            return "0s";
        if (nanoseconds == long.MinValue)
            return Number(nanoseconds / 1e9) + "s";
        var sign = nanoseconds < 0 ? "-" : "";
        var rest = Math.Abs(nanoseconds);
        if (rest < 1_000)
            return sign + Number(rest) + "ns";
        if (rest < 1_000_000)
            return sign + Number(rest / 1_000m) + "us";
        if (rest < Instants.Second)
            return sign + Number(rest / 1_000_000m) + "ms";
        if (rest < Instants.Minute)
            return sign + Number(rest / 1_000_000_000m) + "s";
        var text = sign;
        foreach (var (unit, factor) in DurationUnits.AsSpan(0, 4))
        {
            if (rest < factor)
                continue;
            text += Number(rest / factor) + unit;
            rest %= factor;
        }
        return rest == 0 ? text : text + Number(rest / 1_000_000_000m) + "s";
    }

    public static string Size(long bytes)
    {
        foreach (var (unit, factor) in SizeUnits.AsSpan(0, 4))
            if (bytes != 0 && bytes % factor == 0)
                return Number(bytes / factor) + unit;
        return Number(bytes) + "B";
    }

    /// <summary>Reads one or several numbers with units, <c>400ms</c>, <c>1h30m</c>, <c>-2s</c>; all of the text must
    /// fit.</summary>
    public static bool TryParseDuration(ReadOnlySpan<char> text, out long nanoseconds) =>
        TryParse(text, DurationUnits, many: true, out nanoseconds);

    /// <summary>Reads a number with a unit of size: <c>4MiB</c>, <c>2kB</c>, <c>10B</c>.</summary>
    public static bool TryParseSize(ReadOnlySpan<char> text, out long bytes) => TryParse(text, SizeUnits, many: false, out bytes);

    private static bool TryParse(ReadOnlySpan<char> text, (string Unit, long Factor)[] units, bool many, out long total)
    {
        total = 0;
        var negative = text.StartsWith("-");
        if (negative)
            text = text[1..];
        if (text.IsEmpty || !char.IsAsciiDigit(text[0]) || text.Length > 40)
            return false;
        decimal sum = 0;
        do
        {
            var digits = 0;
            while (digits < text.Length && (char.IsAsciiDigit(text[digits]) || text[digits] == '.'))
                digits++;
            var letters = digits;
            while (letters < text.Length && char.IsLetter(text[letters]))
                letters++;
            if (digits == 0 || letters == digits)
                return false;
            if (!decimal.TryParse(text[..digits], NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number))
                return false;
            var unit = text[digits..letters];
            long factor = 0;
            foreach (var (name, size) in units)
                if (unit.SequenceEqual(name))
                    factor = size;
            if (factor == 0 || number > long.MaxValue)
                return false;
            try
            {
                sum += number * factor;
            }
            catch (OverflowException)
            {
                return false;
            }
            text = text[letters..];
        } while (many && !text.IsEmpty);
        if (!text.IsEmpty || sum > long.MaxValue)
            return false;
        total = (long)(negative ? -sum : sum);
        return true;
    }

    private static string Number(decimal number) => number.ToString("0.#########", CultureInfo.InvariantCulture);

    private static string Number(double number) => number.ToString("R", CultureInfo.InvariantCulture);

    private static string Number(long number) => number.ToString(CultureInfo.InvariantCulture);
}
