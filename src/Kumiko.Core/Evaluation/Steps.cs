using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Evaluation;

/// <summary>The steps that a window is cut into: from midnight of the zone, days as the calendar has them.</summary>
public sealed class Steps
{
    /// <summary>Round lengths, in nanoseconds, that people expect on a time axis.</summary>
    public static readonly long[] Round =
    [
        .. new[] { 1, 2, 5, 10, 15, 20, 30 }.Select(s => s * Instants.Second),
        .. new[] { 1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30 }.Select(m => m * Instants.Minute),
        .. new[] { 1, 2, 3, 4, 6, 8, 12 }.Select(h => h * Instants.Hour),
        Instants.Day,
        7 * Instants.Day,
        28 * Instants.Day,
    ];

    private readonly long[] _starts;
    private readonly bool _even;

    private Steps(long length, long[] starts, long end)
    {
        Length = length;
        End = end;
        _starts = starts;
        _even = true;
        for (var i = 1; i < starts.Length && _even; i++)
            _even = starts[i] - starts[i - 1] == length;
    }

    public long Length { get; }
    public IReadOnlyList<long> Starts => _starts;

    /// <summary>Where the last step ends.</summary>
    public long End { get; }

    /// <summary>The stretch of a step.</summary>
    public Window this[int index] => new(_starts[index], index + 1 < _starts.Length ? _starts[index + 1] : End);

    /// <summary>The shortest round step with at most this many in the window.</summary>
    public static long RoundFor(Window window, int most) =>
        Array.Find(Round, step => window.Length / step <= most) is var step and > 0 ? step : Math.Max(window.Length / most, 1);

    public static long Count(Window window, long length) => (window.Length / Math.Max(1, length)) + 2;

    /// <param name="window">What the steps must cover; the first may begin before it.</param>
    /// <param name="length">Nanoseconds, more than 0. See <see cref="Count"/> before asking for very many.</param>
    /// <param name="zone">Whose midnights steps start from.</param>
    public static Steps Cut(Window window, long length, DateTimeZone zone)
    {
        var starts = new List<long>();
        var end = window.From;
        var days = (int)Math.Max(1, length / Instants.Day);
        var date = Instants.ToInstant(window.From).InZone(zone).Date;
        if (length >= Instants.Day)
        {
            // Several days are counted from a Monday, so that weeks begin on one.
            var monday = new LocalDate(1970, 1, 5);
            var since = Period.DaysBetween(monday, date);
            date = date.PlusDays(-(((since % days) + days) % days));
        }
        for (var day = Nanoseconds(date, zone); day < window.To; day = Nanoseconds(date, zone))
        {
            date = date.PlusDays(days);
            var next = end = Nanoseconds(date, zone);
            if (length >= Instants.Day)
            {
                starts.Add(day);
                continue;
            }
            var first = day + (Math.Max(0, (window.From - day) / length) * length);
            for (var start = first; start < next && start < window.To; start += length)
            {
                starts.Add(start);
                end = Math.Min(start + length, next);
            }
        }
        return new Steps(length, [.. starts], end);
    }

    /// <summary>Steps of one length from an instant on, whatever the calendar says.</summary>
    public static Steps Even(long from, long length, int count)
    {
        var starts = new long[count];
        for (var i = 0; i < count; i++)
            starts[i] = from + (i * length);
        return new Steps(length, starts, from + (count * length));
    }

    /// <summary>The step a time falls into, or -1 before the first.</summary>
    public int IndexOf(long time)
    {
        if (_starts.Length == 0 || time < _starts[0])
            return -1;
        if (_even)
            return (int)Math.Min((time - _starts[0]) / Length, _starts.Length - 1);
        var at = Array.BinarySearch(_starts, time);
        return at >= 0 ? at : ~at - 1;
    }

    private static long Nanoseconds(LocalDate date, DateTimeZone zone) =>
        zone.AtStartOfDay(date).ToInstant().ToUnixTimeTicks() * 100;
}
