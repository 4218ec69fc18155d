namespace Kumiko.Demo.World;

/// <summary>A quantity that a host measures once a minute.</summary>
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
        // Some services have more to do than others.
        var work = 0.6 + ((service.Length * 7 % 9) / 10.0);
        var share = 1.0 / SkerryLine.Hosts[service].Length;
        yield return new Metric("system.cpu.utilization", "1", "Share of the processors that is busy", false, (t, p, s) =>
            Math.Clamp(
                0.05
                    + (work * 0.22 * SkerryLine.Busy(t))
                    + (Playing(1, t, p) * (service == "seat-ledger" ? 0.35 : 0))
                    + (0.06 * Noise(t, s, 1))
                    + (Verbose(t, p) * 0.2),
                0.01,
                1
            )
        );
        yield return new Metric("system.memory.usage", "By", "Memory in use", false, (t, p, s) =>
            1.1e9 + (3.5e8 * SkerryLine.Busy(t)) + (4e7 * Noise(t, s, 2))
        );
        yield return new Metric("http.server.request.count", "{request}", "Requests that came in", true, (t, p, s) =>
            Math.Round(140 * share * SkerryLine.Busy(t) * (1 + (0.2 * Noise(t, s, 3))))
        );
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
            case "manifest":
                yield return new Metric("system.filesystem.utilization", "1", "Share of the disk in use", false, (t, p, s) =>
                    World.Disk(t, p) / 100
                );
                break;
            case "notice-board":
                yield return new Metric("skerry.notice.queue", "{message}", "Notices that wait for a screen", false, (t, p, s) =>
                    Math.Round(World.Queue(t, p) + 12 + (10 * Noise(t, s, 5)))
                );
                break;
            case "tide-feed":
                yield return new Metric("skerry.tide.height", "m", "Height of the water above chart datum", false, (t, p, s) =>
                    (SkerryLine.Tide(t, host[^1] - '0') + (0.02 * Noise(t, s, 6))) * (Playing(3, t, p) > 0.5 ? 100 : 1)
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

        double Verbose(DateTimeOffset t, IReadOnlyList<Play> p) => service == "manifest" ? Playing(4, t, p) : 0;
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
