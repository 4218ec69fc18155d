using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;

namespace Kumiko.Demo.World;

/// <summary>What the quays measure while people go aboard: passengers by terminal and sailing, and lanes that are open.</summary>
public static class Boarding
{
    /// <summary>So many minutes before it leaves a sailing is boarded, up to two minutes before.</summary>
    private const int Opens = 30;
    private const int Closes = 2;

    private static readonly InstrumentationScope Scope = new("skerry.boarding", "1", Attributes.Empty);

    /// <summary>One sample a minute for each terminal; boarding is counted as what came in the minute.</summary>
    public static IEnumerable<Core.Records.Metric> Between(
        Resource resource,
        IReadOnlyList<DateTimeOffset> minutes,
        IReadOnlyList<Play> plays,
        int seed
    )
    {
        for (var t = 0; t < SkerryLine.Terminals.Length; t++)
        {
            var terminal = SkerryLine.Terminals[t];
            var boarded = new Dictionary<string, List<Core.Records.Sample>>(StringComparer.Ordinal);
            var lanes = new List<Core.Records.Sample>();
            var at = new Attributes(["terminal"], [Value.Of(terminal)]);
            foreach (var minute in minutes)
            {
                var random = new Random(Seeds.Of(seed + 17, terminal, minute.ToUnixTimeSeconds() / 60));
                // Refused scans hold the queue up.
                var held = terminal == "Tarnhead" ? 0.55 * Metric.Playing(1, minute, plays) : 0;
                foreach (var (sailing, departs) in SkerryLine.Timetable.Where(s => s.Name[0] == terminal[0]))
                {
                    var left = departs - (int)minute.TimeOfDay.TotalMinutes;
                    if (left is < Closes or >= Opens)
                        continue;
                    if (!boarded.TryGetValue(sailing, out var samples))
                        boarded.Add(sailing, samples = []);
                    var came = Math.Round(6 * SkerryLine.Busy(minute) * (1 - held) * (0.7 + (0.6 * random.NextDouble())));
                    samples.Add(
                        new Core.Records.Sample
                        {
                            Time = Time(minute),
                            Start = Time(minute.AddMinutes(-1)),
                            Value = Value.Of((long)came),
                            Attributes = new Attributes(["terminal", "sailing"], [Value.Of(terminal), Value.Of(sailing)]),
                        }
                    );
                }
                var open = Math.Clamp((int)Math.Round(1 + (2.2 * SkerryLine.Busy(minute))) + (held > 0.2 ? 1 : 0), 1, 6);
                if (minute.Minute % 5 == 0)
                    lanes.Add(
                        new Core.Records.Sample
                        {
                            Time = Time(minute),
                            Value = Value.Of((long)open),
                            Attributes = at,
                        }
                    );
            }
            if (boarded.Count > 0)
                yield return new Core.Records.Metric(
                    "skerry.passengers.boarded",
                    "{passenger}",
                    "Passengers who went aboard",
                    MetricKind.Sum,
                    resource,
                    Scope,
                    [.. boarded.Values.SelectMany(s => s)]
                )
                {
                    IsMonotonic = true,
                    Temporality = Temporality.Delta,
                };
            if (lanes.Count > 0)
                yield return new Core.Records.Metric(
                    "skerry.lanes.open",
                    "{lane}",
                    "Lanes of a terminal that are open for boarding",
                    MetricKind.Gauge,
                    resource,
                    Scope,
                    lanes
                );
        }
    }

    private static long Time(DateTimeOffset time) => Instants.FromDateTime(time);
}
