using System.Globalization;

namespace Kumiko.Bench.Patterns;

/// <summary>What libraries and daemons write before a line, in shapes that the ferry line's programs might have.</summary>
internal static class Headers
{
    /// <param name="Line">The number of the line of code: its logger and its usual level hang on it.</param>
    internal readonly record struct Moment(Random Random, DateTime Time, int Line)
    {
        public string At(string format) => Time.ToString(format, CultureInfo.InvariantCulture);

        public string Level(params string[] names) =>
            names[Random.Next(12) == 0 ? Random.Next(names.Length) : Line % names.Length];

        public string Of(params string[] names) => names[Line % names.Length];

        public int Process => 300 + (Line % 3 * 4_000) + Random.Next(40);
        public int Thread => Random.Next(1, 30);
        public string Host => Random.Next(5) == 0 ? "quay-2" : "quay-1";
    }

    private static string Day(DateTime time) => time.Day.ToString(CultureInfo.InvariantCulture).PadLeft(2);

    public static readonly (string Name, Func<Moment, string> Write)[] All =
    [
        ("day, clock, host, program and process", m =>
            $"{m.At("MMM")} {Day(m.Time)} {m.At("HH:mm:ss")} {m.Host} {m.Of("gatekeeper", "ledger/sweep", "kiosk(print)", "tide-feed")}[{m.Process}]: "
        ),
        ("day, clock, host and program alone", m =>
            $"{m.At("MMM")} {Day(m.Time)} {m.At("HH:mm:ss")} {m.Host} {m.Of("kernel", "gatekeeperd", "init")}: "
        ),
        ("ISO with offset, host, program", m =>
            $"{m.At("yyyy-MM-ddTHH:mm:ss.ffffff")}+01:00 {m.Host} {m.Of("gatekeeper", "ledger", "kiosk-ui")}[{m.Process}]: "
        ),
        ("priority before it", m =>
            $"<{m.Random.Next(8, 190)}>{m.At("MMM")} {Day(m.Time)} {m.At("HH:mm:ss")} {m.Host} {m.Of("gatekeeper", "ledger")}[{m.Process}]: "
        ),
        ("brackets: weekday and year, module and level, process", m =>
            $"[{m.At("ddd MMM dd HH:mm:ss.ffffff yyyy")}] [{m.Of("core", "gate_io", "ssl")}:{m.Level("error", "warn", "notice")}] [pid {m.Process}:tid {m.Random.Next(90_000)}] "
        ),
        ("a client's bracket that is not always there", m =>
            $"[{m.At("ddd MMM dd HH:mm:ss yyyy")}] [{m.Level("error", "notice")}] {(m.Line % 2 == 0 ? $"[client 10.3.0.{m.Random.Next(250)}] " : "")}"
        ),
        ("slashes, bracketed level, process and thread", m =>
            $"{m.At("yyyy/MM/dd HH:mm:ss")} [{m.Level("info", "error", "warn")}] {m.Process}#{m.Thread}: "
        ),
        ("comma before the decimals, level, bracketed thread, logger and dash", m =>
            $"{m.At("yyyy-MM-dd HH:mm:ss,fff")} {m.Level("INFO", "WARN", "ERROR"), -5} [{m.Of("main", "pool-1-thread-" + m.Thread)}] {m.Of("line.skerry.gate.Reader", "line.skerry.ledger.Sweep", "c.s.k.Printer")} - "
        ),
        ("clock and bracketed thread, level, logger", m =>
            $"{m.At("HH:mm:ss.fff")} [{m.Of("main", "worker-" + m.Thread)}] {m.Level("DEBUG", "INFO", "WARN"), -5} {m.Of("GateReader", "SeatLedger", "TideFeed")} -- "
        ),
        ("short date, level, logger and colon", m =>
            $"{m.At("yy/MM/dd HH:mm:ss")} {m.Level("INFO", "WARN")} {m.Of("gate.BarrierReader", "ledger.SeatTable$Sweep", "fares.Quotes")}: "
        ),
        ("packed day and clock, thread, level", m =>
            $"{m.At("yyMMdd HHmmss")} {m.Thread} {m.Level("INFO", "WARN", "ERROR")} {m.Of("gate.Reader", "ledger.Sweep")}: "
        ),
        ("upright strokes", m => $"{m.At("yyyyMMdd-H:mm:ss:fff")}|{m.Of("GateReader", "SeatLedger")}|{m.Process}|"),
        ("level first, then the time", m =>
            $"{m.Level("INFO", "WARN", "ERROR")} {m.At("yyyy-MM-dd HH:mm:ss.fff")} {m.Of("ledger", "gate")}.sweep: "
        ),
        ("dashes between name and level", m =>
            $"{m.At("yyyy-MM-dd HH:mm:ss,fff")} - {m.Of("ledger.sweep", "gate", "kiosk.print")} - {m.Level("INFO", "WARNING", "ERROR")} - "
        ),
        ("a letter for the level, file and line", m =>
            $"{m.Level("I", "W", "E")}{m.At("MMdd HH:mm:ss.ffffff")} {m.Process, 7} {m.Of("gate", "ledger")}.go:{40 + m.Line}] "
        ),
        ("file and line behind the clock", m => $"{m.At("yyyy/MM/dd HH:mm:ss")} {m.Of("gate", "ledger")}.go:{40 + m.Line}: "),
        ("month and day, process, thread, a letter, a name", m =>
            $"{m.At("MM-dd HH:mm:ss.fff")} {m.Process, 5} {m.Thread, 5} {m.Level("I", "D", "W")} {m.Of("GateService", "Printer", "TideView")}: "
        ),
        ("zone, process in brackets, person and place, LOG", m =>
            $"{m.At("yyyy-MM-dd HH:mm:ss.fff")} UTC [{m.Process}] {m.Of("ines", "quayside")}@ledger {m.Level("LOG", "ERROR", "HINT")}:  "
        ),
        ("process and role, day, a sign for the level", m =>
            $"{m.Process}:M {m.At("dd MMM yyyy HH:mm:ss.fff")} {m.Level("*", "#", "-")} "
        ),
        ("seconds since the start", m => $"[{m.Random.Next(90_000), 5}.{m.Random.Next(1_000_000):000000}] "),
        ("time, number, three brackets", m =>
            $"{m.At("yyyy-MM-ddTHH:mm:ss.ffffffZ")} {m.Thread} [{m.Level("Note", "Warning", "System")}] [SK-{10_900 + m.Line}] [{m.Of("Server", "Gate")}] "
        ),
        ("words of a level in small letters, padded in brackets", m =>
            $"{m.At("yyyy-MM-ddTHH:mm:ssZ")} [{m.Level("info", "warning", "error"), -9}] "
        ),
        ("bare clock", m => $"{m.At("HH:mm:ss")} "),
        ("comma, padded level, padded part", m =>
            $"{m.At("yyyy-MM-dd HH:mm:ss")}, {m.Level("Info", "Warning", "Error"), -22} {m.Of("GATE", "SEAT"), -6} "
        ),
    ];

    /// <summary>The lines with a header of one shape before each; what wrote them stays what it was.</summary>
    public static List<Labelled> Before(IReadOnlyList<Labelled> lines, Func<Moment, string> write, int seed)
    {
        var random = new Random(seed);
        var numbers = new Dictionary<string, int>(StringComparer.Ordinal);
        var time = new DateTime(2026, 11, 23, 5, 0, 0, DateTimeKind.Utc);
        var result = new List<Labelled>(lines.Count);
        foreach (var line in lines)
        {
            if (!numbers.TryGetValue(line.Truth, out var number))
                numbers[line.Truth] = number = numbers.Count;
            time = time.AddMilliseconds(random.Next(40_000));
            result.Add(line with { Body = write(new Moment(random, time, number)) + line.Body });
        }
        return result;
    }
}
