using System.Globalization;
using System.Text;
using Kumiko.Demo.World;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Demo.StandIns;

/// <summary>What crew-roster counts of its watches, as OpenMetrics text for whoever fetches it.</summary>
public static class WatchMetrics
{
    public const string Path = "/demo/metrics/crew-roster";

    public static void Map(WebApplication app) =>
        app.MapGet(Path, (DemoOptions options, LineZone zone) =>
                Results.Text(
                    Write(Simulator.Floor(zone.Now), options.Seed),
                    "application/openmetrics-text; version=1.0.0; charset=utf-8"
                )
            )
            .AllowAnonymous();

    private static string Write(DateTimeOffset minute, int seed)
    {
        var text = new StringBuilder("# TYPE skerry_crew_aboard gauge\n# TYPE skerry_crew_standby gauge\n");
        foreach (var vessel in SkerryLine.Vessels)
        {
            var random = new Random(Seeds.Of(seed, vessel, minute.ToUnixTimeSeconds() / 3600));
            var aboard = 5 + (int)Math.Round(4 * Math.Min(1, SkerryLine.Busy(minute))) + random.Next(2);
            foreach (var (name, value) in new[] { ("aboard", aboard), ("standby", random.Next(4)) })
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"skerry_crew_{name}{{service=\"crew-roster\",host=\"crew-1\",vessel=\"{vessel}\"}} {value}\n"
                );
        }
        return text.Append("# EOF\n").ToString();
    }
}
