using System.Globalization;
using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Signals;

namespace Kumiko.Demo.World;

/// <summary>
/// What booking-web answered to whom: a line for each of its requests, with the status and the time that it really had.
/// </summary>
public static class AccessLog
{
    public const string Service = "booking-web";

    /// <summary>What a route asks for, where it has more than its pattern.</summary>
    private static readonly Dictionary<string, string> Queries = new() { ["GET /v2/fares"] = "?from={from}&to={to}" };

    private static readonly string[] Agents =
    [
        "Kiosk/7.3 (quay)",
        "SkerryApp/4.1 (phone)",
        "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
        "Mozilla/5.0 (Macintosh; Intel Mac OS X 15_2) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.2 Safari/605.1.15",
        "quay-probe/2",
    ];

    /// <summary>Requests that were answered in a stretch of time, in its order.</summary>
    public static IEnumerable<SimulatedRecord> Between(
        Simulator simulator,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays
    )
    {
        for (var minute = Simulator.Floor(from); minute < until; minute = minute.AddMinutes(1))
            foreach (var record in Minute(simulator, minute, plays))
                if (record.Time >= from && record.Time < until)
                    yield return record;
    }

    private static List<SimulatedRecord> Minute(Simulator simulator, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var records = new List<SimulatedRecord>();
        var (world, start) = (simulator.World, Instants.FromDateTime(minute));
        foreach (var visit in world.Visits(minute.AddMinutes(-1), plays).Concat(world.Visits(minute, plays)))
        {
            var node = world.Graph.Nodes[visit.Node];
            var time = minute.AddTicks((visit.End - start) / 100);
            if (node.Of.Name != Service || time < minute || time >= minute.AddMinutes(1))
                continue;
            var random = new Random((int)visit.Chance.Bits(702));
            records.Add(
                One(
                    new Draw(random, time, node.Of.Hosts[visit.Host].Name, plays)
                    {
                        Visit = visit,
                        Operation = node.Operation.Name,
                    }
                )
            );
        }
        records.Sort((a, b) => a.Time.CompareTo(b.Time));
        return records;
    }

    private static SimulatedRecord One(Draw draw)
    {
        var method = Spans.MethodOf(draw.Operation)!;
        var pattern = draw.Operation[(method.Length + 1)..];
        var path = Filled(pattern + Queries.GetValueOrDefault(draw.Operation, ""), draw);
        var status = Status(method, pattern, draw.Visit!, draw.Random.NextDouble());
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
            ("seconds", Math.Round(draw.Visit!.Milliseconds / 1_000, 3)),
        ];
        if (query >= 0)
            fields.Insert(3, ("url.query", path[(query + 1)..]));
        return new SimulatedRecord(draw.Time, Service, draw.Host, "", $"{method} {path} {status}", fields, null, null, "access");
    }

    private static string Filled(string pattern, Draw draw) =>
        pattern
            .Replace("{from}", draw.Of(SkerryLine.Terminals), StringComparison.Ordinal)
            .Replace("{to}", draw.Of(SkerryLine.Terminals), StringComparison.Ordinal)
            .Replace("{sailing}", SkerryLine.SailingNear(draw.Time, draw.Random), StringComparison.Ordinal)
            .Replace("{id}", draw.Int(100_000, 999_999).ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal)
            .Replace("{file}", draw.Hex(8) + ".css", StringComparison.Ordinal);

    private static int Status(string method, string pattern, Visit visit, double chance)
    {
        if (pattern == "/old/timetable")
            return 301;
        if (visit.Error.Length > 0)
            // A proxy before it gives up now and then.
            return Spans.StatusOf(visit) == 500 && chance < 0.3 ? 503 : Spans.StatusOf(visit);
        if (visit.IsRefused)
            return pattern == "/v2/session" ? 401 : 409;
        if (pattern.StartsWith("/assets", StringComparison.Ordinal) && chance > 0.5)
            return 304;
        var rare = chance switch
        {
            > 0.995 => 429,
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
