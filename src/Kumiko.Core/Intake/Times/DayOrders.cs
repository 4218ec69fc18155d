using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Times;

/// <summary>What the order of numbers in a source's dates is, by all of its times together.</summary>
/// <param name="Order">None where the text leaves no doubt at all.</param>
/// <param name="IsSure">Whether only this order makes dates of all of them that are not in the future; else somebody has to
/// say.</param>
internal readonly record struct DayOrderGuess(DayOrder Order, bool IsSure);

/// <summary>Finds the order of days from times that leave it open.</summary>
internal static class DayOrders
{
    private static readonly DayOrder[] All = [DayOrder.YearFirst, DayOrder.MonthFirst, DayOrder.DayFirst];

    /// <param name="times">In the order of their lines.</param>
    /// <param name="now">Times a day and more behind it are in the future.</param>
    public static DayOrderGuess Guess(IReadOnlyList<WrittenTime> times, long now)
    {
        var open = times.Where(t => t.Numbers.A > 0).ToList();
        if (open.Count == 0)
            return new DayOrderGuess(DayOrder.None, IsSure: true);
        var fitting = All.Select(o => (Order: o, Read: Read(open, o, now))).Where(f => f.Read is not null).ToList();
        if (fitting.Count == 0)
            return new DayOrderGuess(DayOrder.None, IsSure: false);
        // Of orders that all give dates, one under which lines run on in time beats one under which they jump.
        var best = fitting.MinBy(f => (f.Read!.Value.Back, f.Read.Value.Span));
        var rivals = fitting.Where(f => f.Order != best.Order && !AreSame(open, best.Order, f.Order)).ToList();
        var isSure = rivals.All(r => IsWorse(r.Read!.Value, best.Read!.Value));
        return new DayOrderGuess(best.Order, isSure);
    }

    /// <summary>The order under which times lie nearest to now.</summary>
    public static DayOrder Nearest(IReadOnlyList<WrittenTime> times, long now)
    {
        return All.MinBy(o =>
            times.Where(t => t.Numbers.A > 0).Select(t => Distance(t, o)).DefaultIfEmpty(double.MaxValue).Max()
        );

        double Distance(WrittenTime time, DayOrder order)
        {
            if (time.In(order) is not { } read)
                return double.MaxValue;
            var dated = read.Year > 0 ? read : read with { Year = Instants.ToDateTime(now).Year };
            return dated.TryGetLocal(out var local) ? Math.Abs((double)local - now) : double.MaxValue;
        }
    }

    private static bool AreSame(List<WrittenTime> times, DayOrder one, DayOrder other) =>
        times.All(t => t.In(one) is { } a && t.In(other) is { } b && (a.Year, a.Month, a.Day) == (b.Year, b.Month, b.Day));

    private static bool IsWorse((int Back, long Span) one, (int Back, long Span) best)
    {
        const int Jumps = 2;
        const long Days = 20;
        return one.Back >= best.Back + Jumps
            || (one.Back > best.Back && one.Span > best.Span)
            || (one.Span > best.Span + Days && best.Span < one.Span / Days);
    }

    /// <summary>How often time goes back by a day and more, and how many days are spanned; null where one is no date or in the
    /// future.</summary>
    private static (int Back, long Span)? Read(List<WrittenTime> times, DayOrder order, long now)
    {
        var (back, first, last, before) = (0, long.MaxValue, long.MinValue, long.MinValue);
        var year = Instants.ToDateTime(now).Year;
        foreach (var time in times)
        {
            if (time.In(order) is not { } read)
                return null;
            var dated = read.Year > 0 ? read : read with { Year = year };
            if (!dated.TryGetLocal(out var local) || (read.Year > 0 && local > now + Instants.Day))
                return null;
            var day = local / Instants.Day;
            if (day < before)
                back++;
            (first, last, before) = (Math.Min(first, day), Math.Max(last, day), day);
        }
        return (back, last - first);
    }
}
