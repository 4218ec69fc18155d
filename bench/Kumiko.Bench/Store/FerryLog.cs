using System.Globalization;
using System.Text;

namespace Kumiko.Bench.Store;

/// <summary>
/// NDJSON of a made-up ferry line as storage is measured with: mean body about 120 bytes, 40 hosts, 12 services, 30 %
/// with trace and span id, 40 % with one unique token. Made once, then given again with later times and other tokens.
/// </summary>
internal sealed class FerryLog
{
    private const int BatchRecords = 10_000;
    private const int TimeAt = 9;
    private const int TokenDigits = 11;
    private static readonly DateTime Begin = new(2026, 11, 1, 0, 0, 0, DateTimeKind.Utc);

    private static readonly string[] Services =
    [
        "gate-control",
        "seat-ledger",
        "ticket-desk",
        "fare-engine",
        "harbour-board",
        "crew-roster",
        "pier-sensors",
        "notice-push",
        "cargo-weigh",
        "vessel-link",
        "refund-desk",
        "tide-feed",
    ];
    private static readonly string[] Terminals = ["Tarnhead", "Orra", "Skerry", "Linga", "Brae", "Holm"];
    private static readonly string[] Reasons =
    [
        "seat already claimed",
        "sailing closed",
        "ticket not yet valid",
        "wrong terminal",
        "paid twice",
    ];
    private static readonly string[] People =
    [
        "Ines",
        "Mirek",
        "Tove",
        "Sanna",
        "Aldo",
        "Petra",
        "Juno",
        "Kasper",
        "Bram",
        "Edda",
        "Nils",
        "Rhea",
    ];

    private readonly List<byte[]> _batches = [];

    /// <summary>Where in each batch the tokens stand that no two records may share.</summary>
    private readonly List<int[]> _tokens = [];

    public FerryLog(int distinct)
    {
        var random = new Random(1);
        var text = new StringBuilder();
        for (var i = 0; i < distinct; i += BatchRecords)
        {
            text.Clear();
            for (var n = 0; n < Math.Min(BatchRecords, distinct - i); n++)
                Append(text, random);
            var batch = Encoding.UTF8.GetBytes(text.ToString());
            _batches.Add(batch);
            _tokens.Add(TokensOf(batch));
        }
    }

    private static int[] TokensOf(ReadOnlySpan<byte> batch)
    {
        var places = new List<int>();
        for (var at = batch.IndexOf(" ref "u8); at >= 0; )
        {
            places.Add(at + 5);
            var next = batch[(at + 5)..].IndexOf(" ref "u8);
            at = next < 0 ? -1 : at + 5 + next;
        }
        return [.. places];
    }

    /// <summary>Bytes of one record, on average.</summary>
    public double MeanBytes => _batches.Sum(b => (double)b.Length) / (_batches.Count * BatchRecords);

    /// <summary>Batches until so many records were given; each record is later than the one before, by a few
    /// milliseconds.</summary>
    /// <remarks>The bytes are valid until the next batch is asked for by the same caller.</remarks>
    public IEnumerable<(byte[] Lines, int Records)> Batches(long records, int recordsPerSecond = 300)
    {
        var given = 0L;
        for (var b = 0; given < records; b = (b + 1) % _batches.Count)
        {
            var lines = _batches[b].ToArray();
            var count = Stamp(lines, given, recordsPerSecond);
            var tokens = _tokens[b];
            // An odd factor, so that no two numbers below 2^44 become the same.
            for (var t = 0; t < tokens.Length; t++)
                Hex(lines.AsSpan(tokens[t], TokenDigits), ((ulong)(given + t) * 0x9E3779B97F4A7C15) & ((1UL << 44) - 1));
            given += count;
            yield return (lines, count);
        }
    }

    /// <summary>The time of a record, counted from 0.</summary>
    public static DateTime TimeOf(long record, int recordsPerSecond = 300) =>
        Begin.AddTicks(record * (TimeSpan.TicksPerSecond / recordsPerSecond));

    private static int Stamp(byte[] lines, long first, int perSecond)
    {
        var count = 0;
        for (var at = 0; at < lines.Length; count++)
        {
            var time = TimeOf(first + count, perSecond);
            Write(lines.AsSpan(at + TimeAt), time);
            at += lines.AsSpan(at).IndexOf((byte)'\n') + 1;
        }
        return count;
    }

    private static void Write(Span<byte> text, DateTime time)
    {
        Digits(text[..4], time.Year);
        Digits(text[5..7], time.Month);
        Digits(text[8..10], time.Day);
        Digits(text[11..13], time.Hour);
        Digits(text[14..16], time.Minute);
        Digits(text[17..19], time.Second);
        Digits(text[20..23], time.Millisecond);
    }

    private static void Hex(Span<byte> text, ulong number)
    {
        for (var i = text.Length - 1; i >= 0; i--, number >>= 4)
            text[i] = "0123456789abcdef"u8[(int)(number & 15)];
    }

    private static void Digits(Span<byte> text, int number)
    {
        for (var i = text.Length - 1; i >= 0; i--)
        {
            text[i] = (byte)('0' + (number % 10));
            number /= 10;
        }
    }

    private static void Append(StringBuilder text, Random random)
    {
        string Of(string[] items) => items[random.Next(items.Length)];
        var service = random.Next(Services.Length);
        var host = random.Next(40);
        text.Append("{\"time\":\"2026-11-01T00:00:00.000Z\",\"level\":\"")
            .Append(
                random.Next(100) switch
                {
                    < 4 => "error",
                    < 12 => "warn",
                    < 20 => "debug",
                    _ => "info",
                }
            )
            .Append("\",\"service\":\"")
            .Append(Services[service])
            .Append("\",\"host\":\"")
            .Append(Services[host % 12].AsSpan(0, 4))
            .Append("-t")
            .Append(host)
            .Append("\",\"body\":\"");
        var unique =
            random.Next(100) < 40 ? " ref " + random.NextInt64(1L << 44).ToString("x11", CultureInfo.InvariantCulture) : "";
        var number = random.Next(20_000, 99_999);
        text.Append(
            (service + random.Next(25)) switch
            {
                0 =>
                    $"ticket SK-{number}-B refused at {Of(Terminals)}: {Of(Reasons)} after {random.Next(20, 2_000)}ms, the gate stays closed and the queue is told",
                1 =>
                    $"seat {random.Next(1, 400)}{(char)('A' + random.Next(6))} of sailing {Of(Terminals)} to {Of(Terminals)} claimed by {Of(People)} in {random.NextDouble() * 90:0.00}ms, {random.Next(300)} seats left on the car deck",
                2 =>
                    $"GET /v2/board/{random.Next(1, 90)}/seats answered 200 in {random.Next(1, 300)}ms with {random.Next(200, 9_000)} bytes for 10.20.{random.Next(8)}.{random.Next(255)} over the pier network",
                3 =>
                    $"fare {number} for {random.Next(1, 6)} passengers and {random.Next(0, 3)} vehicles priced at {random.Next(900, 30_000) / 100.0:0.00} crowns under tariff winter-{random.Next(20, 27)}",
                4 =>
                    $"board at {Of(Terminals)} shows sailing {random.Next(100, 999)} at {random.Next(5, 23):00}:{random.Next(0, 59):00}, berth {random.Next(1, 5)}, expected {random.Next(0, 25)} minutes late",
                5 =>
                    $"user {Of(People)} signed in at {Of(Terminals)} from 10.20.{random.Next(8)}.{random.Next(255)} and took over shift {random.Next(1, 4)} of the crew roster",
                6 =>
                    $"tide gauge pier-{random.Next(1, 9)} reads {random.NextDouble() * 5:0.000} m, wind {random.Next(0, 28)} m/s from {random.Next(0, 360)} degrees, swell period {random.Next(4, 12)}s",
                7 =>
                    $"push of notice {number} to {random.Next(1, 4_000)} phones finished in {random.Next(20, 4_000)}ms, {random.Next(0, 40)} phones could not be reached and are tried again",
                8 =>
                    $"lorry {(char)('A' + random.Next(26))}{number} weighed {random.Next(3_000, 44_000)} kg on bridge {random.Next(1, 3)} at {Of(Terminals)}, axle load within what the ramp allows",
                < 14 =>
                    $"link to vessel {Of(Terminals)} is up with {random.Next(20, 99)} % signal, round trip {random.Next(30, 900)}ms, {random.Next(0, 12)} of the last 100 frames lost at sea",
                < 20 =>
                    $"connection {random.Next(1, 40)} of the pool given to {Of(People)} after {random.NextDouble() * 30:0.0}ms of waiting, {random.Next(0, 40)} in use and {random.Next(0, 6)} callers waiting",
                _ =>
                    $"cache board.{Of(Terminals)} answered {random.Next(1, 100)} of {random.Next(100, 200)} look-ups in the last minute and dropped {random.Next(0, 50)} entries older than {random.Next(1, 60)}s",
            }
        );
        text.Append(unique)
            .Append("\",\"terminal\":\"")
            .Append(Of(Terminals))
            .Append("\",\"wait_ms\":")
            .Append(random.Next(1, 3_000));
        if (random.Next(100) < 30)
            text.Append(
                CultureInfo.InvariantCulture,
                $",\"trace_id\":\"{random.NextInt64():x16}{random.NextInt64():x16}\",\"span_id\":\"{random.NextInt64():x16}\""
            );
        text.Append("}\n");
    }
}
