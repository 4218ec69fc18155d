using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using static Kumiko.Core.Records.Instants;

namespace Kumiko.Core.Tests.Rules;

/// <summary>Rules tried on history: exactly the alerts that checking them live gives.</summary>
public sealed class RuleTrialTests : RuleTest
{
    /// <summary>Half of all tickets are to be admitted; the objective that quantities here mean is the first of its
    /// folder.</summary>
    private async Task Promise()
    {
        if (Objectives.Find(1) is not null)
            return;
        var author = (await Add(Counting())).Author;
        await Objectives.Add(
            new Objective
            {
                Name = "aboard",
                Good = "boarded",
                All = "",
                Target = 0.5,
                Days = 7,
                Author = author,
            }
        );
    }

    private const string Wait = "| group avg(wait) by terminal";

    private static readonly (string Name, Quantity Quantity, string[] Keys)[] Quantities =
    [
        ("count", new CountOf("refused"), []),
        ("count by terminal", new CountOf("refused"), ["terminal"]),
        ("share", new ShareOf("refused", "", 2), ["terminal"]),
        ("distinct", new DistinctOf("", "ticket"), ["terminal"]),
        ("mean", new ValueOf(Wait), []),
        ("formula", new ValueOf("| group count(level >= error) as bad, count() as n | set part = bad / n | select part"), []),
        ("spans", new SlowSpans("", "", 400 * Second / 1_000, false, 1), []),
        ("share of spans", new SlowSpans("gate-control", "scan", 400 * Second / 1_000, true, 1), []),
        ("metric", new ValueOf("from metrics name = queue | group max(value) by host"), []),
        ("asked alone", new CountOf("refused | where time < now()"), []),
        ("budget burnt", new BudgetBurnt(1), []),
        ("burn rate", new BurnRate(1, 10 * Second), []),
    ];

    private static readonly AlertCondition[] Wrongs =
    [
        new Beyond(false, 2, 4),
        new Beyond(true, 1, null),
        new Beyond(false, null, 0.3),
        new Moved(Direction.Either, MoveBy.Amount, Minute, 1, 3),
        new Moved(Direction.High, MoveBy.Percent, 2 * Minute, 0.5, null),
        new Moved(Direction.Low, MoveBy.Factor, Minute, null, 2),
        new Unusual(Direction.Either, 1, 3),
        new Silent(AlertLevel.Critical, 5 * Minute),
        new NewValue(AlertLevel.Warning, 10 * Minute),
        new WillReach(false, 6, 2 * Minute, 600, 60),
    ];

    private static readonly ForDuration[] Lastings = [new AtOnce(), new ForChecks(3), new ForShare(0.5, Minute)];

    private static readonly Gen<RuleDefinition> Definitions = Gen.Select(
            Gen.Int[0, Quantities.Length - 1],
            Gen.Int[0, Wrongs.Length - 1],
            Gen.Int[0, 2],
            Gen.Enum<NoData>(),
            Gen.Int[1, 3],
            Gen.Bool
        )
        .Select(t => new RuleDefinition
        {
            Quantity = Quantities[t.Item1].Quantity,
            Keys = Quantities[t.Item1].Keys,
            Condition = Wrongs[t.Item2],
            Duration = Lastings[t.Item3],
            NoData = t.Item4,
            InTheLast = (t.Item5 + 1) * 10 * Second,
            CheckedEvery = 10 * Second,
            Delay = t.Item6 ? 10 * Second : 0,
        })
        .Where(d => d.Faults().Count == 0 && (d.Quantity.IsQuick || d.Condition is not (Unusual or WillReach)));

    /// <summary>Four minutes, ten seconds each: what comes of each terminal.</summary>
    private static readonly Gen<int[][]> Minutes = Gen.Int[0, 5].Array[3].Array[24];

    private async Task Fill(int[] counts, int seed)
    {
        var random = new Random(seed);
        var records = new List<LogRecord>();
        string[] terminals = ["Orra", "Tarnhead", "Lindle"];
        for (var t = 0; t < terminals.Length; t++)
        for (var i = 0; i < counts[t]; i++)
        {
            var record = Record(
                Now + random.NextInt64(10 * Second),
                random.Next(3) > 0 ? "ticket refused" : "boarded",
                ("terminal", Value.Of(terminals[t])),
                ("ticket", Value.Of("SK-" + random.Next(9))),
                ("wait", Value.Of(random.Next(8)))
            );
            records.Add(
                new LogRecord
                {
                    Time = record.Time,
                    Observed = record.Time,
                    Body = record.Body,
                    Attributes = record.Attributes,
                    SeverityNumber = random.Next(2) == 0 ? Severity.Error : Severity.Info,
                }
            );
        }
        await Records.Append(records, "quay");
        await Spans.Append(
            [
                .. Enumerable
                    .Range(0, counts[0])
                    .Select(i => Now + random.NextInt64(10 * Second))
                    .Select(start => new Span
                    {
                        TraceId = "a",
                        SpanId = "b",
                        Name = random.Next(2) == 0 ? "scan" : "open",
                        Start = start,
                        End = start + (random.Next(8) * Second / 10),
                        Resource = new Resource(new Attributes(["service.name"], [Value.Of("gate-control")])),
                    }),
            ],
            "quay"
        );
        if (counts[1] > 0)
            await Metrics.Append(
                [
                    new Metric(
                        "queue",
                        "",
                        "",
                        MetricKind.Gauge,
                        Resource.Unknown,
                        InstrumentationScope.None,
                        [
                            new Kumiko.Core.Records.Sample
                            {
                                Time = Now + Second,
                                Value = Value.Of((double)counts[1]),
                                Attributes = new Attributes(["host"], [Value.Of("gate-t" + counts[2] % 2)]),
                            },
                        ]
                    ),
                ],
                "quay"
            );
    }

    private static string Told(IEnumerable<(string Key, long From, long? To, AlertLevel Level, double? Worst)> alerts) =>
        string.Join(
            '\n',
            alerts
                .OrderBy(a => a.From)
                .ThenBy(a => a.Key, StringComparer.Ordinal)
                .Select(a =>
                    FormattableString.Invariant(
                        $"{a.Key} {a.From / Second % 100_000} {(a.To is { } to ? to / Second % 100_000 : -1)} {a.Level} {a.Worst:G9}"
                    )
                )
        );

    [Fact]
    public async Task A_trial_gives_exactly_the_alerts_that_live_checking_gives()
    {
        var episodes = 0;
        await Gen.Select(Definitions, Minutes, Gen.Int[0, 999])
            .SampleAsync(
                async (definition, minutes, seed) =>
                {
                    // Each case has a stretch of its own, days from the others.
                    Clock.Advance(TimeSpan.FromDays(3));
                    Clock.Advance(TimeSpan.FromTicks(-(Clock.GetUtcNow().Ticks % TimeSpan.TicksPerMinute)));
                    await Promise();
                    var began = Now;
                    var rule = await Add(definition, mail: "");
                    foreach (var counts in minutes)
                    {
                        await Fill(counts, seed++);
                        await Pass(10, step: 10);
                    }
                    var live = Store.Alerts.Of(rule.Id, 500);
                    // Its first check was at the moment it was made; what is asked check by check is not made up for.
                    var trial = await Try(definition, new Window(began - (definition.Quantity.IsQuick ? 1 : 0), Now));
                    var expected = Told(live.Select(a => (a.Key, a.Started, a.Ended, a.Level, a.Worst)));
                    Assert.Equal(
                        expected,
                        Told(
                            trial.Episodes.Select(e =>
                                (e.Key, e.From, e.To, e.Level, double.IsFinite(e.Worst) ? e.Worst : (double?)null)
                            )
                        )
                    );
                    Assert.Equal(live.Sum(a => Store.Alerts.Events(a.Id).Count), trial.Turns);
                    episodes += trial.Episodes.Count;
                    await Store.Remove(rule.Id, true, "test");
                },
                iter: Cases.Of(40),
                threads: 1
            );
        Assert.True(episodes > 0);
    }

    public static TheoryData<string> QuantityNames() => [.. Quantities.Select(q => q.Name)];

    /// <summary>Three minutes of calm, one of trouble, one of nothing, two of calm: every quantity sees it in every way that it
    /// can.</summary>
    [Theory]
    [MemberData(nameof(QuantityNames))]
    public async Task Every_quantity_with_everything_wrong_is_checked_without_a_problem(string name)
    {
        var (_, quantity, keys) = Array.Find(Quantities, q => q.Name == name);
        await Promise();
        var rules = new List<Rule>();
        foreach (var condition in Wrongs)
        {
            var definition = new RuleDefinition
            {
                Quantity = quantity,
                Keys = keys,
                Condition = condition,
                InTheLast = 20 * Second,
                CheckedEvery = 10 * Second,
            };
            if (definition.Faults().Count == 0)
                rules.Add(await Add(definition));
        }
        Assert.True(rules.Count >= Wrongs.Length - 1);
        var began = Now;
        for (var step = 0; step < 40; step++)
        {
            int[] counts;
            if (step is >= 18 and < 24)
                counts = [30, 5, 20];
            else if (step is >= 24 and < 30)
                counts = [0, 0, 0];
            else
                counts = [2, 2, 0];
            await Fill(counts, step);
            await Pass(10, step: 10);
        }
        foreach (var rule in rules)
        {
            var (found, condition) = (Store.Find(rule.Id)!, rule.Definition.Condition);
            Assert.Null(found.Problem);
            Assert.Equal(Now, found.Checked);
            var trial = await Try(rule.Definition, new Window(began - (rule.Definition.Quantity.IsQuick ? 1 : 0), Now));
            // What asks for thirty windows at each check is tried over fewer.
            if (trial.Measurements.Checks.Count >= 40)
                Assert.Equal(Store.Alerts.Of(rule.Id, 500).Count, trial.Episodes.Count);
            // There are no like days here; all else sees the trouble, or the silence behind it.
            if (condition is Silent or Beyond { Below: true } && quantity is CountOf)
                Assert.NotEmpty(trial.Episodes);
            if (condition is NewValue && name == "count by terminal")
                Assert.Contains(trial.Episodes, e => e.Of == "Lindle");
            if (condition is Moved { By: MoveBy.Amount } && name.StartsWith("count", StringComparison.Ordinal))
                Assert.NotEmpty(trial.Episodes);
            if (condition is Unusual)
                Assert.Empty(trial.Episodes);
        }
    }

    [Fact]
    public async Task The_number_of_alerts_falls_as_the_limit_rises()
    {
        for (var step = 0; step < 60; step++)
        {
            await Fill([step % 7, step % 3, 0], step);
            Clock.Advance(TimeSpan.FromSeconds(10));
        }
        var trial = await Try(
            Counting(warning: 5, critical: 12) with
            {
                InTheLast = 20 * Second,
            },
            new Window(Now - (10 * Minute), Now)
        );
        Assert.True(trial.Curve.Count > 5);
        Assert.Contains(trial.Curve, c => c.Limit == 5);
        Assert.Contains(trial.Curve, c => c.Limit == 12);
        Assert.Equal(trial.Curve.OrderBy(c => c.Limit), trial.Curve);
        Assert.True(trial.Curve[0].Alerts > 0);
        Assert.Equal(0, trial.Curve[^1].Alerts);
    }

    [Fact]
    public async Task Known_disturbances_are_caught_or_missed()
    {
        var began = Now;
        for (var step = 0; step < 60; step++)
        {
            await Fill(step is > 20 and < 30 ? [20, 0, 0] : [0, 0, 0], step);
            Clock.Advance(TimeSpan.FromSeconds(10));
        }
        Disturbances.Add(
            new KnownDisturbance("gates refuse", new Window(began + (20 * 10 * Second), began + (30 * 10 * Second)), true)
        );
        Disturbances.Add(new KnownDisturbance("long ago", new Window(began - Day, began - Day + Hour), true));
        var trial = await Try(Counting(), new Window(began, Now));
        var (known, by) = Assert.Single(trial.Disturbances);
        Assert.Equal("gates refuse", known.Name);
        Assert.NotNull(by);
        Assert.Null(Assert.Single((await Try(Counting(warning: 900, critical: null), new Window(began, Now))).Disturbances).By);
    }

    [Fact]
    public async Task The_same_hour_on_like_days_tells_what_is_usual()
    {
        // Five Mondays, 18 to 19 o'clock: ten a minute, the last one forty.
        var today = Now;
        for (var week = 4; week >= 0; week--)
        {
            var from = today - (week * 7 * Day);
            await Records.Append(
                [
                    .. Enumerable
                        .Range(-60, 120)
                        .SelectMany(minute =>
                            Enumerable.Range(0, 10 + (minute % 3)).Select(i => Record(from + (minute * Minute) + (i * Second)))
                        )
                        .Concat(week > 0 ? [] : Enumerable.Range(0, 30).Select(i => Record(from + (30 * Minute) + i))),
                ],
                "quay"
            );
        }
        var definition = Counting() with
        {
            InTheLast = Minute,
            CheckedEvery = Minute,
            Condition = new Unusual(Direction.High, 4, null),
        };
        var trial = await Try(definition, new Window(today + (10 * Minute), today + (50 * Minute)));
        var episode = Assert.Single(trial.Episodes);
        Assert.Equal((today + (31 * Minute), today + (32 * Minute), 40.0), (episode.From, episode.To!.Value, episode.Worst));
        Assert.InRange(trial.Measurements.Lines[0].Measurements[5].Compared, 9, 12);
        Assert.Empty(
            (
                await Try(
                    definition with
                    {
                        Condition = new Unusual(Direction.Low, 4, null),
                    },
                    new Window(today + (10 * Minute), today + (50 * Minute))
                )
            ).Episodes
        );
        // A week later nothing came: that is low.
        Assert.NotEmpty(
            (
                await Try(
                    definition with
                    {
                        Condition = new Unusual(Direction.Low, 3, null),
                    },
                    new Window(today + (7 * Day) + (10 * Minute), today + (7 * Day) + (30 * Minute))
                )
            ).Episodes
        );
    }

    [Fact]
    public async Task A_disk_that_fills_will_reach_its_limit()
    {
        var began = Now;
        for (var minute = 0; minute < 120; minute++)
        {
            await Metrics.Append(
                [
                    new Metric(
                        "disk",
                        "1",
                        "",
                        MetricKind.Gauge,
                        Resource.Unknown,
                        InstrumentationScope.None,
                        [
                            new Kumiko.Core.Records.Sample
                            {
                                Time = Now,
                                Value = Value.Of(minute == 70 ? 0.9 : 0.3 + (0.002 * Math.Max(0, minute - 60))),
                                Attributes = Attributes.Empty,
                            },
                        ]
                    ),
                ],
                "quay"
            );
            Clock.Advance(TimeSpan.FromMinutes(1));
        }
        var definition = new RuleDefinition
        {
            Quantity = new ValueOf("from metrics name = disk | group last(value)"),
            Condition = new WillReach(false, 0.9, 30 * Minute, 6 * 3_600, 4.2 * 3_600),
            InTheLast = 5 * Minute,
            CheckedEvery = Minute,
        };
        var trial = await Try(definition, new Window(began + (40 * Minute), Now));
        var episode = Assert.Single(trial.Episodes);
        // It grows 0.12 an hour from the sixtieth minute; one odd sample bends nothing.
        Assert.InRange(episode.From, began + (70 * Minute), began + (95 * Minute));
        Assert.Equal(AlertLevel.Critical, episode.Level);
        Assert.InRange(trial.Measurements.Lines[0].Measurements[^1].Compared, 4 * 3_600, 4.2 * 3_600);
    }

    [Fact]
    public async Task Seven_days_of_minutes_fit_and_thirty_are_the_most()
    {
        await Send(1);
        var week = await Try(Counting() with { CheckedEvery = Minute }, new Window(Now - (7 * Day), Now));
        Assert.Equal(7 * 1_440, week.Measurements.Checks.Count);
        var year = await Try(Counting() with { CheckedEvery = Minute }, new Window(Now - (365 * Day), Now));
        Assert.Equal(30 * 1_440, year.Measurements.Checks.Count);
        Assert.Contains(year.Notes, n => n.Contains("before anything was collected", StringComparison.Ordinal));
    }
}
