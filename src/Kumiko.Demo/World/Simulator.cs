namespace Kumiko.Demo.World;

/// <summary>One timed step of a booking, in one service.</summary>
public sealed record SimulatedSpan(
    string TraceId,
    string SpanId,
    string? ParentId,
    string Service,
    string Host,
    string Name,
    DateTimeOffset Start,
    TimeSpan Duration,
    bool Failed
);

/// <summary>What happens in one minute.</summary>
public sealed record Minute(List<SimulatedRecord> Records, List<SimulatedSpan> Spans);

/// <summary>
/// Writes what the services of Skerry Line would write. Every minute has a random source of its own, made from
/// the seed, so that the same seed gives the same minute whoever asks and in whatever pieces.
/// </summary>
/// <param name="scale">1 for about three million records in fourteen days.</param>
public sealed class Simulator(int seed, double scale = 1)
{
    /// <summary>Brings the lines' rates to about three million records in fourteen days.</summary>
    private const double Rates = 1.28;

    /// <summary>Bookings that are made in a minute of average business.</summary>
    private const double Bookings = 2.4;

    private const int Radio = 7_919;

    private static readonly ILookup<Beat, Line> Lines = Line.All.ToLookup(l => l.Beat);
    private static readonly Dictionary<string, Line> Steps = Lines[Beat.Journey].ToDictionary(l => l.Service);

    /// <summary>The records of one minute, in order of time.</summary>
    public List<SimulatedRecord> Records(DateTimeOffset minute, IReadOnlyList<Play> plays) => All(minute, plays).Records;

    /// <summary>Records and spans of one minute, in order of time.</summary>
    public Minute All(DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var active = plays.Where(p => p.Touches(minute, minute.AddMinutes(1))).ToList();
        var random = new Random(Seeds.Of(seed, minute.ToUnixTimeSeconds() / 60));
        var records = new List<SimulatedRecord>();
        var spans = new List<SimulatedSpan>();
        var busy = SkerryLine.Busy(minute);
        foreach (var line in Lines[Beat.Busy])
            Add(
                records,
                random,
                minute,
                line,
                SkerryLine.Hosts[line.Service],
                line.PerMinute * Rates * scale * busy * Mood(line.Service, minute),
                active,
                null
            );
        foreach (var line in Lines[Beat.Steady])
            Add(records, random, minute, line, SkerryLine.Hosts[line.Service], line.PerMinute * Rates * scale, active, null);
        Depart(records, random, minute, active);
        for (var n = Poisson(random, Bookings * scale * busy); n > 0; n--)
            Book(records, spans, random, minute, active);
        Disturb(records, minute, active);
        // The radio has its own source of chance, so that all else is the same with and without it.
        var air = new Random(Seeds.Of(seed + Radio, minute.ToUnixTimeSeconds() / 60));
        foreach (var line in Line.Radio)
            Add(
                records,
                air,
                minute,
                line,
                SkerryLine.Radios,
                line.PerMinute * Rates * scale * (line.Beat == Beat.Busy ? busy : 1),
                active,
                null
            );
        records.Sort((a, b) => a.Time.CompareTo(b.Time));
        return new Minute(records, spans);
    }

    /// <summary>Every hour of a service is a little busier or quieter than it should be.</summary>
    private double Mood(string service, DateTimeOffset minute)
    {
        var place = Seeds.Of(seed, service, minute.ToUnixTimeSeconds() / 3600) / (double)int.MaxValue;
        return 1 + (0.18 * place);
    }

    private static void Depart(List<SimulatedRecord> records, Random random, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var now = (int)minute.TimeOfDay.TotalMinutes;
        foreach (var line in Lines[Beat.Sailing])
        foreach (var (_, departs) in SkerryLine.Timetable)
        {
            if (departs + (int)line.PerMinute != now)
                continue;
            var hosts = SkerryLine.Hosts[line.Service];
            records.Add(
                line.Write(
                    new Draw(random, minute.AddMilliseconds(random.Next(60_000)), hosts[random.Next(hosts.Length)], plays),
                    null,
                    null
                )
            );
        }
    }

    /// <summary>A booking goes from a browser or a kiosk through fares and seats to payment, all of it within its
    /// minute.</summary>
    private static void Book(
        List<SimulatedRecord> records,
        List<SimulatedSpan> spans,
        Random random,
        DateTimeOffset minute,
        IReadOnlyList<Play> plays
    )
    {
        var (start, last) = (minute.AddMilliseconds(random.Next(55_000)), minute.AddMilliseconds(59_999));
        var draw = new Draw(random, start, "", plays);
        var (trace, kiosk) = (draw.Hex(32), random.NextDouble() < 0.25);
        var at = start;
        var first = kiosk ? Begin("kiosk-ui", "purchase", null) : null;
        var web = Begin("booking-web", "POST /v2/booking", first?.SpanId);
        at = Earlier(at + TimeSpan.FromMilliseconds(draw.Ms(8)), last);
        Step("fare-engine", "quote", draw.Ms(35), web.SpanId);
        Step("seat-ledger", "claim", draw.Ms(9), web.SpanId);
        Step("payment-bridge", "authorise", draw.Ms(310), web.SpanId);
        spans.Add(web with { Duration = at - web.Start + TimeSpan.FromMilliseconds(4) });
        records.Add(Steps["booking-web"].Write(new Draw(random, at, web.Host, plays), trace, web.SpanId));
        if (first is not null)
            spans.Add(first with { Duration = at - first.Start + TimeSpan.FromMilliseconds(9) });

        SimulatedSpan Begin(string service, string name, string? parent) =>
            new(trace, draw.Hex(16), parent, service, draw.Of(SkerryLine.Hosts[service]), name, at, TimeSpan.Zero, false);

        void Step(string service, string name, int milliseconds, string parent)
        {
            var span = Begin(service, name, parent) with { Duration = TimeSpan.FromMilliseconds(milliseconds) };
            if (at + span.Duration > last)
                span = span with { Duration = last - at };
            at += span.Duration;
            spans.Add(span);
            records.Add(Steps[service].Write(new Draw(random, at, span.Host, plays), trace, span.SpanId));
            at = Earlier(at + TimeSpan.FromMilliseconds(draw.Ms(3)), last);
        }
    }

    private static DateTimeOffset Earlier(DateTimeOffset a, DateTimeOffset b) => a < b ? a : b;

    private void Disturb(List<SimulatedRecord> records, DateTimeOffset minute, List<Play> plays)
    {
        foreach (var play in plays)
        {
            // What a disturbance adds has its own source, so that all else stays the same without it.
            var extra = new Random(
                Seeds.Of(seed + play.Of.Number, play.Start.ToUnixTimeSeconds() ^ (minute.ToUnixTimeSeconds() / 60))
            );
            var strength = Math.Max(
                play.Strength(minute),
                Math.Max(play.Strength(minute.AddSeconds(30)), play.Strength(minute.AddSeconds(59)))
            );
            foreach (var (line, hosts, share) in play.Of.Effects)
            {
                var rate = line.PerMinute * play.Intensity * scale * (share?.Invoke(minute, plays) ?? 1);
                if (strength > 0 && rate > 0)
                    Add(records, extra, minute, line, hosts ?? SkerryLine.Hosts[line.Service], rate, plays, play);
            }
            if (play.Of.Alter is { } alter)
                for (var i = records.Count - 1; i >= 0; i--)
                {
                    if (records[i].Service != play.Of.Alters)
                        continue;
                    if (alter(records[i], play) is { } altered)
                        records[i] = altered;
                    else
                        records.RemoveAt(i);
                }
            records.AddRange(play.Of.Tell(play, minute, minute.AddMinutes(1)));
        }
    }

    /// <summary>A stretch of minutes as newline-delimited JSON.</summary>
    /// <returns>How many records were written.</returns>
    /// <param name="spans">Receives the spans of that stretch.</param>
    public int Write(
        Stream to,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        List<SimulatedSpan>? spans = null
    )
    {
        using var lines = new LineWriter(to);
        var count = 0;
        foreach (var record in Between(from, until, plays, spans))
        {
            lines.Write(record);
            count++;
        }
        return count;
    }

    /// <summary>What is written in a stretch of time, minute by minute in order of time.</summary>
    /// <param name="spans">Receives the spans of that stretch.</param>
    public IEnumerable<SimulatedRecord> Between(
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        List<SimulatedSpan>? spans = null
    )
    {
        for (var minute = Floor(from); minute < until; minute = minute.AddMinutes(1))
        {
            var all = All(minute, plays);
            spans?.AddRange(all.Spans.Where(s => s.Start >= from && s.Start < until));
            foreach (var record in all.Records)
                if (record.Time >= from && record.Time < until)
                    yield return record;
        }
    }

    /// <summary>The full minute, on the same clock.</summary>
    public static DateTimeOffset Floor(DateTimeOffset time) =>
        new(time.Ticks / TimeSpan.TicksPerMinute * TimeSpan.TicksPerMinute, time.Offset);

    private static void Add(
        List<SimulatedRecord> records,
        Random random,
        DateTimeOffset minute,
        Line line,
        string[] hosts,
        double rate,
        IReadOnlyList<Play> plays,
        Play? play
    )
    {
        for (var n = Poisson(random, rate); n > 0; n--)
        {
            var time = minute.AddMilliseconds(random.Next(60_000));
            var draw = new Draw(random, time, hosts[random.Next(hosts.Length)], plays);
            var (kept, traced) = (random.NextDouble(), random.NextDouble());
            var record = line.Write(draw, line.IsTraced && traced < 0.8 ? draw.Hex(32) : null, null);
            if (play is null || kept < play.Strength(time))
                records.Add(record);
        }
    }

    /// <summary>Knuth's method for small means, a normal one for large.</summary>
    private static int Poisson(Random random, double mean)
    {
        if (mean > 60)
        {
            var normal = Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
            return Math.Max(0, (int)Math.Round(mean + (Math.Sqrt(mean) * normal)));
        }
        var limit = Math.Exp(-mean);
        var count = 0;
        for (var product = random.NextDouble(); product > limit; product *= random.NextDouble())
            count++;
        return count;
    }
}
