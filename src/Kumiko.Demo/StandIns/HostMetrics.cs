using System.Globalization;
using System.Text;
using Kumiko.Demo.World;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Demo.StandIns;

/// <summary>What the hosts of a service measure, as OpenMetrics text for whoever fetches it.</summary>
public static class HostMetrics
{
    public static void Map(WebApplication app) =>
        app.MapGet("/demo/metrics/{service}", (string service, Truth truth, DemoOptions options, LineZone zone) =>
                SkerryLine.Hosts.TryGetValue(service, out var hosts)
                    ? Results.Text(
                        Write(service, hosts, Simulator.Floor(zone.Now), truth.Plays, options.Seed),
                        "application/openmetrics-text; version=1.0.0; charset=utf-8"
                    )
                    : Results.NotFound()
            )
            .AllowAnonymous();

    private static string Write(string service, string[] hosts, DateTimeOffset minute, IReadOnlyList<Play> plays, int seed)
    {
        var text = new StringBuilder();
        foreach (
            var of in hosts.SelectMany(h => Metric.Of(service, h).Select(m => (Host: h, Metric: m))).GroupBy(m => m.Metric.Name)
        )
        {
            var name = of.Key.Replace('.', '_');
            // A count within a minute falls again, so to whoever looks now it is a gauge.
            text.Append(CultureInfo.InvariantCulture, $"# TYPE {name} gauge\n");
            foreach (var (host, metric) in of)
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"{name}{{service=\"{service}\",host=\"{host}\",environment=\"{SkerryLine.EnvironmentOf(host)}\"}} {Math.Round(metric.Value(minute, plays, seed), 4)}\n"
                );
        }
        return text.Append("# EOF\n").ToString();
    }
}
