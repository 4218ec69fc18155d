using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

public sealed class FieldTests : StoreTest
{
    private static readonly Window Hours = new(Sample.At("2026-11-23T16:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    // Three standard errors of two proportions; of few records Fisher's exact probability below 0.0027.
    [Theory]
    [InlineData(600, 1_000, 500, 1_000, true)]
    [InlineData(560, 1_000, 500, 1_000, false)]
    [InlineData(0, 1_000, 10, 1_000, true)]
    [InlineData(0, 1_000, 9, 1_000, false)]
    [InlineData(5, 10_000, 0, 30_000, true)]
    [InlineData(4, 10_000, 0, 30_000, false)]
    [InlineData(0, 10_000, 4, 30_000, false)]
    [InlineData(0, 0, 7, 100, false)]
    [InlineData(0, 100, 0, 100, false)]
    [InlineData(100, 100, 100, 100, false)]
    [InlineData(2, 3, 40_000, 3_000_000_000, true)]
    public void A_shift_is_clear_where_chance_would_not_make_it(
        long count,
        long total,
        long before,
        long thenTotal,
        bool clear
    ) => Assert.Equal(clear, FieldSummaries.IsClear(count, total, before, thenTotal));

    private static Run Ask(RecordStore store, string text, Window? window = null) =>
        new(
            new Question("test", QueryParser.Parse(text), window ?? Hours, Hours.To, DateTimeZone.Utc, Limits.Default),
            store.Current
        );

    private static LogRecord With(int second, params (string Name, Value Value)[] attributes) =>
        new()
        {
            Time = Hours.From + (second * Instants.Second),
            Observed = Hours.From,
            Body = $"seat {second} taken after {second % 90}ms",
            Source = "quay",
            Attributes = new Attributes([.. attributes.Select(a => string.Intern(a.Name))], [.. attributes.Select(a => a.Value)]),
        };

    [Fact]
    public void Counting_by_column_is_counting_record_by_record() =>
        Gen.Select(
                Gen.Int[0, 10_000],
                Gen.Int[0, 3],
                Gen.OneOf("", "refused", "level >= warn", "terminal = Tarnhead", "exists(x) and not gate")
            )
            .Sample(
                (seed, sealing, text) =>
                {
                    using var store = Open(path: Path.Combine(Folder, Guid.NewGuid().ToString("N")));
                    for (var batch = 0; batch < 3; batch++)
                    {
                        store
                            .Append([.. Enumerable.Range(seed + (batch * 40), 40).Select(i => Sample.Random(i))], "quay")
                            .GetAwaiter()
                            .GetResult();
                        if (batch < sealing)
                            store.Upkeep.SealAll().GetAwaiter().GetResult();
                    }
                    using var run = Ask(store, text);
                    var passing = run.Passing(null).ToList();
                    var fields = run.Fields(null).GetAwaiter().GetResult();
                    foreach (var field in fields)
                    {
                        var read = RecordFields.Bind(field.Name);
                        var values = passing
                            .Select(r =>
                            {
                                if (field.Name == "level" && r.SeverityNumber > 0)
                                    return Value.Level(((Severity.Band(r.SeverityNumber) - 1) * 4) + 1);
                                if (field.Name is "level")
                                    return Value.Missing;
                                return read(r);
                            })
                            .Where(v => !v.IsMissing)
                            .ToList();
                        Assert.Equal(
                            (field.Name, values.Count, passing.Count),
                            (field.Name, (int)field.Present, (int)field.Total)
                        );
                        Assert.Equal(values.Distinct().Count(), field.Distinct);
                        foreach (var top in field.Top)
                            Assert.Equal(values.Count(v => v == top.Value), top.Count);
                    }
                    Assert.Equal(
                        fields.Select(f => f.Name).Where(f => f != "level").Order(),
                        run.Presence().GetAwaiter().GetResult().Select(p => p.Name).Where(f => f != "level").Order()
                    );
                    Assert.All(run.Presence().GetAwaiter().GetResult().Where(p => p.Name != "level"), p =>
                        Assert.Equal(fields.Single(f => f.Name == p.Name).Present, p.Present)
                    );
                },
                iter: Cases.Of(60)
            );

    [Fact]
    public async Task Numbers_have_quantiles_and_bins_that_hold_all_of_them()
    {
        using var store = Open();
        await store.Append(
            [.. Enumerable.Range(1, 1_000).Select(i => With(i, ("wait", Value.Duration(i * 1_000_000L))))],
            "quay"
        );
        await store.Upkeep.SealAll();
        using var run = Ask(store, "");
        var numbers = (await run.Field("wait", null, 5))!.Numbers!;
        Assert.Equal((ValueKind.Duration, 1e6, 1e9, false), (numbers.Kind, numbers.Min, numbers.Max, numbers.Approximate));
        Assert.Equal([50e6, 250e6, 500e6, 750e6, 950e6, 990e6], numbers.Quantiles);
        Assert.Equal(1, numbers.Bins.Sum(), 9);
        Assert.Equal(numbers.Edges.Order(), numbers.Edges);
    }

    [Fact]
    public async Task Text_that_reads_as_a_quantity_counts_as_numbers_and_a_word_among_them_ends_that()
    {
        using var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(1, 50)
                    .Select(i => With(i, ("wait", Value.Of(i + "ms")), ("mixed", Value.Of(i == 7 ? "never" : i + "ms")))),
            ],
            "quay"
        );
        using var run = Ask(store, "");
        var fields = await run.Fields(null);
        Assert.Equal(1e6, fields.Single(f => f.Name == "wait").Numbers!.Min);
        Assert.Null(fields.Single(f => f.Name == "mixed").Numbers);
    }

    [Fact]
    public async Task A_field_of_ids_is_counted_without_end_and_says_so()
    {
        using var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 7_000)
                    .Select(i =>
                        With(
                            i % 7_000,
                            ("id", Value.Of("ticket-" + i)),
                            ("kind", Value.Of("k" + (i % 3))),
                            ("took", Value.Of((long)i))
                        )
                    ),
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        using var run = Ask(store, "");
        var fields = await run.Fields(null);
        var id = fields.Single(f => f.Name == "id");
        Assert.Equal((7_000, true, true), ((int)id.Present, id.More, id.IsScattered));
        Assert.Equal([2_334, 2_333, 2_333], fields.Single(f => f.Name == "kind").Top.Select(t => (int)t.Count));
        var took = fields.Single(f => f.Name == "took").Numbers!;
        Assert.Equal((0, 6_999), (took.Min, took.Max));
        Assert.InRange(took.Median, 3_300, 3_700);
        Assert.Equal(7_000, (await run.Field("id", null, 3))!.Distinct);
    }

    [Fact]
    public async Task Amounts_are_spread_though_some_are_frequent_and_few_values_are_not()
    {
        using var store = Open();
        // A time-out cuts a third of them off.
        Value Waited(int i) => Value.Of((long)(i % 3 == 0 ? 900 : i));
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 300)
                    .Select(i =>
                        With(
                            i,
                            ("took", Waited(i)),
                            ("word", Value.Of("w" + Waited(i).AsLong)),
                            ("status", Value.Of(200L + (i % 4)))
                        )
                    ),
            ],
            "quay"
        );
        using var run = Ask(store, "");
        var fields = (await run.Fields(null)).ToDictionary(f => f.Name, f => f.IsScattered);
        Assert.Equal((true, false, false), (fields["took"], fields["word"], fields["status"]));
    }

    [Fact]
    public async Task What_a_query_computes_is_a_field_too_and_hides_a_stored_one()
    {
        using var store = Open();
        await store.Append([.. Enumerable.Range(0, 300).Select(i => With(i, ("n", Value.Of(1L))))], "quay");
        foreach (var _ in new[] { 1, 2 })
        {
            using var run = Ask(store, "| parse body as \"seat {n:integer} taken after {took:duration}\" | where n < 90");
            var fields = await run.Fields(null);
            Assert.Equal(
                (90, 90),
                ((int)fields.Single(f => f.Name == "took").Present, fields.Single(f => f.Name == "n").Distinct)
            );
            Assert.Equal(
                (0, 89),
                ((int)fields.Single(f => f.Name == "n").Numbers!.Min, (int)fields.Single(f => f.Name == "n").Numbers!.Max)
            );
            await store.Upkeep.SealAll();
        }
    }

    [Fact]
    public async Task Five_thousand_fields_are_listed_as_far_as_makes_sense()
    {
        using var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 50)
                    .Select(i => With(i, [.. Enumerable.Range(0, 100).Select(n => ($"f{(i * 100) + n}", Value.Of("x")))])),
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        using var run = Ask(store, "");
        Assert.InRange((await run.Fields(null)).Count, 1_000, 5_000);
    }

    [Fact]
    public async Task The_rarest_come_first_among_the_rare()
    {
        using var store = Open();
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 100)
                    .Select(i =>
                        With(
                            i,
                            (
                                "kind",
                                Value.Of(
                                    i switch
                                    {
                                        0 => "once",
                                        < 3 => "twice",
                                        _ => "often",
                                    }
                                )
                            )
                        )
                    ),
            ],
            "quay"
        );
        using var run = Ask(store, "");
        Assert.Equal(["once", "twice", "often"], (await run.Field("kind", null, 3))!.Rarest.Select(r => r.Value.ToText()));
        Assert.Null(await run.Field("nothing", null, 3));
    }
}
