using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>Many windows answered at once are each as if they were asked alone.</summary>
public sealed class SlidingTests : StoreTest
{
    private static readonly string[] Texts =
    [
        "| group count()",
        "refused | group count() by terminal",
        "| group distinct(terminal)",
        "| group sum(x)",
        "| group avg(x) by service",
        "| group p95(x), count()",
        "| group max(wait) by terminal",
        "level >= warn | group per_second()",
        "| group last(body) by terminal",
        "| group share() by service",
        "| group count(level >= error) as bad, count() as n by terminal | set part = bad / n | where n > 1 | select terminal, part",
        "| set long = length(body) | group avg(long)",
        "| parse body as \"{a} at {}\" | group count() by a | order by a | limit 3",
        "| group stddev(x)",
        "| group growth(x) by terminal",
    ];

    private static SlidingQuery Query(RecordStore store, string text) =>
        new("test", QueryParser.Parse(text), DateTimeZone.Utc, store.Current, QuerySources.None);

    private static async Task<SortedDictionary<string, string>> AskedAlone(RecordStore store, string text, Window window)
    {
        using var run = new Run(
            new Question("test", QueryParser.Parse(text), window, window.To, DateTimeZone.Utc, Limits.Default),
            store.Current
        );
        var frame = await run.Frame();
        var (keys, figure) = (
            frame.Schema.Columns.Where(c => c.Role == ColumnRole.Key).Select(c => frame.Schema.IndexOf(c.Name)).ToArray(),
            frame.Schema.IndexOf(ColumnRole.Value)
        );
        return new SortedDictionary<string, string>(
            frame.Rows.ToDictionary(
                r => string.Join('|', keys.Select(k => r[k].IsMissing ? "" : r[k].ToText())),
                r => Text(Number(r[figure]))
            ),
            StringComparer.Ordinal
        );
    }

    private static double Number(Value value)
    {
        if (!value.IsQuantity)
            return double.NaN;
        if (value.Kind == ValueKind.Duration)
            return value.AsLong / 1e9;
        return value.AsDouble;
    }

    private static string Text(double number) =>
        double.IsNaN(number) ? "none" : number.ToString("G9", System.Globalization.CultureInfo.InvariantCulture);

    [Fact]
    public async Task Each_window_is_as_if_it_were_asked_alone()
    {
        using var store = Open();
        for (var batch = 0; batch < 6; batch++)
        {
            await store.Append(
                [.. Enumerable.Range(0, 120).Select(i => Sample.Random((batch * 1_000) + i))],
                batch % 2 == 0 ? "import" : "quay"
            );
            if (batch == 3)
                await store.Upkeep.SealAll();
        }
        await Gen.Select(Gen.Int[0, Texts.Length - 1].Select(i => Texts[i]), Gen.Int[1, 30], Gen.Int[1, 60], Gen.Int[1, 12])
            .SampleAsync(
                async (text, between, slices, count) =>
                {
                    var slice = between * Instants.Minute / 3;
                    var length = slices * slice;
                    var last = Sample.At("2026-11-23T18:00:00Z");
                    long[] ends = [.. Enumerable.Range(0, count).Select(i => last - ((count - 1 - i) * 2 * slice))];
                    var answer = await Query(store, text).Answer(length, slice, ends, default);
                    for (var e = 0; e < ends.Length; e++)
                    {
                        var alone = await AskedAlone(store, text, new Window(ends[e] - length, ends[e]));
                        var slid = new SortedDictionary<string, string>(
                            answer
                                .Lines.Where(l => l.Seen[e] || l.Keys.Count == 0)
                                .ToDictionary(l => string.Join('|', l.Keys), l => Text(l.Values[e])),
                            StringComparer.Ordinal
                        );
                        Assert.Equal(alone, slid);
                    }
                },
                iter: Cases.Of(150),
                threads: 1
            );
    }

    [Theory]
    [InlineData("| group count()", true)]
    [InlineData("| group count() by terminal | where terminal != Orra | order by terminal", true)]
    [InlineData("| where time > now() | group count()", false)]
    [InlineData("| group count() per 5m", false)]
    [InlineData("| group count() by terminal | highest 3 terminal by `count()`", false)]
    [InlineData("refused", false)]
    public void Slices_fit_one_plain_group(string text, bool fits) =>
        Assert.Equal(fits, new SlidingQuery("test", QueryParser.Parse(text), DateTimeZone.Utc, null!, QuerySources.None).IsQuick);

    [Fact]
    public async Task What_does_not_fit_slices_is_asked_window_by_window_and_not_too_often()
    {
        using var store = Open();
        await store.Append([.. Enumerable.Range(0, 200).Select(i => Sample.Random(i))], "quay");
        const string Text = "| where time > now() - 10m | group count()";
        long[] ends = [.. Enumerable.Range(0, 6).Select(i => Sample.At("2026-11-23T17:00:00Z") + (i * 10 * Instants.Minute))];
        var answer = await Query(store, Text).Answer(Instants.Hour, Instants.Minute, ends, default);
        var plain = await Query(store, "| group count()").Answer(10 * Instants.Minute, Instants.Minute, ends, default);
        // The instant of each question is the end of its window.
        Assert.Equal(plain.Lines[0].Values, answer.Lines[0].Values);
        Assert.Contains(answer.Lines[0].Values, v => v > 0);
        var many = Enumerable.Range(0, 401).Select(i => ends[0] + (i * Instants.Minute)).ToArray();
        var refused = await Assert.ThrowsAsync<QueryRefusedException>(() =>
            Query(store, Text).Answer(Instants.Hour, Instants.Minute, many, default)
        );
        Assert.Contains("400 is the most", refused.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Too_many_figures_at_once_are_refused_before_they_fill_memory()
    {
        using var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 300)
                    .Select(i =>
                    {
                        var r = Sample.With(("ticket", Value.Of("SK-" + i)));
                        return new LogRecord
                        {
                            Time = Instants.Day + i,
                            Observed = 1,
                            Body = "x",
                            Attributes = r.Attributes,
                        };
                    }),
            ],
            "quay"
        );
        long[] ends = [.. Enumerable.Range(1, 20_000).Select(i => Instants.Day + (i * Instants.Second))];
        var refused = await Assert.ThrowsAsync<QueryRefusedException>(() =>
            Query(store, "| group count() by ticket").Answer(Instants.Second, Instants.Second, ends, default)
        );
        Assert.Contains("too many at once", refused.Message, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Nothing_at_all_is_a_count_of_zero_and_no_mean()
    {
        using var store = Open();
        var count = await Query(store, "| group count()").Answer(Instants.Hour, Instants.Minute, [Instants.Day], default);
        Assert.Equal([0.0], Assert.Single(count.Lines).Values);
        Assert.False(count.Lines[0].Seen[0]);
        var mean = await Query(store, "| group avg(x)").Answer(Instants.Hour, Instants.Minute, [Instants.Day], default);
        Assert.True(double.IsNaN(Assert.Single(mean.Lines).Values[0]));
        Assert.Empty(
            (
                await Query(store, "| group count() by terminal").Answer(Instants.Hour, Instants.Minute, [Instants.Day], default)
            ).Lines
        );
    }

    [Fact]
    public void Figures_are_rounded_so_that_the_order_of_adding_does_not_matter()
    {
        var forth = Enumerable.Range(1, 1_000).Aggregate(0.0, (sum, i) => sum + (1.0 / i));
        var back = Enumerable.Range(1, 1_000).Reverse().Aggregate(0.0, (sum, i) => sum + (1.0 / i));
        Assert.NotEqual(forth, back);
        Assert.Equal(SlidingCollector.Rounded(forth), SlidingCollector.Rounded(back));
        Assert.Equal(1e-310, SlidingCollector.Rounded(1e-310));
        Assert.Equal(-1.5e300, SlidingCollector.Rounded(-1.5e300), 1e288);
    }
}
