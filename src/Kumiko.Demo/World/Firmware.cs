namespace Kumiko.Demo.World;

/// <summary>
/// Disturbance 1: gate firmware 7.3 comes to Tarnhead. Its double scans make seat-ledger lock rows, and gates
/// refuse tickets whose seat the first scan has claimed; booking-web tries again.
/// </summary>
/// <param name="Intensity">1 when played live; less in history, where it lasts an hour.</param>
public sealed record FirmwarePlay(DateTimeOffset Start, DateTimeOffset? End, double Intensity)
{
    private static readonly TimeSpan Rise = TimeSpan.FromSeconds(25), Fall = TimeSpan.FromSeconds(40);
    private static readonly string[] Gates = ["gate-t1", "gate-t2", "gate-t3"];

    private static readonly Template[] Effects =
    [
        new("gate-control", "error", 200, true, d => Templates.Refusal(d, "seat already claimed", d.Ms(780), "7.3"), Traced: true),
        new("gate-control", "warn", 24, true, d => Templates.Refusal(d, "ticket not found", d.Ms(500), "7.3"), Traced: true),
        new("gate-control", "debug", 320, true, d => { var ticket = d.Ticket; return ($"scan {ticket} read twice within {d.Int(18, 60)}ms", [("terminal", "Tarnhead"), ("ticket", ticket), ("firmware", "7.3")]); }),
        new("seat-ledger", "warn", 380, true, d => { var sailing = d.Sailing; return ($"row lock on sailing {sailing} held {d.Took(d.Ms(820))} by scan worker {d.Int(1, 6)}", [("sailing_id", sailing)]); }),
        new("seat-ledger", "error", 34, true, d => ($"claim timed out on {d.Sailing}\nLockWaitTimeout: waited {d.Took(d.Ms(5000))} for row lock\n   at BoardingScan.Claim(Ticket ticket) in BoardingScan.cs:line 88\n   at Ledger.Worker.Run() in Worker.cs:line 31", [("sailing_id", d.Sailing)]), Traced: true),
        new("booking-web", "warn", 70, true, d => ($"seat-ledger slow, trying again ({d.Int(1, 3)} of 3)", [("upstream", "seat-ledger")]), Traced: true),
    ];

    /// <summary>How strongly it acts at a time, 0 to 1.</summary>
    public double Strength(DateTimeOffset time)
    {
        if (time < Start) return 0;
        var rising = Math.Min(1, (time - Start) / Rise);
        return End is not { } end || time < end ? rising : Math.Max(0, 1 - ((time - end) / Fall));
    }

    /// <summary>What it adds to a minute, and from which hosts.</summary>
    public IEnumerable<(Template Template, string[] Hosts, double Rate)> In(DateTimeOffset minute)
    {
        var strength = Math.Max(Strength(minute), Math.Max(Strength(minute.AddSeconds(30)), Strength(minute.AddSeconds(59))));
        if (strength <= 0) yield break;
        foreach (var effect in Effects)
            yield return (effect, effect.Service == "gate-control" ? Gates : SkerryLine.Hosts[effect.Service], effect.PerMinute * Intensity);
    }

    /// <summary>What the gates themselves write when the firmware comes or goes.</summary>
    public IEnumerable<SimulatedRecord> Installs(DateTimeOffset from, DateTimeOffset to)
    {
        foreach (var (time, old, now) in new[] { (Start, "7.2", "7.3"), (End ?? DateTimeOffset.MaxValue, "7.3", "7.2") })
            for (var i = 0; i < Gates.Length; i++)
            {
                if (time == DateTimeOffset.MaxValue) continue;
                var at = time.AddMilliseconds(i * 700);
                if (at >= from && at < to)
                    yield return new SimulatedRecord(at, "gate-control", Gates[i], "info", $"firmware {old} replaced by {now}, by Oluchi Brandt", [("terminal", "Tarnhead"), ("firmware", now)], null);
            }
    }
}
