namespace Kumiko.Worlds.Topologies;

/// <summary>How busy a rhythm is at a time.</summary>
public static class Rhythms
{
    private const double MinutesOfDay = 1_440;

    /// <summary>Next to 1 on average over a week, by the clock of the time that is given.</summary>
    public static double At(this Rhythm rhythm, DateTimeOffset time)
    {
        var hours = rhythm.Hours;
        var place = time.TimeOfDay.TotalHours / 24 * hours.Length;
        var hour = (int)place % hours.Length;
        var part = place - Math.Floor(place);
        var level = ((hours[hour] * (1 - part)) + (hours[(hour + 1) % hours.Length] * part)) / rhythm.MeanHour;
        var days = rhythm.Days;
        level *= days[((int)time.DayOfWeek + 6) % 7 % days.Length] / rhythm.MeanDay;
        if (rhythm.YearSwing > 0)
            level *= 1 + (rhythm.YearSwing * Math.Cos((time.DayOfYear - rhythm.YearPeak) / 365.0 * 2 * Math.PI));
        return rhythm.Crowds.Length == 0 ? level : level * Crowded(rhythm, time.TimeOfDay.TotalMinutes);
    }

    /// <summary>What those add who crowd towards a minute of the day; the quiet between them makes up for it.</summary>
    private static double Crowded(Rhythm rhythm, double minute)
    {
        var crowd = 0.0;
        foreach (var at in rhythm.Crowds)
        {
            var off = (minute - (at - rhythm.CrowdBefore)) / rhythm.CrowdWidth;
            if (Math.Abs(off) < 4)
                crowd += Math.Exp(-off * off / 2);
        }
        // The area under each, so that the mean stays near 1.
        var mean = rhythm.Crowds.Length * rhythm.CrowdWidth * Math.Sqrt(2 * Math.PI) / MinutesOfDay;
        return (1 + (rhythm.CrowdHeight * crowd)) / (1 + (rhythm.CrowdHeight * mean));
    }
}
