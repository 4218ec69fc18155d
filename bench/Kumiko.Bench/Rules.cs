using System.Diagnostics;
using System.Globalization;
using Kumiko.Core.Accounts;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Demo;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Bench;

/// <summary>Rules tried on history, and very many of them checked, on the demo's data of fourteen days.</summary>
internal static class Rules
{
    private const int Times = 7;
    private const int ManyRules = 1_000;
    private const int Bar = 2_000;

    private static readonly string[] Services =
    [
        "booking-web",
        "fare-engine",
        "seat-ledger",
        "gate-control",
        "kiosk-ui",
        "payment-bridge",
        "manifest",
        "notice-board",
        "berth-planner",
        "tide-feed",
    ];
    private static readonly string[] Conditions =
    [
        "level >= error",
        "level >= warn",
        "refused",
        "retry",
        "exists(trace_id)",
        "timed*",
        "level = info and not refused",
        "terminal = Tarnhead",
        "wait > 400ms",
        "\"did not answer\"",
    ];

    public static async Task Measure()
    {
        var data = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            using var folder = DataFolder.TryOpen(data)!;
            await using var app = await DemoHost.Build(
                new DemoOptions
                {
                    Data = data,
                    Port = 0,
                    PlaysByItself = false,
                    HasRules = false,
                    Offset = TimeSpan.Zero,
                },
                folder
            );
            await app.StartAsync();
            await app.Services.GetRequiredService<HistoryFiller>().Complete;
            var store = app.Services.GetRequiredService<RecordStore>();
            await store.Upkeep.SealAll();
            Console.WriteLine(
                $"| {store.Count} records and the demo's metrics; 7 days of one-minute checks | median ms | p95 ms | bar |\n|---|---|---|---|"
            );
            foreach (var (name, definition) in Tried())
                await Try(app.Services.GetRequiredService<RuleTrial>(), store, name, definition, 7 * Instants.Day);
            await Try(
                app.Services.GetRequiredService<RuleTrial>(),
                store,
                "30 days: how many, by terminal, above a limit",
                Tried().First().Definition,
                30 * Instants.Day
            );
            await Many(app.Services, store);
            await app.StopAsync();
        }
        finally
        {
            Directory.Delete(data, true);
        }
    }

    private static IEnumerable<(string Name, RuleDefinition Definition)> Tried()
    {
        var refused = new CountOf("service = gate-control and \"refused\"");
        RuleDefinition Of(Quantity quantity, AlertCondition condition, params string[] keys) =>
            new()
            {
                Quantity = quantity,
                Condition = condition,
                Keys = keys,
                InTheLast = 10 * Instants.Minute,
                CheckedEvery = Instants.Minute,
            };
        yield return ("how many, by terminal, above a limit", Of(refused, new Beyond(false, 14, 30), "terminal"));
        yield return (
            "a share with least cases, by service",
            Of(new ShareOf("level >= error", "", 50), new Beyond(false, 0.02, 0.1), "service")
        );
        yield return ("different values", Of(new DistinctOf("refused", "ticket"), new Beyond(false, 30, 90), "terminal"));
        yield return (
            "a 95th percentile, by service",
            Of(new ValueOf("exists(wait) | group p95(wait) by service"), new Beyond(false, 1, 3))
        );
        yield return ("moved against a day earlier", Of(refused, new Moved(Direction.High, MoveBy.Factor, Instants.Day, 3, 6)));
        yield return (
            "outside its usual range, by service",
            Of(new CountOf("level >= error"), new Unusual(Direction.High, 6, 14), "service")
        );
        yield return ("silent, by host", Of(new CountOf(""), new Silent(AlertLevel.Critical, Instants.Day), "host"));
        yield return (
            "a new value, by pattern",
            Of(new CountOf("level >= error"), new NewValue(AlertLevel.Warning, 3 * Instants.Day), "pattern")
        );
        yield return (
            "will reach a limit, a metric by host",
            Of(
                new ValueOf("from metrics name = system.filesystem.utilization | group max(value) by host"),
                new WillReach(false, 0.95, 6 * Instants.Hour, 86_400, 14_400)
            )
        );
    }

    private static async Task Try(RuleTrial trials, RecordStore store, string name, RuleDefinition definition, long length)
    {
        var now = Instants.FromDateTime(DateTimeOffset.UtcNow);
        var alerts = 0;
        var (median, p95) = await Repeated.Milliseconds(Times, async () =>
        {
            using var snapshot = store.Current;
            alerts = (await trials.Of(definition, new Window(now - length, now), snapshot)).Episodes.Count;
        });
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"| {name} ({alerts} alerts) | {median:0} | {p95:0} | {Bar}{(median > Bar ? ", not reached" : "")} |"
            )
        );
    }

    /// <summary>A thousand rules that are all due in the same minute.</summary>
    private static async Task Many(IServiceProvider services, RecordStore store)
    {
        var (rules, checker) = (services.GetRequiredService<RuleStore>(), services.GetRequiredService<RuleChecker>());
        var author = services.GetRequiredService<PeopleStore>().All()[0].Id;
        var now = Instants.FromDateTime(DateTimeOffset.UtcNow) / Instants.Minute * Instants.Minute;
        for (var i = 0; i < ManyRules; i++)
            await rules.Add(
                new Rule
                {
                    Name = "rule " + i,
                    Author = author,
                    Definition = new RuleDefinition
                    {
                        Quantity = new CountOf($"service = {Services[i % 10]} and {Conditions[i / 10 % 10]}"),
                        Condition = new Beyond(false, 1e6, null),
                        Keys = i % 3 == 0 ? ["host"] : [],
                        InTheLast = (5 + (i / 100)) * Instants.Minute,
                        CheckedEvery = Instants.Minute,
                    },
                },
                since: now
            );
        await checker.CheckDue(now, default);
        Console.WriteLine("\n| rules due in one minute, two at once | seconds | share of the minute |\n|---|---|---|");
        for (var round = 1; round <= 3; round++)
        {
            var clock = Stopwatch.StartNew();
            var done = await checker.CheckDue(now + (round * Instants.Minute), default);
            Console.WriteLine(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"| {done} | {clock.Elapsed.TotalSeconds:0.0} | {clock.Elapsed.TotalSeconds / 60:0%} |"
                )
            );
        }
        Console.WriteLine($"\nThe page says: {services.GetRequiredService<RuleLoad>().Words}");
    }
}
