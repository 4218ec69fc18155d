using System.Globalization;
using NodaTime;

namespace Kumiko.Demo.World;

/// <summary>
/// The ferry line's own zone, a whole number of minutes from UTC. It is chosen at the first start, so that it is half past five
/// in the
/// afternoon there: the evening peak begins, whenever one has a look.
/// </summary>
public sealed class LineZone
{
    private static readonly TimeSpan FirstStart = new(17, 30, 0);
    private static readonly TimeSpan HalfDay = TimeSpan.FromHours(12);

    private readonly TimeProvider _clock;

    /// <param name="folder">Keeps what was chosen, for later starts.</param>
    /// <param name="given">The offset where one is given; null to choose it.</param>
    public LineZone(string folder, TimeSpan? given, TimeProvider clock)
    {
        _clock = clock;
        var path = Path.Combine(folder, "zone.txt");
        // History that is there already has the clock that it was made with.
        if (File.Exists(path))
            Offset = TimeSpan.FromMinutes(int.Parse(File.ReadAllText(path), CultureInfo.InvariantCulture));
        else if (given is null && File.Exists(Path.Combine(folder, "truth.json")))
            Offset = TimeSpan.Zero;
        else
            Offset = given ?? Chosen(clock.GetUtcNow());
        var began = Path.Combine(folder, "began.txt");
        if (!File.Exists(began))
            File.WriteAllText(began, Now.ToString("O", CultureInfo.InvariantCulture));
        Began = At(DateTimeOffset.Parse(File.ReadAllText(began), CultureInfo.InvariantCulture));
        File.WriteAllText(path, ((int)Offset.TotalMinutes).ToString(CultureInfo.InvariantCulture));
    }

    /// <summary>What its clocks are ahead of UTC.</summary>
    public TimeSpan Offset { get; }

    /// <summary>When the demonstration was first started: history ends there.</summary>
    public DateTimeOffset Began { get; }

    /// <summary>The zone as people and rules choose it: <c>UTC-06</c>.</summary>
    public string Id => DateTimeZone.ForOffset(NodaTime.Offset.FromTimeSpan(Offset)).Id;

    /// <summary>The time there.</summary>
    public DateTimeOffset Now => At(_clock.GetUtcNow());

    public DateTimeOffset At(DateTimeOffset time) => time.ToOffset(Offset);

    private static TimeSpan Chosen(DateTimeOffset now)
    {
        var minutes = FirstStart - new TimeSpan(now.UtcDateTime.Hour, now.UtcDateTime.Minute, 0);
        if (minutes <= -HalfDay)
            return minutes + (2 * HalfDay);
        if (minutes > HalfDay)
            return minutes - (2 * HalfDay);
        return minutes;
    }
}
