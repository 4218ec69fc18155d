using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Storage;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Bench;

/// <summary>Whole pages over HTTP, with all records in the focus, beside a plain search through the bodies.</summary>
internal static class Pages
{
    private const int Times = 40;

    private static readonly (string Name, string Query)[] Queries =
    [
        ("everything", ""),
        ("a common word", "ticket"),
        ("a rare word", "refused"),
        ("conditions", "level >= warn and terminal = Tarnhead"),
        ("a regular expression", @"body ~ /after \d\.\d+s/"),
        ("counted over time", "refused\n| group count() by reason per 1h"),
    ];

    /// <summary>Lets runs that nobody reads any more end before the next thing is measured.</summary>
    private static async Task Settled(World world)
    {
        var runs = world.App.Services.GetRequiredService<RunRegistry>();
        while (runs.Count > 0)
            await Task.Delay(500);
    }

    public static async Task Measure(World world)
    {
        var all = world
            .Store.Current.OldestFirst(new Window(long.MinValue, long.MaxValue), BatchTest.All, null, CancellationToken.None)
            .ToList();
        var bodies = all.Select(r => r.Body).ToArray();
        var plain = await Repeated.Milliseconds(Times, () =>
        {
            var found = 0;
            foreach (var body in bodies)
                if (body.Contains("refused", StringComparison.OrdinalIgnoreCase))
                    found++;
            return Task.FromResult(found);
        });
        var from = Uri.EscapeDataString(Kumiko.Core.Records.Instants.Format(all[0].Time));
        Console.WriteLine(
            $"| {world.Records} records in the focus, over HTTP | median ms | p95 ms | p95 against plain search |\n|---|---|---|---|"
        );
        Console.WriteLine(
            $"| plain search for one word through all bodies, one thread, no server | {plain.Median:0} | {plain.P95:0} | 1 |"
        );
        foreach (var (name, query) in Queries)
        {
            var address = $"/search?q={Uri.EscapeDataString(query)}&from={from}&to=now";
            var page = await Repeated.Milliseconds(Times, async () => await world.Browser.GetByteArrayAsync(address));
            await Settled(world);
            Console.WriteLine(
                $"| {name}: first 200 rows and the strip with its baseline | {page.Median:0} | {page.P95:0} | {page.P95 / plain.P95:0.0} |"
            );
        }
        var fields = await Repeated.Milliseconds(10, async () =>
            await world.Browser.GetByteArrayAsync($"/search?handler=Fields&from={from}&to=now")
        );
        Console.WriteLine(
            $"| the values of all fields with their shifts, which come after the page | {fields.Median:0} | {fields.P95:0} | {fields.P95 / plain.P95:0.0} |"
        );
    }
}
