using System.Globalization;

namespace Kumiko.Demo.World;

/// <summary>
/// What booking-web answered to whom: statuses of every kind, slower and failing while a certificate or a time-out is wrong.
/// It has its own source of chance, so that all else is the same with and without it.
/// </summary>
public static class AccessLog
{
    public const string Service = "booking-web";
    private const int Own = 104_729;

    /// <summary>Requests in a minute of average business.</summary>
    private const double PerMinute = 12;

    private static readonly (string Method, string Path, double Weight)[] Requests =
    [
        ("GET", "/v2/fares?from={from}&to={to}", 30),
        ("GET", "/v2/sailings/{sailing}", 22),
        ("POST", "/v2/booking", 12),
        ("GET", "/v2/booking/{id}", 10),
        ("GET", "/assets/{hex}.css", 9),
        ("GET", "/", 7),
        ("POST", "/v2/session", 4),
        ("DELETE", "/v2/booking/{id}", 1),
        ("GET", "/healthz", 5),
        ("GET", "/old/timetable", 0.6),
    ];

    private static readonly string[] Agents =
    [
        "Kiosk/7.3 (quay)",
        "SkerryApp/4.1 (phone)",
        "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
        "Mozilla/5.0 (Macintosh; Intel Mac OS X 15_2) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Safari/605.1.15",
        "quay-probe/2",
    ];

    /// <summary>Requests of a stretch of time, in its order.</summary>
    public static IEnumerable<SimulatedRecord> Between(
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays,
        int seed,
        double scale
    )
    {
        for (var minute = Simulator.Floor(from); minute < until; minute = minute.AddMinutes(1))
            foreach (var record in Minute(minute, plays, seed, scale))
                if (record.Time >= from && record.Time < until)
                    yield return record;
    }

    private static List<SimulatedRecord> Minute(DateTimeOffset minute, IReadOnlyList<Play> plays, int seed, double scale)
    {
        var random = new Random(Seeds.Of(seed + Own, minute.ToUnixTimeSeconds() / 60));
        var records = new List<SimulatedRecord>();
        var rate = PerMinute * scale * SkerryLine.Busy(minute);
        var count = (int)rate + (random.NextDouble() < rate - (int)rate ? 1 : 0);
        for (var i = 0; i < count; i++)
        {
            var time = minute.AddMilliseconds(random.Next(60_000));
            records.Add(
                One(new Draw(random, time, "booking-" + random.Next(1, 5).ToString(CultureInfo.InvariantCulture), plays))
            );
        }
        records.Sort((a, b) => a.Time.CompareTo(b.Time));
        return records;
    }

    private static SimulatedRecord One(Draw draw)
    {
        var (method, pattern) = Request(draw.Random);
        var path = Filled(pattern, draw);
        var strained = Math.Max(draw.Strength(2), draw.Strength(8));
        var status = Status(method, pattern, draw.Random.NextDouble(), strained);
        var took = draw.Ms(status is 502 or 504 ? 3_000 : 40 + (300 * strained)) / 1_000.0;
        var size = status is 204 or 304 ? 0 : draw.Int(120, method == "GET" ? 9_000 : 600);
        var query = path.IndexOf('?', StringComparison.Ordinal);
        List<(string, object)> fields =
        [
            (
                "client.address",
                string.Create(CultureInfo.InvariantCulture, $"10.{draw.Int(20, 27)}.{draw.Int(0, 9)}.{draw.Int(2, 250)}")
            ),
            ("http.request.method", method),
            ("url.path", query < 0 ? path : path[..query]),
            ("network.protocol.version", "1.1"),
            ("http.response.status_code", status),
            ("http.response.body.size", size),
            ("user_agent.original", pattern == "/healthz" ? "quay-probe/2" : draw.Of(Agents)),
            ("seconds", took),
        ];
        if (query >= 0)
            fields.Insert(3, ("url.query", path[(query + 1)..]));
        return new SimulatedRecord(draw.Time, Service, draw.Host, "", $"{method} {path} {status}", fields, null, null, "access");
    }

    private static (string Method, string Path) Request(Random random)
    {
        var at = random.NextDouble() * Requests.Sum(r => r.Weight);
        foreach (var (method, path, weight) in Requests)
        {
            at -= weight;
            if (at < 0)
                return (method, path);
        }
        return (Requests[0].Method, Requests[0].Path);
    }

    private static string Filled(string pattern, Draw draw) =>
        pattern
            .Replace("{from}", draw.Of(SkerryLine.Terminals), StringComparison.Ordinal)
            .Replace("{to}", draw.Of(SkerryLine.Terminals), StringComparison.Ordinal)
            .Replace("{sailing}", SkerryLine.SailingNear(draw.Time, draw.Random), StringComparison.Ordinal)
            .Replace("{id}", draw.Int(100_000, 999_999).ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal)
            .Replace("{hex}", draw.Hex(8), StringComparison.Ordinal);

    private static int Status(string method, string pattern, double chance, double strained)
    {
        if (pattern == "/old/timetable")
            return 301;
        if (chance < 0.004 + (0.18 * strained))
            return ((int)(chance * 1e6) % 4) switch
            {
                0 => 500,
                1 => 502,
                2 => 503,
                _ => 504,
            };
        if (pattern.StartsWith("/assets", StringComparison.Ordinal) && chance > 0.5)
            return 304;
        var rare = chance switch
        {
            > 0.995 => 429,
            > 0.99 => 409,
            > 0.982 => 404,
            > 0.976 => 403,
            > 0.968 => 401,
            > 0.963 => 400,
            > 0.955 => 302,
            _ => 0,
        };
        if (rare > 0)
            return rare;
        return method switch
        {
            "POST" => 201,
            "DELETE" => 204,
            _ => 200,
        };
    }

    /// <summary>The request as a line in the Combined Log Format, with the seconds that it took.</summary>
    public static string LineOf(SimulatedRecord record)
    {
        var fields = record.Attributes.ToDictionary(a => a.Name, a => Convert.ToString(a.Value, CultureInfo.InvariantCulture)!);
        var target = fields["url.path"] + (fields.TryGetValue("url.query", out var query) ? "?" + query : "");
        var size = fields["http.response.body.size"];
        var time = record.Time.ToString("dd/MMM/yyyy:HH:mm:ss zzz", CultureInfo.InvariantCulture).Remove(24, 1);
        var took = ((double)record.Attributes[^1].Value).ToString("0.000", CultureInfo.InvariantCulture);
        var (method, status) = (fields["http.request.method"], fields["http.response.status_code"]);
        return $"{fields["client.address"]} - - [{time}] \"{method} {target} HTTP/1.1\" {status} {(size == "0" ? "-" : size)} "
            + $"\"-\" \"{fields["user_agent.original"]}\" {took}";
    }
}
