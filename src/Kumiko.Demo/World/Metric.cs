using Kumiko.Worlds.Disturbances;

namespace Kumiko.Demo.World;

/// <summary>A quantity of the ferry line's own that a host measures once a minute.</summary>
/// <param name="Unit">As UCUM spells it.</param>
/// <param name="IsCounter">Whether it counts within the minute.</param>
/// <param name="Value">At a minute, with the disturbances that are played and the seed.</param>
public sealed record Metric(
    string Name,
    string Unit,
    string Description,
    bool IsCounter,
    Func<DateTimeOffset, IReadOnlyList<Play>, int, double> Value
)
{
    public static IEnumerable<Metric> Of(string service, string host)
    {
        double Noise(DateTimeOffset minute, int seed, int of) =>
            new Random(Seeds.Of(seed + of, host, minute.ToUnixTimeSeconds() / 60)).NextDouble() - 0.5;
        switch (service)
        {
            case "seat-ledger":
                yield return new Metric(
                    "db.client.connection.count",
                    "{connection}",
                    "Connections to the database of seats",
                    false,
                    (t, p, s) => Math.Round(8 + (5 * SkerryLine.Busy(t)) + (34 * Playing(1, t, p)) + (3 * Noise(t, s, 4)))
                );
                break;
            case "payment-bridge":
                yield return new Metric(
                    "skerry.payment.handshake.failures",
                    "{failure}",
                    "Handshakes with payment hosts that failed",
                    true,
                    (t, p, s) => host is "pay-5" or "pay-6" ? Math.Round(23 * Playing(2, t, p) * (1 + (0.3 * Noise(t, s, 7)))) : 0
                );
                break;
        }
    }

    internal static double Playing(int disturbance, DateTimeOffset time, IReadOnlyList<Play> plays)
    {
        var most = 0.0;
        foreach (var play in plays)
            if (play.Of.Number == disturbance)
                most = Math.Max(most, play.Strength(time) * (play.Intensity < 1 ? 0.6 : 1));
        return most;
    }
}
