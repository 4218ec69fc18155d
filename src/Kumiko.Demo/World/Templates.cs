using System.Globalization;

namespace Kumiko.Demo.World;

/// <summary>What one line of code of a service writes: how often, how grave, and with which values.</summary>
/// <param name="PerMinute">Mean number in a minute of average business.</param>
/// <param name="Steady">Whether it comes at all hours alike.</param>
public sealed record Template(string Service, string Level, double PerMinute, bool Steady, Func<Draw, (string Body, (string, object)[] Attributes)> Write, bool Traced = false);

/// <summary>Draws values for one record.</summary>
public sealed class Draw(Random random, DateTimeOffset time, string host)
{
    public DateTimeOffset Time => time;
    public string Host => host;
    public string Of(params string[] items) => items[random.Next(items.Length)];
    public int Int(int from, int to) => random.Next(from, to + 1);
    public string Terminal => SkerryLine.GateTerminals.TryGetValue(host, out var own) ? Of(own) : Of(SkerryLine.Terminals);
    public string Vessel => Of(SkerryLine.Vessels);
    public string Sailing => Of(SkerryLine.Sailings);
    public string Ticket => string.Create(CultureInfo.InvariantCulture, $"SK-{Int(10000, 99999)}-{(char)('A' + random.Next(4))}");
    public string Hex(int digits) => Convert.ToHexStringLower(Bytes((digits + 1) / 2))[..digits];

    /// <summary>Milliseconds around a middle, with a long tail.</summary>
    public int Ms(double middle)
    {
        var normal = Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        return Math.Max(1, (int)(middle * Math.Exp(0.5 * normal)));
    }

    public string Took(int ms) => ms < 1000 ? ms.ToString(CultureInfo.InvariantCulture) + "ms" : (ms / 1000.0).ToString("0.00", CultureInfo.InvariantCulture) + "s";
    public string Money => (Int(390, 9800) / 100.0).ToString("0.00", CultureInfo.InvariantCulture);

    private byte[] Bytes(int count)
    {
        var bytes = new byte[count];
        random.NextBytes(bytes);
        return bytes;
    }
}

/// <summary>All that the twelve services write when nothing is wrong, small troubles included.</summary>
public static class Templates
{
    private static readonly (string, object)[] None = [];

    public static readonly IReadOnlyList<Template> All =
    [
        // booking-web: access lines and what the site thinks of itself
        Busy("booking-web", "info", 9, d => { var ms = d.Ms(90); var path = d.Of("/timetable", "/sailings/" + d.Sailing, "/basket", "/account", "/fares"); return ($"GET {path} 200 {d.Int(900, 48000)} bytes in {d.Took(ms)}", [("route", "GET " + path.Split('/')[1]), ("status", 200), ("wait", d.Took(ms))]); }, traced: true),
        Busy("booking-web", "info", 3.4, d => { var ms = d.Ms(240); return ($"POST /v2/booking 201 in {d.Took(ms)}", [("route", "POST /v2/booking"), ("status", 201), ("wait", d.Took(ms)), ("terminal", d.Terminal)]); }, traced: true),
        Busy("booking-web", "info", 2.2, d => ($"basket {d.Hex(8)} holds {d.Int(1, 5)} seats on {d.Sailing}", [("sailing_id", d.Sailing)])),
        Busy("booking-web", "info", 1.6, d => ($"booking {d.Ticket} confirmed for {d.Int(1, 6)} passengers on {d.Vessel}", [("vessel", d.Vessel)])),
        Busy("booking-web", "debug", 2.4, d => ($"session {d.Hex(12)} renewed", None)),
        Busy("booking-web", "warn", 0.5, d => ($"basket {d.Hex(8)} expired after {d.Int(15, 20)} minutes", None)),
        Busy("booking-web", "warn", 0.22, d => ($"POST /v2/booking 409 seat taken on {d.Sailing}", [("route", "POST /v2/booking"), ("status", 409)]), traced: true),
        Busy("booking-web", "error", 0.05, d => ($"fare-engine did not answer within {d.Int(2, 4)}s, showing cached fares", [("upstream", "fare-engine")]), traced: true),

        // fare-engine: key=value
        Busy("fare-engine", "info", 6.5, d => { var ms = d.Ms(35); return ($"quote route={d.Of("hollin-tarnhead", "stennet-marrowick", "lindle-orra", "ferrin-duskey")} class={d.Of("foot", "cycle", "car", "van")} price={d.Money} took={d.Took(ms)}", [("wait", d.Took(ms))]); }, traced: true),
        Busy("fare-engine", "debug", 3.2, d => ($"cache hit=true key=fare:{d.Hex(6)} age={d.Int(1, 290)}s", None)),
        Busy("fare-engine", "info", 0.5, d => ($"rules reloaded count={d.Int(180, 190)} version={d.Int(40, 44)}", None)),
        Busy("fare-engine", "warn", 0.3, d => ($"quote slow took={d.Took(d.Ms(900))} rules={d.Int(20, 60)}", [("terminal", d.Terminal)])),
        Busy("fare-engine", "warn", 0.06, d => ($"discount code {d.Of("ISLANDER", "SPRING", "CREWKIN")}-{d.Int(100, 999)} unknown", None)),

        // seat-ledger: the database of seats
        Busy("seat-ledger", "info", 5.2, d => { var ms = d.Ms(9); return ($"claimed seat {d.Int(1, 48)}{d.Of("A", "B", "C", "D")} on {d.Sailing} in {d.Took(ms)}", [("sailing_id", d.Sailing), ("wait", d.Took(ms))]); }, traced: true),
        Busy("seat-ledger", "debug", 4.2, d => { var used = d.Int(11, 21); return ($"pool {used} of 60 connections in use", [("in_use", used)]); }),
        Busy("seat-ledger", "info", 1.5, d => ($"released seat {d.Int(1, 48)}{d.Of("A", "B", "C", "D")} on {d.Sailing}: basket expired", [("sailing_id", d.Sailing)])),
        Busy("seat-ledger", "warn", 0.2, d => ($"row lock on sailing {d.Sailing} held {d.Took(d.Ms(300))} by checkout worker {d.Int(1, 8)}", [("sailing_id", d.Sailing)])),
        Steady("seat-ledger", "info", 0.4, d => ($"checkpoint complete: wrote {d.Int(80, 900)} pages in {d.Took(d.Ms(700))}", None)),
        Steady("seat-ledger", "warn", 0.03, d => ($"replica {d.Of("ledger-2", "ledger-3")} is {d.Int(2, 9)}s behind", None)),
        Busy("seat-ledger", "error", 0.015, d => ($"claim failed on {d.Sailing}\nLedgerException: version changed from {d.Int(100, 900)} to {d.Int(901, 999)}\n   at Ledger.Claim(Seat seat) in Claim.cs:line {d.Int(40, 90)}\n   at Ledger.Worker.Run() in Worker.cs:line 31", [("sailing_id", d.Sailing)])),

        // gate-control: boarding gates
        Busy("gate-control", "info", 5.4, d => { var (ms, ticket) = (d.Ms(120), d.Ticket); return ($"ticket {ticket} admitted after {d.Took(ms)}", Gate(d, ticket, ms)); }, traced: true),
        Busy("gate-control", "debug", 3.1, d => { var ticket = d.Ticket; return ($"scan {ticket} read in {d.Took(d.Ms(40))}", [("terminal", d.Terminal), ("ticket", ticket), ("firmware", "7.2")]); }),
        Refused("ticket not found", 0.085, "warn"),
        Refused("wrong sailing", 0.07, "warn"),
        Refused("sailing departed", 0.04, "warn"),
        Refused("ticket void", 0.03, "error"),
        Refused("seat already claimed", 0.025, "error"),
        Busy("gate-control", "info", 0.35, d => ($"boarding of {d.Sailing} opened at {d.Terminal}, {d.Int(30, 180)} expected", [("terminal", d.Terminal), ("sailing_id", d.Sailing)])),
        Steady("gate-control", "info", 0.5, d => ($"heartbeat: door closed, reader idle, {d.Int(31, 44)}°C", [("terminal", d.Terminal), ("firmware", "7.2")])),
        Busy("gate-control", "warn", 0.12, d => ($"gate at {d.Terminal} held open for {d.Int(9, 25)}s", [("terminal", d.Terminal)])),

        // kiosk-ui: ticket machines
        Busy("kiosk-ui", "info", 4.1, d => ($"screen {d.Of("start", "destination", "passengers", "payment", "receipt")} shown at {d.Terminal}", [("terminal", d.Terminal)])),
        Busy("kiosk-ui", "info", 1.8, d => ($"printed ticket {d.Ticket}", [("terminal", d.Terminal)])),
        Busy("kiosk-ui", "debug", 1.6, d => ($"touch at {d.Int(0, 1080)},{d.Int(0, 1920)} ignored while busy", None)),
        Busy("kiosk-ui", "warn", 0.22, d => ($"card reader answered late: {d.Took(d.Ms(2100))}", [("terminal", d.Terminal)])),
        Steady("kiosk-ui", "warn", 0.05, d => ($"paper low, {d.Int(4, 20)} m left", [("terminal", d.Terminal)])),
        Busy("kiosk-ui", "error", 0.03, d => ($"printer jam at {d.Terminal}, kiosk out of service", [("terminal", d.Terminal)])),

        // payment-bridge
        Busy("payment-bridge", "info", 3.1, d => { var ms = d.Ms(310); return ($"authorised {d.Money} for basket {d.Hex(8)} in {d.Took(ms)}", [("scheme", d.Of("northcard", "tally", "skerry-pass")), ("wait", d.Took(ms))]); }, traced: true),
        Busy("payment-bridge", "info", 1.5, d => ($"captured {d.Money} reference {d.Hex(10)}", [("scheme", d.Of("northcard", "tally", "skerry-pass"))])),
        Busy("payment-bridge", "debug", 1.4, d => ($"handshake with acquirer done in {d.Took(d.Ms(60))}", None)),
        Busy("payment-bridge", "warn", 0.28, d => ($"payment declined: {d.Of("insufficient funds", "expired card", "limit reached")}", [("scheme", d.Of("northcard", "tally"))]), traced: true),
        Busy("payment-bridge", "warn", 0.06, d => ($"acquirer slow, {d.Took(d.Ms(2600))} for authorisation", None)),
        Steady("payment-bridge", "info", 0.1, d => ($"certificate of acquirer valid for {d.Int(61, 64)} more days", None)),

        // manifest: passenger lists
        Busy("manifest", "info", 2.6, d => ($"passenger added to {d.Sailing}: {d.Int(20, 380)} of {d.Of("240", "380", "410")} aboard", [("sailing_id", d.Sailing), ("vessel", d.Vessel)])),
        Busy("manifest", "info", 0.4, d => ($"manifest of {d.Sailing} sealed with {d.Int(40, 380)} passengers, {d.Int(0, 60)} vehicles", [("sailing_id", d.Sailing)])),
        Steady("manifest", "debug", 1.4, d => ($"disk {d.Int(41, 43)} % used on /var/manifest", None)),
        Busy("manifest", "warn", 0.12, d => ($"passenger count of {d.Sailing} differs by {d.Int(1, 3)} from gate", [("sailing_id", d.Sailing)])),
        Busy("manifest", "error", 0.012, d => ($"could not seal {d.Sailing}\njava.lang.IllegalStateException: gate still open\n\tat line.skerry.manifest.Seal.close(Seal.java:{d.Int(60, 80)})\n\tat line.skerry.manifest.Job.run(Job.java:22)", [("sailing_id", d.Sailing)])),

        // notice-board: departure screens
        Steady("notice-board", "info", 1.8, d => ($"screen {d.Of(SkerryLine.Terminals).ToLowerInvariant()}-{d.Int(1, 4)} refreshed in {d.Took(d.Ms(180))}", None)),
        Busy("notice-board", "info", 1.2, d => ($"notice {d.Int(1000, 9999)} shown: {d.Sailing} departs from berth {d.Int(1, 6)}", [("terminal", d.Terminal)])),
        Busy("notice-board", "info", 0.4, d => ($"{d.Sailing} delayed by {d.Int(5, 25)} minutes, weather", [("terminal", d.Terminal)])),
        Steady("notice-board", "warn", 0.07, d => ($"screen {d.Of(SkerryLine.Terminals).ToLowerInvariant()}-{d.Int(1, 4)} did not answer, trying again", None)),

        // berth-planner
        Busy("berth-planner", "info", 1, d => ($"{d.Vessel} assigned to berth {d.Int(1, 6)} at {d.Terminal}", [("vessel", d.Vessel), ("terminal", d.Terminal)])),
        Steady("berth-planner", "info", 0.6, d => ($"plan recomputed: {d.Int(22, 28)} sailings, {d.Int(0, 3)} moves, cost {d.Int(110, 190)}", None)),
        Busy("berth-planner", "warn", 0.06, d => ($"draught of {d.Vessel} leaves {d.Int(30, 60)} cm at berth {d.Int(1, 6)}", [("vessel", d.Vessel)])),

        // tide-feed
        Steady("tide-feed", "info", 1.6, d => { var station = d.Int(0, 7); var height = SkerryLine.Tide(d.Time, station); return ($"{SkerryLine.Terminals[station]},{d.Time:HH:mm},{height.ToString("0.00", CultureInfo.InvariantCulture)} m", [("terminal", SkerryLine.Terminals[station]), ("height", Math.Round(height, 2))]); }),
        Steady("tide-feed", "debug", 0.5, d => ($"gauge {d.Int(1, 8)} polled in {d.Took(d.Ms(80))}", None)),
        Steady("tide-feed", "warn", 0.04, d => ($"gauge {d.Int(1, 8)} silent for {d.Int(60, 180)}s", None)),

        // crew-roster
        Busy("crew-roster", "info", 0.8, d => ($"watch of {d.Vessel} handed over at {d.Terminal}", [("vessel", d.Vessel)])),
        Steady("crew-roster", "info", 0.3, d => ($"roster synchronised, {d.Int(61, 66)} crew", None)),
        Busy("crew-roster", "warn", 0.05, d => ($"rest period of crew member {d.Int(100, 199)} short by {d.Int(5, 40)} minutes", None)),

        // refund-desk
        Busy("refund-desk", "info", 0.9, d => ($"refund {d.Int(20000, 29999)} of {d.Money} paid for {d.Ticket}", None), traced: true),
        Busy("refund-desk", "info", 0.3, d => ($"refund {d.Int(20000, 29999)} requested: {d.Of("missed connection", "duplicate", "weather", "illness")}", None)),
        Busy("refund-desk", "warn", 0.05, d => ($"refund {d.Int(20000, 29999)} waits for approval since {d.Int(2, 30)} hours", None)),

        // the radio bridges of the quays, which speak as syslog does
        Steady("gate-control", "info", 0.5, d => ($"quay-radio[{d.Int(300, 900)}]: link to {d.Terminal} up, {d.Int(48, 72)} dBm below", [("terminal", d.Terminal)])),
        Steady("gate-control", "warn", 0.15, d => ($"quay-radio[{d.Int(300, 900)}]: retry {d.Int(1, 3)} on frame {d.Hex(4)}", [("terminal", d.Terminal)])),
    ];

    private static Template Busy(string service, string level, double perMinute, Func<Draw, (string, (string, object)[])> write, bool traced = false) =>
        new(service, level, perMinute, false, write, traced);

    private static Template Steady(string service, string level, double perMinute, Func<Draw, (string, (string, object)[])> write) =>
        new(service, level, perMinute, true, write);

    private static Template Refused(string reason, double perMinute, string level) => Busy("gate-control", level, perMinute, d => Refusal(d, reason, d.Ms(420), "7.2"), traced: true);

    /// <summary>A refused ticket, as gates write it.</summary>
    public static (string Body, (string, object)[] Attributes) Refusal(Draw d, string reason, int ms, string firmware)
    {
        var ticket = d.Ticket;
        return ($"ticket {ticket} refused: {reason} after {d.Took(ms)}", [.. Gate(d, ticket, ms, firmware), ("reason", reason)]);
    }

    private static (string, object)[] Gate(Draw d, string ticket, int ms, string firmware = "7.2") =>
        [("terminal", d.Terminal), ("ticket", ticket), ("wait", d.Took(ms)), ("firmware", firmware), ("route", "POST /v2/boarding/scan"), ("sailing_id", d.Sailing)];
}
