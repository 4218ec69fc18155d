namespace Kumiko.Core.Records;

/// <summary>Which of the numbers of a date comes first.</summary>
public enum DayOrder
{
    /// <summary>Not known, or the text leaves no doubt.</summary>
    None,
    YearFirst,
    MonthFirst,
    DayFirst,
}

/// <summary>A time as programs write it into lines and fields, with what the text leaves open.</summary>
/// <param name="Year">0 where none is written.</param>
/// <param name="Month">0 where only a clock is written.</param>
/// <param name="Nanosecond">Decimals beyond the ninth are cut off.</param>
/// <param name="Offset">Minutes from UTC; null where none is written, or a name that has several meanings.</param>
/// <param name="Length">How many bytes it takes.</param>
public readonly partial record struct WrittenTime(
    int Year,
    int Month,
    int Day,
    int Hour,
    int Minute,
    int Second,
    int Nanosecond,
    int? Offset,
    int Length
)
{
    /// <summary>Whether which of two numbers is the month cannot be told from the text: <c>04/05/2026</c>.</summary>
    public bool IsAmbiguous { get; init; }

    /// <summary>Whether a zone is written that is no offset: a name with several meanings, <c>CST</c>, or one of a
    /// region.</summary>
    public bool HasUnknownZone { get; init; }

    /// <summary>Where the name of a region begins, such as <c>Europe/Berlin</c>, which ends with the time; 0 where none is
    /// written.</summary>
    public int RegionAt { get; init; }

    /// <summary>Whether a clock is written behind the date.</summary>
    public bool HasClock { get; init; }

    /// <summary>The numbers of a date whose order the spelling leaves open, the third 0 where there are two; else all
    /// 0.</summary>
    public (int A, int B, int C) Numbers { get; init; }

    /// <summary>The same text with its numbers in another order; null where they are no date then.</summary>
    public WrittenTime? In(DayOrder order)
    {
        var (a, b, c) = Numbers;
        if (a == 0 || order == DayOrder.None)
            return IsAmbiguous ? null : this;
        var (year, month, day) = (order, c) switch
        {
            (DayOrder.YearFirst, > 0 and < 100) => (WholeYear(a), b, c),
            (DayOrder.YearFirst, _) => (0, 0, 0),
            (DayOrder.MonthFirst, _) => (WholeYear(c), a, b),
            _ => (WholeYear(c), b, a),
        };
        if (month is < 1 or > 12 || day < 1 || day > DateTime.DaysInMonth(year == 0 ? 2000 : year, month))
            return null;
        return this with { Year = year, Month = month, Day = day, IsAmbiguous = false };
    }

    /// <summary>The year that two digits stand for: 1970 to 2069.</summary>
    private static int WholeYear(int number) =>
        number switch
        {
            0 or > 99 => number,
            _ => OfTwoDigits(number),
        };

    private static int OfTwoDigits(int number) => number >= 70 ? 1900 + number : 2000 + number;

    /// <summary>Nanoseconds since 1970, in UTC where no offset is written; false where the date is not whole, or is
    /// none.</summary>
    public bool TryGetInstant(out long nanoseconds)
    {
        nanoseconds = 0;
        if (IsAmbiguous || HasUnknownZone || !TryGetLocal(out nanoseconds))
            return false;
        nanoseconds -= (Offset ?? 0) * Instants.Minute;
        return true;
    }

    /// <summary>Nanoseconds since 1970 as the clock shows them, whatever its zone; false where the date is not whole, or is
    /// none.</summary>
    public bool TryGetLocal(out long nanoseconds)
    {
        nanoseconds = 0;
        if (Month is < 1 or > 12 || Year is < 1678 or > 2261 || Day < 1 || Day > DateTime.DaysInMonth(Year, Month))
            return false;
        nanoseconds = (Instants.DaysSince1970(Year, Month, Day) * Instants.Day) + OfDay;
        return true;
    }

    /// <summary>Nanoseconds since midnight; a leap second is the last of its minute.</summary>
    public long OfDay => (((Hour * 60L) + Minute) * Instants.Minute) + (Math.Min(Second, 59) * Instants.Second) + Nanosecond;

    /// <summary>Finds a time at the beginning of a text; what follows it is not looked at.</summary>
    public static bool TryScan(ReadOnlySpan<byte> text, out WrittenTime time)
    {
        var scan = new Scan(text);
        var found = text.Length >= 5 && (text[0] is >= (byte)'0' and <= (byte)'9' ? scan.Numbered() : scan.Named());
        time = found ? scan.Result() : default;
        return found;
    }
}
