namespace Kumiko.Demo.World;

/// <summary>The eight disturbances of Skerry Line.</summary>
public static class Disturbances
{
    private static readonly string[] TarnheadGates = ["gate-t1", "gate-t2", "gate-t3"];
    private static readonly string[] NotRenewed = ["pay-5", "pay-6"];
    private static readonly string[] Drifting = ["kiosk-m1", "kiosk-t1"];

    public static IReadOnlyList<Disturbance> All { get; } =
    [
        new(
            1,
            "gate firmware 7.3 on the gates at Tarnhead scans twice",
            "gate firmware",
            "gate-t1, gate-t2, gate-t3 at Tarnhead",
            "7.2",
            "7.3",
            "Send gate firmware 7.3 to Tarnhead",
            "Roll back to 7.2",
            "firmware = \"7.3\"",
            ["gate-control at Tarnhead: gate-t1, gate-t2, gate-t3", "seat-ledger", "booking-web"]
        )
        {
            Told = ("gate-control", TarnheadGates, "firmware {old} replaced by {new}, by Oluchi Brandt"),
            Kind = "deploy",
            InHistory = (1, new(17, 51, 0), TimeSpan.FromHours(1), 0.22),
            Effects =
            [
                Of(
                    "gate-control",
                    TarnheadGates,
                    "error	200	busy	ticket {ticket} refused: seat already claimed after {took 780}	traced	terminal=Tarnhead ticket={ticket} wait={took} firmware=7.3 route=POST /v2/boarding/scan sailing_id={sailing} reason=seat already claimed",
                    "gate-control:3"
                ),
                Of(
                    "gate-control",
                    TarnheadGates,
                    "warn	24	busy	ticket {ticket} refused: ticket not found after {took 500}	traced	terminal=Tarnhead ticket={ticket} wait={took} firmware=7.3 route=POST /v2/boarding/scan sailing_id={sailing} reason=ticket not found",
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
                    "warn	70	busy	seat-ledger slow, trying again ({int 1 3} of 3)	traced	upstream=seat-ledger"
                ),
            ],
        },
        new(
            2,
            "the acquirer's certificate was renewed on four of six payment-bridge hosts",
            "acquirer certificate",
            "payment-bridge",
            "renewed on none",
            "renewed on pay-1 to pay-4",
            "Renew the certificate on four of six hosts",
            "Renew the other two",
            "error.type = CertificateUnknown",
            ["payment-bridge: pay-5, pay-6", "booking-web", "refund-desk"]
        )
        {
            Told = ("payment-bridge", ["pay-1", "pay-2", "pay-3", "pay-4"], "certificate of acquirer: {old} before, {new} now"),
            InHistory = (5, new(9, 40, 0), TimeSpan.FromHours(5), 0.25),
            Effects =
            [
                Of(
                    "payment-bridge",
                    NotRenewed,
                    "error	46	busy	handshake with acquirer failed: certificate unknown, alert {int 40 48}	traced	error.type=CertificateUnknown"
                ),
                Of("payment-bridge", NotRenewed, "warn	20	busy	authorisation put back, attempt {int 1 3} of 3	traced"),
                Of(
                    "booking-web",
                    null,
                    "warn	40	busy	payment-bridge did not answer, trying another host ({int 1 3} of 3)	traced	upstream=payment-bridge"
                ),
                Of(
                    "booking-web",
                    null,
                    "warn	12	busy	POST /v2/booking slow: {took 4200}	traced	route=POST /v2/booking wait={took}"
                ),
            ],
        },
        new(
            3,
            "tide-feed sends centimetres for metres",
            "tide-feed",
            "tide-1, tide-2",
            "4.1",
            "4.2",
            "Install tide-feed 4.2",
            "Go back to tide-feed 4.1",
            "service = berth-planner and \"refused for\"",
            ["tide-feed", "berth-planner", "notice-board"]
        )
        {
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
                    "error	14	busy	{vessel} refused for berth {int 1 6} at {terminal}: clearance {float 90 380} m is beyond 12 m	-	vessel={vessel} terminal={terminal}"
                ),
                Of("berth-planner", null, "warn	4	busy	no berth for {sailing}, plan keeps the one before	-	sailing_id={sailing}"),
                Of(
                    "notice-board",
                    null,
                    "info	5	busy	{sailing} delayed by {int 20 70} minutes, no berth	-	terminal={terminal} sailing_id={sailing}",
                    "notice-board:3"
                ),
            ],
        },
        new(
            4,
            "verbose logging was turned on in manifest and fills its disk",
            "flag verbose-log",
            "manifest",
            "off",
            "on",
            "Turn verbose logging on in manifest",
            "Turn verbose logging off",
            "service = manifest and \"entering\"",
            ["manifest: manifest-1, manifest-2"]
        )
        {
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
                    static (time, plays) => World.Disk(time, plays) > 97 ? 1 : 0
                ),
            ],
        },
        new(
            5,
            "the clocks of two kiosks drift by minutes",
            "clock service",
            "kiosk-m1, kiosk-t1",
            "running",
            "stopped",
            "Stop the clock service on two kiosks",
            "Start the clock service again",
            "service = kiosk-ui and \"clock service\"",
            ["kiosk-ui: kiosk-m1, kiosk-t1"]
        )
        {
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
        new(
            6,
            "a storm cancels sailings",
            "weather",
            "all terminals",
            "fair",
            "storm",
            "Let a storm come",
            "Let the storm pass",
            "service = refund-desk and \"cancelled by storm\"",
            ["no fault: refund-desk, notice-board, booking-web and berth-planner are busy with it"]
        )
        {
            Rise = TimeSpan.FromMinutes(6),
            Fall = TimeSpan.FromMinutes(25),
            InHistory = (11, new(7, 30, 0), TimeSpan.FromHours(9), 0.4),
            Effects =
            [
                Of(
                    "refund-desk",
                    null,
                    "info	60	busy	refund {int 20000 29999} of {money} paid for {ticket}, sailing {sailing} cancelled by storm	traced	ticket={ticket} sailing_id={sailing}",
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
        new(
            7,
            "one of three notice-board consumers was scaled away",
            "notice-board consumers",
            "notice-board",
            "3",
            "2",
            "Scale notice-board from 3 to 2 consumers",
            "Scale back to 3 consumers",
            "service = notice-board and queue > 400",
            ["notice-board"]
        )
        {
            Rise = TimeSpan.Zero,
            Fall = TimeSpan.Zero,
            Aftermath = TimeSpan.FromHours(2),
            Kind = "scale",
            IsSilent = true,
            InHistory = (3, new(6, 50, 0), TimeSpan.FromMinutes(100), 1),
            Alters = "notice-board",
            Alter = static (record, play) => record.Host == "notice-3" && play.Strength(record.Time) > 0 ? null : record,
        },
        new(
            8,
            "a config push shortens booking-web's time-out to fare-engine",
            "time-out to fare-engine",
            "booking-web",
            "2000ms",
            "300ms",
            "Push a time-out of 300ms to booking-web",
            "Go back to 2000ms",
            "service = booking-web and \"gave up on fare-engine\"",
            ["booking-web, in the evening peak", "fare-engine"]
        )
        {
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
                        "error	60	busy	gave up on fare-engine after 300ms, no price for {sailing}	traced	upstream=fare-engine sailing_id={sailing}"
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
    ];

    public static Disturbance Of(int number) => All[number - 1];

    /// <summary>When fares take longer than the shortened time-out allows.</summary>
    private static double EveningPeak(DateTimeOffset time, IReadOnlyList<Play> plays) =>
        time.Hour is >= 16 and < 20 ? Math.Clamp((SkerryLine.Busy(time) - 1) / 0.4, 0, 1) : 0;

    private static int _effects;

    /// <param name="same">The line of code that writes it at other times too.</param>
    private static Effect Of(string service, string[]? hosts, string line, string? same = null) =>
        new(Line.Parse(service, same ?? $"effect:{++_effects}", line), hosts);
}
