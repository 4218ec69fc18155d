namespace Kumiko.Demo.World;

/// <summary>A rule of the ferry line.</summary>
/// <param name="Text">Its sentence as text; {objective} is the objective's id, {locks} and {refusals} are those of rules
/// before.</param>
/// <param name="Team">Whose it is.</param>
/// <param name="Owner">By name; empty for nobody.</param>
public sealed record LineRule(string Name, string Text, string Team, string Owner, string Labels)
{
    public string Note { get; init; } = "";
    public string Runbook { get; init; } = "";
    public string FollowUp { get; init; } = "";

    /// <summary>How other rules call it; null where none does.</summary>
    public string? Key { get; init; }
}

/// <summary>What the people of Skerry Line want to be told of: a rule of every kind.</summary>
public static class LineRules
{
    public const string ObjectiveName = "Scans let people aboard";
    public const string ObjectiveAll = "service = gate-control and route = \"POST /v2/boarding/scan\"";
    public const string ObjectiveGood = ObjectiveAll + " and not refused";
    public const double ObjectiveTarget = 0.9;

    public static IReadOnlyList<LineRule> All { get; } =
    [
        new(
            "Refusals at the gates",
            """
            count of
                service = gate-control and "refused"
            for each terminal
            in the last 10m, checked every 1m, 30s late
            is above 14 as a warning, above 30 as critical
            for 2 checks
            """,
            "Quayside",
            "Ines Halloran",
            "gates, passengers"
        )
        {
            Key = "refusals",
            Note = "People stand in the rain when gates refuse.",
            FollowUp =
                "service = gate-control and \"refused\" | group count() as refusals, distinct(ticket) as tickets by reason, firmware | order by refusals desc | limit 8",
            Runbook =
                "1. Look at the follow-up: one reason, or one firmware?\n2. Ring the quay: open the gates by hand while it lasts.\n3. If a roll-out is under way, ask **Oluchi Brandt** to take it back.\n\nThe gates fall back to paper after 20 minutes.",
        },
        new(
            "Row locks in seat-ledger",
            """
            count of
                service = seat-ledger and "row lock on sailing"
            in the last 5m, checked every 1m
            is above 20 as a warning, above 120 as critical
            """,
            "Booking",
            "Tomas Verrall",
            "database"
        )
        {
            Key = "locks",
            FollowUp =
                "service = seat-ledger and \"row lock on sailing\" | group count() by sailing_id | order by `count()` desc | limit 5",
        },
        new(
            "Row locks, then refusals at the gates",
            """
            rules {locks} then {refusals} within 30m
            in the last 20m, checked every 1m
            happens as critical
            """,
            "Quayside",
            "",
            "gates, database"
        )
        {
            Note = "Locks in the ledger hold up the scans.",
        },
        new(
            "Handshakes with the acquirer fail",
            """
            figure of
                from metrics name = skerry.payment.handshake.failures | group sum(value) by host
            in the last 5m, checked every 1m
            is above 4 as a warning, above 30 as critical
            at 60% of the checks of 12m
            """,
            "Booking",
            "Tomas Verrall",
            "payment"
        )
        {
            Runbook =
                "- Compare the certificates of the hosts that fail with those of the others.\n- Take the failing hosts out of the balancer.",
        },
        new(
            "A share of bookings meets a taken seat",
            """
            share of
                route = "POST /v2/booking" and status = 409
            among at least 40 of
                route = "POST /v2/booking" and exists(status)
            in the last 30m, checked every 5m
            is above 25% as a warning, above 50% as critical
            """,
            "Booking",
            "",
            "passengers"
        ),
        new(
            "Berths are refused",
            """
            distinct vessel of
                service = berth-planner and "refused for"
            in the last 15m, checked every 1m
            is above 1 as a warning, above 3 as critical
            """,
            "Fleet",
            "Ines Halloran",
            "berths"
        )
        {
            FollowUp = "service = berth-planner and \"refused for\" | group count() by vessel, terminal",
            Runbook = "Look at the height that tide-feed sends: is it metres?",
        },
        new(
            "The tide is out of its usual range",
            """
            figure of
                from metrics name = skerry.tide.height | group median(value) by host
            in the last 30m, checked every 10m
            moves by 6 as critical against 30m earlier
            """,
            "Fleet",
            "",
            "berths"
        ),
        new(
            "A disk of manifest will be full",
            """
            figure of
                from metrics name = system.filesystem.utilization | group max(value) by host
            in the last 15m, checked every 5m
            will be above 0.95 within 93600 s as a warning, within 14400 s as critical by the trend of 6h
            """,
            "Booking",
            "Tomas Verrall",
            "disk"
        )
        {
            Runbook = "Is verbose logging on? Turn it off, then delete old files in /var/manifest.",
        },
        new(
            "The clock service of a kiosk stops",
            """
            every record of
                service = kiosk-ui and "clock service was running"
            for each host
            in the last 10m, checked every 1m
            happens as a warning
            """,
            "Quayside",
            "",
            "clocks"
        ),
        new(
            "Refunds surge",
            """
            count of
                service = refund-desk
            in the last 30m, checked every 5m
            rises by factor 3 as a warning, by factor 6 as critical against 1d earlier
            for 2 checks
            """,
            "Booking",
            "",
            "no fault by itself"
        )
        {
            Note = "A storm does this too: look at the notice board first.",
        },
        new(
            "Screens wait for their notices",
            """
            figure of
                from metrics name = skerry.notice.queue | group max(value)
            in the last 5m, checked every 1m
            is above 300 as a warning, above 1200 as critical
            for 5 checks
            """,
            "Quayside",
            "Ines Halloran",
            "screens"
        )
        {
            FollowUp = "from metrics name = skerry.notice.queue | group max(value) by host",
        },
        new(
            "Screens keep what they showed",
            """
            count of
                service = notice-board and "keeps what it showed"
            in the last 15m, checked every 1m
            is above 3 as a warning, above 20 as critical
            """,
            "Fleet",
            "Tomas Verrall",
            "screens, berths"
        )
        {
            FollowUp = "from spans service = notice-board and failed = true | group count() by error.type, host",
            Runbook = "The plan does not come: look at berth-planner and at what it reads.",
        },
        new(
            "A host of notice-board goes silent",
            """
            count of
                service = notice-board
            for each host
            in the last 15m, checked every 5m
            is silent as critical, expected for 1d
            only Mon Tue Wed Thu Fri Sat Sun from 05:30 to 22:00
            """,
            "Quayside",
            "",
            "screens"
        ),
        new(
            "Booking meets an error never seen before",
            """
            count of
                service = booking-web and level >= error
            for each pattern
            in the last 10m, checked every 5m
            is new as a warning, against 3d before
            """,
            "Booking",
            "Tomas Verrall",
            "passengers"
        ),
        new(
            "Errors above their usual range",
            """
            count of
                level >= error
            for each service
            in the last 10m, checked every 2m
            is unusually high by 6 spreads as a warning, by 14 spreads as critical
            for 2 checks
            """,
            "Fleet",
            "",
            "overview"
        )
        {
            FollowUp = "level >= error | group count() by host, pattern | order by `count()` desc | limit 5",
        },
        new(
            "Steps of a booking are slow",
            """
            share of spans slower than 750ms among at least 30
            in the last 12m, checked every 1m
            is above 12% as a warning, above 36% as critical
            """,
            "Booking",
            "",
            "passengers"
        ),
        new(
            "The scans' budget burns fast",
            """
            burn rate of objective {objective}, also in 10m
            in the last 1h, checked every 5m
            is above 2 as a warning, above 6 as critical
            """,
            "Quayside",
            "Ines Halloran",
            "gates, objective"
        ),
        new(
            "The scans' budget is nearly burnt",
            """
            budget burnt of objective {objective}
            in the last 1h, checked every 15m
            is above 90% as a warning, above 100% as critical
            """,
            "Quayside",
            "",
            "gates, objective"
        ),
    ];
}
