namespace Kumiko.Worlds.Disturbances;

/// <summary>What plays do at a time.</summary>
public static class Acting
{
    /// <summary>How full disks are when all is well, and what may come on top of it, as shares.</summary>
    public const double DiskUsed = 0.42;
    public const double DiskRoom = 0.57;

    /// <summary>How much there is of a kind of act: the sum of amounts by strength.</summary>
    public static double Sum(this IReadOnlyList<Play> plays, ActOn on, string service, DateTimeOffset time, string? host = null)
    {
        var sum = 0.0;
        foreach (var (act, strength) in plays.Of(on, service, time))
            if (host is null || act.Touches(host))
                sum += act.Amount * strength;
        return sum;
    }

    /// <summary>The product of factors, each as far from 1 as its strength goes.</summary>
    public static double Factor(this IReadOnlyList<Play> plays, ActOn on, string service, DateTimeOffset time)
    {
        var factor = 1.0;
        foreach (var (act, strength) in plays.Of(on, service, time))
            factor *= 1 + ((act.Amount - 1) * strength);
        return factor;
    }

    /// <summary>Acts of a kind on a service that work at a time.</summary>
    public static IEnumerable<(Act Act, double Strength)> Of(
        this IReadOnlyList<Play> plays,
        ActOn on,
        string service,
        DateTimeOffset time
    )
    {
        foreach (var play in plays)
        foreach (var act in play.Of.Acts)
            if (act.On == on && act.Service == service && play.Strength(act, time) is > 0 and var strength)
                yield return (act, strength);
    }

    /// <summary>How strongly a disturbance is there at a time, 0 to 1.</summary>
    public static double Strength(this IReadOnlyList<Play> plays, int number, DateTimeOffset time)
    {
        var most = 0.0;
        foreach (var play in plays)
            if (play.Of.Number == number)
                most = Math.Max(most, play.Strength(time));
        return most;
    }

    /// <summary>Messages that wait in a queue: more while consumers are missing, fewer and fewer once they are back.</summary>
    public static double Waiting(this IReadOnlyList<Play> plays, string queue, DateTimeOffset time) =>
        Grown(plays, ActOn.Queue, queue, time, (amount, lasted, since) =>
            (amount * lasted.TotalMinutes) - (1.5 * amount * since.TotalMinutes)
        );

    /// <summary>Share of a disk that is full beside what is always there; tidied within a day.</summary>
    public static double Filled(this IReadOnlyList<Play> plays, string service, double room, DateTimeOffset time) =>
        Grown(plays, ActOn.Disk, service, time, (amount, lasted, since) =>
            Math.Min(room, amount * lasted.TotalHours) * Math.Max(0, 1 - since.TotalDays)
        );

    private static double Grown(
        IReadOnlyList<Play> plays,
        ActOn on,
        string of,
        DateTimeOffset time,
        Func<double, TimeSpan, TimeSpan, double> level
    )
    {
        var most = 0.0;
        foreach (var play in plays)
            if (time > play.Start)
                foreach (var act in play.Of.Acts)
                    if (act.On == on && act.Service == of)
                    {
                        var end = play.End is { } ended && ended < time ? ended : time;
                        var amount = play.Intensity < 1 ? act.InHistory ?? (act.Amount * play.Intensity) : act.Amount;
                        most = Math.Max(most, level(amount, end - play.Start, time - end));
                    }
        return most;
    }
}
