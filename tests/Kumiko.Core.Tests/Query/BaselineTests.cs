using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

public sealed class BaselineTests : StoreTest
{
    private static readonly DateTimeZone Dublin = DateTimeZoneProviders.Tzdb["Europe/Dublin"];

    // A Monday.
    private static readonly Window Focus = new(Sample.At("2026-11-23T17:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private static LogRecord At(long time, string host = "gate-t1", string terminal = "Orra") =>
        new()
        {
            Time = time,
            Observed = time,
            Body = "ticket admitted",
            Source = "quay",
            SeverityNumber = 9,
            Resource = new Resource(new Attributes(["service.name", "host.name"], [Value.Of("gate-control"), Value.Of(host)])),
            Attributes = new Attributes(["terminal"], [Value.Of(terminal)]),
        };

    private async Task<RecordStore> Days(params int[] daysBack)
    {
        var store = Open();
        foreach (var back in daysBack)
            await store.Append(
                [.. Enumerable.Range(0, 120).Select(i => At(Focus.From - (back * Instants.Day) + (i * 30 * Instants.Second)))],
                "quay"
            );
        return store;
    }

    private static Baseline Find(
        RecordStore store,
        BaselineChoice choice,
        Func<Window, int>? alerts = null,
        Window? focus = null,
        string query = "",
        DateTimeZone? zone = null
    )
    {
        using var snapshot = store.Current;
        return new BaselineFinder(alerts ?? (_ => 0)).Find(
            choice,
            new Question("test", QueryParser.Parse(query), focus ?? Focus, Focus.To, zone ?? DateTimeZone.Utc, Limits.Default),
            snapshot
        );
    }

    [Fact]
    public async Task Like_days_are_the_same_weekday_at_the_same_clock_time()
    {
        using var store = await Days(0, 7, 14, 21);
        var baseline = Find(store, BaselineChoice.LikeDays);
        Assert.Equal("3 Mondays, same time", baseline.Words);
        Assert.Equal([7, 14, 21], baseline.Windows.Select(w => (int)((Focus.From - w.From) / Instants.Day)));
        Assert.Empty(baseline.LeftOut);
        Assert.Empty(baseline.Health);
    }

    [Fact]
    public async Task A_day_with_an_alert_or_without_records_is_left_out_and_named()
    {
        using var store = await Days(0, 7, 21, 28);
        var baseline = Find(store, BaselineChoice.LikeDays, w => w.From == Focus.From - (21 * Instants.Day) ? 2 : 0);
        Assert.Equal("2 Mondays, same time", baseline.Words);
        Assert.Equal(["nothing collected", "2 alerts"], baseline.LeftOut.Select(l => l.Reason));
    }

    [Fact]
    public async Task Where_there_are_no_two_such_weekdays_workdays_serve()
    {
        using var store = await Days(0, 1, 2, 3, 4, 5, 7);
        var baseline = Find(store, BaselineChoice.LikeDays);
        // Yesterday and the day before were a weekend.
        Assert.Equal("4 workdays, same time", baseline.Words);
        Assert.Equal([3, 4, 5, 7], baseline.Windows.Select(w => (int)((Focus.From - w.From) / Instants.Day)));
    }

    [Fact]
    public async Task One_day_is_told_and_none_is_told()
    {
        using (var one = await Days(0, 7))
            Assert.Equal(["one day only"], Find(one, BaselineChoice.LikeDays).Health);
        using var none = Open(path: Path.Combine(Folder, "other.db"));
        await none.Append([At(Focus.From)], "quay");
        var baseline = Find(none, BaselineChoice.LikeDays);
        Assert.Empty(baseline.Windows);
        Assert.Equal(["no like day was collected yet"], baseline.Health);
    }

    [Fact]
    public async Task When_every_like_day_alerts_they_are_compared_with_all_the_same()
    {
        using var store = await Days(0, 7, 14);
        var baseline = Find(store, BaselineChoice.LikeDays, _ => 1);
        Assert.Equal(2, baseline.Windows.Count);
        Assert.Contains("all like days hold alerts", baseline.Health);
    }

    [Fact]
    public async Task Clocks_that_change_keep_the_clock_time()
    {
        using var store = Open();
        // Summer time ended in Dublin on 25 October 2026.
        var (now, before) = (Sample.At("2026-10-26T08:00:00Z"), Sample.At("2026-10-19T07:00:00Z"));
        await store.Append([.. Enumerable.Range(0, 100).Select(i => At(before + (i * Instants.Second))), At(now)], "quay");
        var baseline = Find(store, BaselineChoice.LikeDays, focus: new Window(now, now + Instants.Hour), zone: Dublin);
        Assert.Equal(before, Assert.Single(baseline.Windows).From);
    }

    [Fact]
    public async Task A_focus_longer_than_a_week_is_compared_with_whole_weeks_before_it()
    {
        using var store = await Days(0, 7, 14, 21, 28, 35);
        var focus = new Window(Focus.To - (10 * Instants.Day), Focus.To);
        Assert.All(Find(store, BaselineChoice.LikeDays, focus: focus).Windows, w => Assert.True(w.To <= focus.From));
    }

    [Fact]
    public async Task The_stretch_before_says_what_speaks_against_it()
    {
        using var store = await Days(0);
        var focus = new Window(Focus.From + (30 * Instants.Minute), Focus.To);
        var baseline = Find(store, BaselineChoice.Before, _ => 1, focus);
        Assert.Equal(new Window(Focus.From, focus.From), Assert.Single(baseline.Windows));
        Assert.Equal(["holds an alert"], baseline.Health);
        Assert.Equal(["nothing was collected then"], Find(store, BaselineChoice.Before).Health);
    }

    [Fact]
    public async Task A_drawn_stretch_of_another_timetable_or_over_the_focus_is_told()
    {
        using var store = await Days(0, 1);
        DrawnStretch Drawn(long from, long to) => new(new TimeRange(Moment.At(from), Moment.At(to)));
        Assert.Contains(
            "other timetable: a Sunday, the focus a Monday",
            Find(store, Drawn(Focus.From - Instants.Day, Focus.To - Instants.Day)).Health
        );
        Assert.Contains(
            "overlaps the focus",
            Find(store, Drawn(Focus.From - (30 * Instants.Minute), Focus.From + (30 * Instants.Minute))).Health
        );
        var backwards = Find(store, BaselineChoice.Parse("now/2020-01-01T00:00:00Z")!);
        Assert.Equal((0, "ends before it begins"), (backwards.Windows.Count, Assert.Single(backwards.Health)));
        Assert.Contains(
            "much shorter than the focus",
            Find(store, Drawn(Focus.From - Instants.Day, Focus.From - Instants.Day + (10 * Instants.Minute))).Health
        );
    }

    [Fact]
    public async Task A_set_takes_the_place_of_conditions_on_its_fields()
    {
        using var store = await Days(0);
        string? Of(string query, string set) => Find(store, BaselineChoice.Parse("set:" + set)!, query: query).Query;
        Assert.Equal(
            "service = gate-control and host != gate-t3",
            Of("service = gate-control and host = gate-t3", "host != gate-t3")
        );
        Assert.Equal("host != gate-t3", Of("", "host != gate-t3"));
        Assert.Equal(
            "refused and host != gate-t3\n| where wait > 1",
            Of("refused | where wait > 1 | group count() by host", "host != gate-t3")
        );
    }

    [Fact]
    public async Task Fields_and_counts_use_all_of_its_days()
    {
        using var store = Open();
        foreach (
            var (back, terminal, count) in new[] { (0, "Tarnhead", 80), (7, "Orra", 60), (14, "Tarnhead", 20), (14, "Orra", 40) }
        )
            await store.Append(
                [
                    .. Enumerable
                        .Range(0, count)
                        .Select(i => At(Focus.From - (back * Instants.Day) + (i * Instants.Second), terminal: terminal)),
                ],
                "quay"
            );
        await store.Upkeep.SealAll();
        using var run = new Run(
            new Question("test", QueryParser.Parse("admitted"), Focus, Focus.To, DateTimeZone.Utc, Limits.Default),
            store.Current
        );
        var baseline = run.BaselineOf(BaselineChoice.LikeDays, new BaselineFinder(_ => 0));
        Assert.Equal(60, await run.UsualCount(baseline));
        var field = (await run.Fields(baseline)).Single(f => f.Name == "terminal");
        Assert.Equal(20.0 / 120, field.Top.Single(v => v.Value == Value.Of("Tarnhead")).Baseline!.Value, 9);
        // Gone from the focus, and yet what moved.
        Assert.Contains(field.Shifted, v => v.Value == Value.Of("Orra") && v.Count == 0 && v.Shift < -80);
        var usual = (await run.Usual(baseline, Focus, 10 * Instants.Minute))!;
        Assert.Equal(60, usual.Sum(), 9);
    }

    [Fact]
    public async Task A_set_is_compared_in_the_same_time_and_scaled_on_the_strip()
    {
        using var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 300)
                    .Select(i =>
                        At(
                            Focus.From + (i * Instants.Second),
                            i % 3 == 0 ? "gate-t3" : "gate-t1",
                            i % 3 == 0 ? "Tarnhead" : "Orra"
                        )
                    ),
            ],
            "quay"
        );
        using var run = new Run(
            new Question("test", QueryParser.Parse("host = gate-t3"), Focus, Focus.To, DateTimeZone.Utc, Limits.Default),
            store.Current
        );
        var baseline = run.BaselineOf(BaselineChoice.Parse("set:host != gate-t3")!, new BaselineFinder(_ => 0));
        var field = (await run.Fields(baseline)).Single(f => f.Name == "terminal");
        Assert.Equal((1.0, 0.0), (field.Top[0].Share, field.Top[0].Baseline!.Value));
        Assert.Equal(100, (await run.Usual(baseline, Focus, Instants.Minute))!.Sum(), 6);
        Assert.Equal(200, await run.UsualCount(baseline));
    }

    [Theory]
    [InlineData("", "")]
    [InlineData("before", "before")]
    [InlineData("none", "none")]
    [InlineData("set:host != gate-t3", "set:host != gate-t3")]
    [InlineData("2026-11-22T10:00:00Z/2026-11-22T12:00:00Z", "2026-11-22T10:00:00Z/2026-11-22T12:00:00Z")]
    public void A_choice_says_the_same_when_read_back(string text, string same) =>
        Assert.Equal(same, BaselineChoice.Parse(text)!.ToString());

    [Theory]
    [InlineData("yesterday")]
    [InlineData("set:")]
    [InlineData("set:host = ")]
    [InlineData("set:x | limit 3")]
    [InlineData("set:from alerts")]
    [InlineData("2026-11-22T12:00:00Z/2026-11-22T10:00:00Z")]
    public void A_choice_that_makes_no_sense_is_none(string text) => Assert.Null(BaselineChoice.Parse(text));
}
