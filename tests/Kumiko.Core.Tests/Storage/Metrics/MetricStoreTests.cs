using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Upkeep;
using static Kumiko.Core.Records.Instants;

namespace Kumiko.Core.Tests.Storage.Metrics;

/// <summary>Samples through their life: memory, segments, closed days, levels, age; and what may befall them.</summary>
public sealed class MetricStoreTests : MetricTest
{
    private static IEnumerable<(long, double)> Every(long step, long from, long to, Func<int, double> value)
    {
        for (var (time, i) = (from, 0); time < to; time += step, i++)
            yield return (time, value(i));
    }

    private static string All(MetricStore metrics, string source = "quay") =>
        string.Join(
            "; ",
            metrics
                .Read(Ever, source)
                .Select(m =>
                    $"{m.Name} {string.Join(' ', m.Samples[0].Attributes.Values.ToArray().Select(v => v.ToText()))} {string.Join(',', m.Samples.Select(s => FormattableString.Invariant($"{(s.Time - Today) / Second}={(s.Value.IsMissing ? double.NaN : s.Value.AsDouble)}")))}"
                )
        );

    [Fact]
    public async Task Late_and_repeated_samples_fall_into_their_places_wherever_the_others_lie()
    {
        var yesterday = Today - Day;
        using var records = Open();
        var expected = "battery a -86400=1,-86395=7,-86390=2,-86380=3; battery b 5=9";
        using (var metrics = Metrics(records))
        {
            await metrics.Append([Of("battery", [(yesterday, 1), (yesterday + (10 * Second), 5)], "a")], "quay");
            await metrics.Append([Of("battery", [(Today + (5 * Second), 9)], "b")], "quay");
            await metrics.Upkeep.Seal();
            await metrics.Upkeep.CloseDays();
            // Sent again with another value: what came last stands.
            await metrics.Append([Of("battery", [(yesterday + (20 * Second), 3), (yesterday + (10 * Second), 2)], "a")], "quay");
            await metrics.Append([Of("battery", [(yesterday + (5 * Second), 7)], "a")], "quay");
            Assert.Equal(expected, All(metrics));
            await metrics.Upkeep.Seal();
            Assert.Equal(expected, All(metrics));
            await metrics.Upkeep.CloseDays();
            Assert.Equal(expected, All(metrics));
            Assert.Equal(2, metrics.Segments.Count);
            Assert.Equal(3, await metrics.Upkeep.Sweep());
        }
        using var again = Metrics(records);
        Assert.Equal(expected, All(again));
        Assert.Equal(
            ("a", -86380L * Second, 3.0),
            again
                .Latest("quay", 9)
                .Where(s => s.Series.Field("host").AsText == "a")
                .Select(s => (s.Series.Field("host").AsText, s.Time - Today, s.Value))
                .Single()
        );
        Assert.True(StoreCheck.Run(records, null, CancellationToken.None).IsSound);
    }

    [Fact]
    public async Task What_is_committed_is_there_after_a_restart_without_sealing_and_counted_by_source_and_day()
    {
        using var records = Open();
        using (var metrics = Metrics(records))
        {
            var taken = await metrics.Append([Of("up", [(Today, 1), (Today + 1, 0)])], "quay");
            Assert.Equal((2, 0L), (taken.Taken, taken.RefusedTotal));
        }
        using var again = Metrics(records);
        Assert.Equal("up  0=1,0=0", All(again));
        Assert.Equal([("quay", Today, 2L)], again.Daily(new Window(Today - Day, Today + Day), [Today - Day, Today]));
    }

    [Fact]
    public async Task A_metric_with_too_many_series_is_refused_and_the_rest_taken()
    {
        using var records = Open();
        using var metrics = Metrics(records, new MetricOptions(MostSeries: 2));
        var taken = await metrics.Append(
            [
                Of("seats", [(Today, 1)], "a"),
                Of("seats", [(Today, 1)], "b"),
                Of("seats", [(Today, 1)], "c"),
                Of("locks", [(Today, 1)], "c"),
            ],
            "quay"
        );
        Assert.Equal((3, 1L), (taken.Taken, taken.RefusedTotal));
        Assert.Equal(
            (3L, "seats has 2 series already, which is the most. Leave out the attribute that has so many values."),
            (taken.Refused[0].Line, taken.Refused[0].Reason)
        );
        Assert.Equal(
            (1, 0L),
            await metrics.Append([Of("seats", [(Today + 1, 1)], "a")], "quay") is var more
                ? (more.Taken, more.RefusedTotal)
                : default
        );
    }

    [Fact]
    public async Task Clocks_that_are_ahead_and_samples_older_than_kept_are_refused()
    {
        using var records = Open();
        using var metrics = Metrics(records, new MetricOptions(SamplesAge: Day));
        var taken = await metrics.Append([Of("up", [(Today + (3 * Day), 1), (Today - (2 * Day), 1), (Today, 1)])], "quay");
        Assert.Equal((1, 2L), (taken.Taken, taken.RefusedTotal));
        Assert.Contains("more than a day ahead", taken.Refused[0].Reason);
        Assert.Contains("older than samples are kept", taken.Refused[1].Reason);
    }

    [Fact]
    public async Task Levels_outlive_their_samples_and_series_without_either_are_forgotten()
    {
        using var records = Open();
        using var metrics = Metrics(records, new MetricOptions(SamplesAge: 2 * Day, LevelsAge: 5 * Day));
        await metrics.Append([Of("depth", Every(10 * Second, Today - Day, Today, i => i % 7))], "quay");
        await metrics.Upkeep.Seal();
        await metrics.Upkeep.CloseDays();
        await metrics.Upkeep.Sweep();
        var window = new Window(Today - Day, Today);
        Assert.Empty(records.Notices);
        var before = Told(
            Ask(
                records,
                metrics,
                "from metrics name = depth | group avg(value) as mean, max(value) as top, count() as n per 6h",
                window
            )
        );
        Clock.Advance(TimeSpan.FromDays(3));
        await metrics.Upkeep.Retain();
        await metrics.Upkeep.Sweep();
        Assert.Equal(
            before,
            Told(
                Ask(
                    records,
                    metrics,
                    "from metrics name = depth | group avg(value) as mean, max(value) as top, count() as n per 6h",
                    window
                )
            )
        );
        // Steps inside the window, where its edges cut a day whose samples are gone.
        Assert.Empty(records.Notices);
        Assert.Contains("-1440m 2.99722222 6 2160", before);
        Assert.Equal(
            "-1440m 360",
            Told(
                Ask(
                    records,
                    metrics,
                    "from metrics name = depth | group count() as n per 1d",
                    window with
                    {
                        From = Today - Hour - 1,
                    }
                )
            )
        );
        Assert.Empty(metrics.Read(Ever));
        Clock.Advance(TimeSpan.FromDays(3));
        await metrics.Upkeep.Retain();
        await metrics.Upkeep.Sweep();
        Assert.Empty(metrics.Segments);
        Assert.Empty(metrics.Book.All());
        await metrics.Append([Of("depth", [(FromDateTime(Clock.GetUtcNow()), 1)])], "quay");
        Assert.Single(metrics.Read(Ever));
    }

    [Fact]
    public async Task A_reader_keeps_what_it_reads_while_days_are_closed_under_it()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append([Of("depth", Every(Minute, Today - Day, Today, i => i))], "quay");
        await metrics.Upkeep.Seal();
        using (var snapshot = metrics.Snapshot(metrics.Book.All()))
        {
            await metrics.Upkeep.CloseDays();
            Assert.Equal(0, await metrics.Upkeep.Sweep());
            Assert.Equal(
                1440,
                snapshot
                    .Read(0, 1, new SampleNeeds(Ever with { From = 0 }), CancellationToken.None)
                    .Single()
                    .Pieces.Sum(p => p.End - p.First)
            );
        }
        Assert.Equal(1, await metrics.Upkeep.Sweep());
    }

    [Fact]
    public async Task A_damaged_part_is_set_aside_and_told_and_the_rest_read()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await metrics.Append([Of("depth", [(Today - Day, 1)])], "quay");
        await metrics.Upkeep.Seal();
        await metrics.Append([Of("depth", [(Today, 2)])], "quay");
        await metrics.Upkeep.Seal();
        await records.Database.Writer.Write(c =>
            Dapper.SqlMapper.Execute(c, "UPDATE metric_part SET content = CAST(zeroblob(length(content)) AS BLOB) WHERE id = 4")
        );
        Assert.Contains("Segment 1 of metrics", Assert.Single(StoreCheck.Run(records, null, CancellationToken.None).Problems));
        Assert.Equal("depth  0=2", All(metrics));
        await records.Database.Writer.Write(_ => 0);
        Assert.Contains("1 samples of 2026-11-22 are damaged and were set aside.", Assert.Single(records.Notices));
    }

    [Fact]
    public async Task Everything_is_in_a_backup_and_in_what_is_rescued()
    {
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"));
        string expected;
        using (var records = Open())
        using (var metrics = Metrics(records))
        {
            await metrics.Append([Of("depth", Every(10 * Second, Today - Day, Today, i => i % 5), "a")], "quay");
            await metrics.Upkeep.Seal();
            await metrics.Upkeep.CloseDays();
            await metrics.Append([Of("depth", [(Today, 4)], "a")], "quay");
            await metrics.Upkeep.Seal();
            await metrics.Append([Of("depth", [(Today + 1, 3)], "b")], "quay");
            expected = All(metrics);
            await StoreBackup.Run(records, database, Path.Combine(Folder, "copy"), null, CancellationToken.None);
        }
        using (var copy = Open(path: Path.Combine(Folder, "copy", "records.db")))
        using (var metrics = Metrics(copy))
        {
            Assert.Equal(expected, All(metrics));
            Assert.Equal(
                "-1440m a 8640; -1440m b 0; 0m a 1; 0m b 1",
                Told(
                    Ask(
                        copy,
                        metrics,
                        "from metrics | group count() as n by host per 1d | order by time, host",
                        new Window(Today - Day, Today + Day)
                    )
                )
            );
        }
    }

    [Fact]
    public async Task On_a_full_disk_nothing_is_taken_and_later_the_same_series_are()
    {
        using var records = Open();
        using var metrics = Metrics(records);
        await records.LimitPages(1);
        var noise = Enumerable
            .Range(0, 300)
            .Select(i => Of("depth", Every(1, Today, Today + 100, _ => i * 0.1), $"host-{i}"))
            .ToList();
        await Assert.ThrowsAsync<DiskFullException>(() => metrics.Append(noise, "quay"));
        Assert.Empty(metrics.Read(Ever));
        await records.LimitPages(1 << 20);
        Assert.Equal(30_000, (await metrics.Append(noise, "quay")).Taken);
        using var again = Metrics(records);
        Assert.Equal(300, again.Read(Ever).Count());
    }
}
