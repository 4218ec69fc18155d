using Kumiko.Worlds.Disturbances;

namespace Kumiko.Demo.World;

/// <summary>The nine disturbances of Skerry Line.</summary>
public static class Disturbances
{
    private static readonly string[] TarnheadGates = ["gate-t1", "gate-t2", "gate-t3"];
    private static readonly string[] NotRenewed = ["pay-5", "pay-6"];
    private static readonly string[] Drifting = ["kiosk-m1", "kiosk-t1"];

    public static IReadOnlyList<LineDisturbance> All { get; } =
    [
        new(1, "gate firmware 7.3 on the gates at Tarnhead scans twice")
        {
            What = "gate firmware",
            Where = "gate-t1, gate-t2, gate-t3 at Tarnhead",
            From = "7.2",
            To = "7.3",
            Send = "Send gate firmware 7.3 to Tarnhead",
            Back = "Roll back to 7.2",
            Sign = "firmware = \"7.3\"",
            Affected = ["gate-control at Tarnhead: gate-t1, gate-t2, gate-t3", "seat-ledger", "booking-web"],
            Service = "gate-control",
            Hosts = TarnheadGates,
            Who = "Oluchi Brandt",
            UndoneBy = "Oluchi Brandt",
            Acts =
            [
                new Act(ActOn.Calls, "gate-control", 2) { Hosts = TarnheadGates, Callee = "seat-ledger" },
                // Readers scan by themselves what lies before them; locks pile up before anybody is refused.
                new Act(ActOn.OwnTime, "seat-ledger", 40) { Operation = "claim", Rise = TimeSpan.FromMinutes(1.5) },
                new Act(ActOn.Extra, "gate-control", 90) { Hosts = TarnheadGates, Rise = TimeSpan.FromMinutes(1.5) },
            ],
            Told = ("gate-control", TarnheadGates, "firmware {old} replaced by {new}, by Oluchi Brandt"),
            Kind = "deploy",
            InHistory = (1, new(17, 51, 0), TimeSpan.FromHours(1), 0.22),
            Effects =
            [
                Of(
                    "gate-control",
                    TarnheadGates,
                    "error	200	failed POST /v2/boarding/scan	ticket {ticket} refused: seat already claimed after {took 780}	traced	terminal=Tarnhead ticket={ticket} wait={took} firmware=7.3 route=POST /v2/boarding/scan sailing_id={sailing} reason=seat already claimed error.type={error}",
                    "gate-control:3"
                ),
                Of(
                    "gate-control",
                    TarnheadGates,
                    "warn	24	failed POST /v2/boarding/scan	ticket {ticket} refused: ticket not found after {took 500}	traced	terminal=Tarnhead ticket={ticket} wait={took} firmware=7.3 route=POST /v2/boarding/scan sailing_id={sailing} reason=ticket not found error.type={error}",
                    "gate-control:3"
                ),
                Of(
                    "gate-control",
                    TarnheadGates,
                    "debug	320	busy	scan {ticket} read twice within {int 18 60}ms	-	terminal=Tarnhead ticket={ticket} firmware=7.3"
                ),
                Of(
                    "seat-ledger",
                    null,
                    "warn	380	busy	row lock on sailing {sailing} held {took 820} by scan worker {int 1 6}	-	sailing_id={sailing}",
                    "seat-ledger:5"
                ),
                Of(
                    "seat-ledger",
                    null,
                    "error	34	busy	claim timed out on {sailing}\\nLockWaitTimeout: waited {took 5000} for row lock\\n   at BoardingScan.Claim(Ticket ticket) in BoardingScan.cs:line 88\\n   at Ledger.Worker.Run() in Worker.cs:line 31	traced	sailing_id={sailing} error.type=LockWaitTimeout"
                ),
                Of(
                    "booking-web",
                    null,
                    "warn	70	missed seat-ledger	seat-ledger slow, trying again ({int 1 3} of 3)	traced	upstream=seat-ledger"
                ),
            ],
        },
        new(2, "the acquirer's certificate was renewed on four of six payment-bridge hosts")
        {
            What = "acquirer certificate",
            Where = "payment-bridge",
            From = "renewed on none",
            To = "renewed on pay-1 to pay-4",
            Send = "Renew the certificate on four of six hosts",
            Back = "Renew the other two",
            Sign = "error.type = CertificateUnknown",
            Affected = ["payment-bridge: pay-5, pay-6", "booking-web", "refund-desk"],
            Service = "payment-bridge",
            Hosts = NotRenewed,
            Who = "Mirek Dane",
            Undone = "acquirer certificate renewed on the other two",
            Acts =
            [
                new Act(ActOn.Failures, "payment-bridge", 1)
                {
                    Operation = "authorise",
                    Hosts = NotRenewed,
                    Error = "CertificateUnknown",
                },
            ],
            Told = ("payment-bridge", ["pay-1", "pay-2", "pay-3", "pay-4"], "certificate of acquirer: {old} before, {new} now"),
            InHistory = (5, new(9, 40, 0), TimeSpan.FromHours(5), 0.25),
            Effects =
            [
                Of(
                    "payment-bridge",
                    NotRenewed,
                    "error	46	busy	handshake with acquirer failed: certificate unknown, alert {int 40 48}	-	error.type=CertificateUnknown"
                ),
                Of(
                    "payment-bridge",
                    NotRenewed,
                    "warn	20	failed authorise	authorisation put back, attempt {int 1 3} of 3	traced	error.type={error}"
                ),
                Of(
                    "booking-web",
                    null,
                    "warn	40	missed payment-bridge	payment-bridge did not answer, trying another host ({int 1 3} of 3)	traced	upstream=payment-bridge"
                ),
                Of(
                    "booking-web",
                    null,
                    "warn	12	busy	POST /v2/booking slow: {took 4200}	traced	route=POST /v2/booking wait={took}"
                ),
            ],
        },
        new(3, "tide-feed sends centimetres for metres")
        {
            What = "tide-feed",
            Where = "tide-1, tide-2",
            From = "4.1",
            To = "4.2",
            Send = "Install tide-feed 4.2",
            Back = "Go back to tide-feed 4.1",
            Sign = "service = berth-planner and \"refused for\"",
            Affected = ["tide-feed", "berth-planner", "notice-board"],
            Service = "tide-feed",
            Who = "Oluchi Brandt",
            Acts =
            [
                new Act(ActOn.Feed, "tide", 100),
                new Act(ActOn.Failures, "berth-planner", 1.2)
                {
                    Operation = "assign berth",
                    Error = "ClearanceTooLarge",
                    After = TimeSpan.FromMinutes(1),
                },
                new Act(ActOn.Failures, "berth-planner", 0.5)
                {
                    Operation = "revise plan",
                    Error = "NoBerth",
                    After = TimeSpan.FromMinutes(2),
                },
            ],
            Told = ("tide-feed", ["tide-1", "tide-2"], "version {new} starts in place of {old}"),
            Rise = TimeSpan.Zero,
            Fall = TimeSpan.Zero,
            Kind = "deploy",
            InHistory = (9, new(13, 5, 0), TimeSpan.FromHours(6), 0.5),
            Effects =
            [
                Of(
                    "berth-planner",
                    null,
                    "error	14	failed assign berth	{vessel} refused for berth {int 1 6} at {terminal}: clearance {float 90 380} m is beyond 12 m	traced	vessel={vessel} terminal={terminal} error.type={error}"
                ),
                Of(
                    "berth-planner",
                    null,
                    "warn	4	failed revise plan	no berth for {sailing}, plan keeps the one before	traced	sailing_id={sailing}"
                ),
                Of(
                    "notice-board",
                    null,
                    "info	5	busy	{sailing} delayed by {int 20 70} minutes, no berth	-	terminal={terminal} sailing_id={sailing}",
                    "notice-board:3"
                ),
            ],
        },
        new(4, "verbose logging was turned on in manifest and fills its disk")
        {
            What = "flag verbose-log",
            Where = "manifest",
            From = "off",
            To = "on",
            Send = "Turn verbose logging on in manifest",
            Back = "Turn verbose logging off",
            Sign = "service = manifest and \"entering\"",
            Affected = ["manifest: manifest-1, manifest-2"],
            Service = "manifest",
            Who = "Tomas Verrall",
            Acts =
            [
                new Act(ActOn.Disk, "manifest", 0.57) { InHistory = 0.57 / 48 },
                new Act(ActOn.OwnTime, "manifest", 1.3),
                new Act(ActOn.Processor, "manifest", 0.2),
            ],
            Told = ("manifest", ["manifest-1", "manifest-2"], "flag verbose-log changed from {old} to {new} by Tomas Verrall"),
            Aftermath = TimeSpan.FromDays(1),
            Kind = "flag",
            InHistory = (4, new(8, 0, 0), TimeSpan.FromDays(2), 0.1),
            Effects =
            [
                Of(
                    "manifest",
                    null,
                    "debug	190	busy	entering {Seal.close|Job.run|Reader.row|Index.put|List.add} with {int 1 6} arguments"
                ),
                Of("manifest", null, "debug	110	busy	leaving {Seal.close|Job.run|Reader.row|Index.put|List.add} after {took 3}"),
                new Effect(
                    Line.Parse(
                        "manifest",
                        "effect:4:3",
                        "error	140	busy	could not write /var/manifest/{hex 8}.log: no space left on device	-	error.type=DiskFull"
                    ),
                    null,
                    static (time, plays) => Manifest.Disk(time, plays) > 97 ? 1 : 0
                ),
            ],
        },
        new(5, "the clocks of two kiosks drift by minutes")
        {
            What = "clock service",
            Where = "kiosk-m1, kiosk-t1",
            From = "running",
            To = "stopped",
            Send = "Stop the clock service on two kiosks",
            Back = "Start the clock service again",
            Sign = "service = kiosk-ui and \"clock service\"",
            Affected = ["kiosk-ui: kiosk-m1, kiosk-t1"],
            Service = "kiosk-ui",
            Hosts = Drifting,
            Acts = [new Act(ActOn.Clock, "kiosk-ui", 260) { Hosts = Drifting }],
            Who = "Mirek Dane",
            Undone = "clock service started again",
            Told = ("kiosk-ui", Drifting, "clock service was {old}, is {new}"),
            Rise = TimeSpan.FromMinutes(20),
            Fall = TimeSpan.FromSeconds(10),
            Kind = "restart",
            InHistory = (7, new(10, 15, 0), TimeSpan.FromHours(3), 1),
            Alters = "kiosk-ui",
            Alter = static (record, play) =>
                Array.IndexOf(Drifting, record.Host) is >= 0 and var which
                    ? record with
                    {
                        // The first runs ahead, the other behind.
                        Drift = (1 - (2 * which)) * TimeSpan.FromMilliseconds(Math.Round(play.Strength(record.Time) * 260_000)),
                    }
                    : record,
        },
        new(6, "a storm cancels sailings")
        {
            Kind = "",
            What = "weather",
            Where = "all terminals",
            From = "fair",
            To = "storm",
            Send = "Let a storm come",
            Back = "Let the storm pass",
            Sign = "service = refund-desk and \"cancelled by storm\"",
            Affected = ["no fault: refund-desk, notice-board, booking-web and berth-planner are busy with it"],
            Service = "refund-desk",
            IsFault = false,
            Acts =
            [
                new Act(ActOn.Extra, "refund-desk", 15),
                new Act(ActOn.Demand, "booking-web", 1.7) { Operation = "GET /v2/sailings/{sailing}" },
                new Act(ActOn.Demand, "booking-web", 2.4) { Operation = "DELETE /v2/booking/{id}" },
                new Act(ActOn.Demand, "booking-web", 0.5) { Operation = "POST /v2/booking" },
                new Act(ActOn.Demand, "kiosk-ui", 0.4) { Operation = "purchase" },
                new Act(ActOn.Demand, "gate-control", 0.4),
                new Act(ActOn.Demand, "notice-board", 1.5),
                new Act(ActOn.Demand, "berth-planner", 1.5),
            ],
            Rise = TimeSpan.FromMinutes(6),
            Fall = TimeSpan.FromMinutes(25),
            InHistory = (11, new(7, 30, 0), TimeSpan.FromHours(9), 0.4),
            Effects =
            [
                Of(
                    "refund-desk",
                    null,
                    "info	60	done POST /refunds	refund {int 20000 29999} of {money} paid for {ticket}, sailing {sailing} cancelled by storm	traced	ticket={ticket} sailing_id={sailing}",
                    "refund-desk:1"
                ),
                Of(
                    "notice-board",
                    null,
                    "warn	9	busy	{sailing} cancelled, storm warning for {terminal}	-	terminal={terminal} sailing_id={sailing}"
                ),
                Of(
                    "berth-planner",
                    null,
                    "warn	3	busy	{vessel} stays at berth {int 1 6} of {terminal}: wind {int2 18 29} m/s	-	vessel={vessel} terminal={terminal}"
                ),
                Of(
                    "booking-web",
                    null,
                    "info	25	busy	booking {ticket} cancelled with its sailing {sailing}	-	sailing_id={sailing}"
                ),
            ],
        },
        new(7, "one of three notice-board consumers was scaled away")
        {
            What = "notice-board consumers",
            Where = "notice-board",
            From = "3",
            To = "2",
            Send = "Scale notice-board from 3 to 2 consumers",
            Back = "Scale back to 3 consumers",
            Sign = "service = notice-board and queue > 400",
            Affected = ["notice-board"],
            Service = "notice-board",
            Hosts = ["notice-3"],
            Who = "Mirek Dane",
            Undone = "notice-board consumers scaled back",
            Acts = [new Act(ActOn.Hosts, "notice-board", 1) { Hosts = ["notice-3"] }, new Act(ActOn.Queue, "notices", 60)],
            Rise = TimeSpan.Zero,
            Fall = TimeSpan.Zero,
            Aftermath = TimeSpan.FromHours(2),
            Kind = "scale",
            InHistory = (3, new(6, 50, 0), TimeSpan.FromMinutes(100), 1),
            Alters = "notice-board",
            Alter = static (record, play) => record.Host == "notice-3" && play.Strength(record.Time) > 0 ? null : record,
        },
        new(8, "a config push shortens booking-web's time-out to fare-engine")
        {
            What = "time-out to fare-engine",
            Where = "booking-web",
            From = "2000ms",
            To = "300ms",
            Send = "Push a time-out of 300ms to booking-web",
            Back = "Go back to 2000ms",
            Sign = "service = booking-web and \"gave up on fare-engine\"",
            Affected = ["booking-web, in the evening peak", "fare-engine"],
            Service = "booking-web",
            Who = "Oluchi Brandt",
            Acts = [new Act(ActOn.TimeOut, "booking-web", 300) { Callee = "fare-engine" }],
            Told = (
                "booking-web",
                ["booking-1", "booking-2", "booking-3", "booking-4"],
                "time-out to fare-engine changed from {old} to {new} by Oluchi Brandt"
            ),
            InHistory = (6, new(11, 20, 0), TimeSpan.FromHours(22), 0.35),
            Effects =
            [
                new Effect(
                    Line.Parse(
                        "booking-web",
                        "effect:8:1",
                        "error	60	missed fare-engine	gave up on fare-engine after 300ms, no price for {sailing}	traced	upstream=fare-engine sailing_id={sailing}"
                    ),
                    null,
                    EveningPeak
                ),
                new Effect(
                    Line.Parse(
                        "fare-engine",
                        "effect:8:2",
                        "warn	44	busy	caller went away before quote was done took={took 520}	traced	wait={took}"
                    ),
                    null,
                    EveningPeak
                ),
            ],
        },
        new(9, "a release of berth-planner never lets go of tide readings")
        {
            Service = "berth-planner",
            What = "berth-planner",
            Where = "berth-1, berth-2",
            From = "3.6.1",
            To = "3.7.0",
            Who = "Oluchi Brandt",
            Undone = "berth-planner rolled back",
            UndoneBy = "Ines Halloran",
            Kind = "deploy",
            Send = "Install berth-planner 3.7.0",
            Back = "Go back to berth-planner 3.6.1",
            Sign = "service = berth-planner and \"OutOfMemoryException\"",
            Affected = ["berth-planner", "notice-board"],
            Rise = TimeSpan.Zero,
            Fall = TimeSpan.Zero,
            InHistory = (2, new(9, 20, 0), TimeSpan.FromHours(5), 0.5),
            // A release is told by whoever installs it, and by the line that each start writes.
            Acts = [new Act(ActOn.Memory, "berth-planner", 50)],
        },
    ];

    public static LineDisturbance Of(int number) => All[number - 1];

    /// <summary>When fares take longer than the shortened time-out allows.</summary>
    private static double EveningPeak(DateTimeOffset time, IReadOnlyList<Play> plays) =>
        time.Hour is >= 16 and < 20 ? Math.Clamp((SkerryLine.Busy(time) - 1) / 0.4, 0, 1) : 0;

    private static int _effects;

    /// <param name="same">The line of code that writes it at other times too.</param>
    private static Effect Of(string service, string[]? hosts, string line, string? same = null) =>
        new(Line.Parse(service, same ?? $"effect:{++_effects}", line), hosts);
}
