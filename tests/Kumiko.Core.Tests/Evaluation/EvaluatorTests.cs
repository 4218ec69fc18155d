using System.Text.RegularExpressions;
using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Tests.Language;
using NodaTime;

namespace Kumiko.Core.Tests.Evaluation;

public class EvaluatorTests
{
    private static readonly EvaluationContext Context = new(Sample.At("2026-11-23T18:00:00Z"), DateTimeZone.Utc);

    private static readonly Window Ever = new(0, long.MaxValue);

    private static bool Holds(string text) => Oracle.Of(text, Ever, Context).Records([Sample.Refusal]).Any();

    [Theory]
    [InlineData("refused", true)]
    [InlineData("REFUSED", true)]
    [InlineData("refuse", false)]
    [InlineData("refus*", true)]
    [InlineData("*fused", true)]
    [InlineData("*efuse*", true)]
    [InlineData("efused", false)]
    [InlineData("\"seat already\"", true)]
    [InlineData("\"eat already\"", false)]
    [InlineData("\"refused*\"", false)]
    [InlineData("SK-40417-B", true)]
    [InlineData("40417", true)]
    [InlineData("SK-4*-B", true)]
    [InlineData("Tarnhead", true)]
    [InlineData("gate-t3", true)]
    [InlineData("production", true)]
    [InlineData("5be8f0a19c7740d2", true)]
    [InlineData("409", true)]
    [InlineData("40", false)]
    [InlineData("deep", true)]
    [InlineData("second", true)]
    [InlineData("error", false)]
    [InlineData("terminal", false)]
    [InlineData("after:", false)]
    public void Words_are_found_between_token_edges(string query, bool found) => Assert.Equal(found, Holds(query));

    [Theory]
    [InlineData("terminal = Tarnhead", true)]
    [InlineData("terminal = tarnhead", false)]
    [InlineData("terminal = Tarn*", true)]
    [InlineData("terminal = \"Tarn*\"", false)]
    [InlineData("terminal != Orra", true)]
    [InlineData("nothing != Orra", true)]
    [InlineData("nothing = Orra", false)]
    [InlineData("level = error", true)]
    [InlineData("level >= warn", true)]
    [InlineData("level > error", false)]
    [InlineData("level in (warn, error)", true)]
    [InlineData("level = \"error\"", true)]
    [InlineData("status = 409", true)]
    [InlineData("status = 409.0", true)]
    [InlineData("status = \"409\"", false)]
    [InlineData("status in 400..499", true)]
    [InlineData("status in 410..", false)]
    [InlineData("status in ..409", true)]
    [InlineData("wait = 812ms", true)]
    [InlineData("wait > 400ms", true)]
    [InlineData("wait > 1s", false)]
    [InlineData("wait > 400", false)]
    [InlineData("wait in 800ms..1s", true)]
    [InlineData("reason > 5", false)]
    [InlineData("ip in 10.20.0.0/16", true)]
    [InlineData("ip in 10.21.0.0/16", false)]
    [InlineData("exists(trace_id)", true)]
    [InlineData("exists(nothing)", false)]
    [InlineData(@"body ~ /after \d+ms$/", true)]
    [InlineData(@"body ~ /AFTER/", false)]
    [InlineData(@"body ~ /AFTER/i", true)]
    [InlineData(@"body !~ /after/", false)]
    [InlineData(@"nothing !~ /x/", true)]
    [InlineData("tags = second", true)]
    [InlineData("tags != second", false)]
    [InlineData("box.inner = deep", true)]
    [InlineData("attributes.terminal = Tarnhead", true)]
    [InlineData("resource.terminal = Tarnhead", false)]
    [InlineData("service.name = gate-control", true)]
    [InlineData("time >= 2026-11-23T17:51:00Z", true)]
    [InlineData("time < 2026-11-23", false)]
    public void Conditions_compare_by_kind(string query, bool holds) => Assert.Equal(holds, Holds(query));

    [Theory]
    [InlineData("wait + 188ms = 1s", true)]
    [InlineData("wait / 2 = 406ms", true)]
    [InlineData("status % 10 = 9", true)]
    [InlineData("status / 0 = 1", false)]
    [InlineData("exists(status) and not (status / 0 > 0)", true)]
    [InlineData("nothing + 1 > 0", false)]
    [InlineData("lower(terminal) = \"tarnhead\"", true)]
    [InlineData("length(terminal) = 8", true)]
    [InlineData("if(status >= 400, \"bad\", \"good\") = \"bad\"", true)]
    [InlineData("coalesce(nothing, status) = 409", true)]
    [InlineData("number(wait) = 812ms", true)]
    [InlineData("floor_to(status, 100) = 400", true)]
    [InlineData("hour(time) = 17", true)]
    [InlineData("weekday(time) = 1", true)]
    [InlineData("now() - time > 8m", true)]
    [InlineData("contains(body, \"refused\") and starts(body, \"ticket\")", true)]
    [InlineData("level >= warn and 5% = 0.05", true)]
    [InlineData("-status < 0", true)]
    [InlineData("terminal = reason", false)]
    public void Expressions_compute(string condition, bool holds) => Assert.Equal(holds, Holds("| where " + condition));

    [Fact]
    public void A_condition_and_its_opposite_are_everything() =>
        Gen.Select(QueryGen.Match, Gen.Int[0, 200])
            .Sample(
                (condition, seed) =>
                {
                    var record = Sample.Random(seed);
                    var compiler = new Compiler(Context, new RecordScope(new FieldRefs()));
                    var row = new Row(RowSource.Of(record), 0, []);
                    Assert.True(compiler.Condition(condition)(row) ^ compiler.Condition(new Not(condition))(row));
                },
                iter: Cases.Of(3_000)
            );

    [Theory]
    [InlineData(@"after \d+ms", "after ")]
    [InlineData(@"ticket.*refused: seat", " refused: seat")]
    [InlineData(@"abcd?efg", "abc")]
    [InlineData(@"abc+defg", "defg")]
    [InlineData(@"x\.y\.z", "x.y.z")]
    [InlineData(@"[abc]defg[^]x]hij", "defg")]
    [InlineData(@"abc{2,3}def", "def")]
    [InlineData(@"\x41bcdef", null)]
    [InlineData(@"abc|defg", null)]
    [InlineData(@"(abc)?", null)]
    [InlineData(@"a.b", null)]
    public void A_regex_is_asked_only_where_its_literal_stands(string pattern, string? literal) =>
        Assert.Equal(literal?.Trim(), Regexes.RequiredLiteral(pattern)?.Trim());

    [Fact]
    public void The_literal_of_a_regex_stands_in_all_that_it_matches() =>
        Gen.Select(
                Gen.OneOf("abc", "d", ".", @"\d", "[xy]", "+", "*", "?", "{2}", "{0,3}", "^", "$", @"\.", "[^a]", "7")
                    .List[1, 8]
                    .Select(string.Concat),
                Gen.String[Gen.OneOf('a', 'b', 'c', 'd', 'x', '7', '.'), 0, 30]
            )
            .Sample(
                (pattern, text) =>
                {
                    if (Regexes.Refusal(pattern, "") is not null || Regexes.RequiredLiteral(pattern) is not { } literal)
                        return;
                    if (Regexes.Of(pattern, "").IsMatch(text))
                        Assert.Contains(literal, text);
                },
                iter: Cases.Of(20_000)
            );

    [Fact]
    public void Group_counts_add_up_and_fill_empty_steps()
    {
        var from = Sample.At("2026-11-23T17:00:00Z");
        var window = new Window(from, from + Instants.Hour);
        var records = Enumerable.Range(0, 500).Select(i => Sample.Random(i, from + (i * 5 * Instants.Second))).ToList();
        var frame = Oracle.Of("| group count() as n, avg(wait) by terminal per 10m", window, Context).Collect(records);
        Assert.Equal(["time", "terminal", "n", "avg(wait)"], frame.Schema.Columns.Select(c => c.Name));
        Assert.Equal(500, frame.Rows.Sum(r => r[2].AsLong));
        var terminals = frame.Rows.Select(r => r[1].ToText()).Distinct().Count();
        Assert.Equal(terminals * 6, frame.Rows.Count);
        Assert.All(frame.Rows.Where(r => r[2].AsLong == 0), r => Assert.True(r[3].IsMissing));
        Assert.Equal(frame.Rows.Select(r => r[0].AsLong), frame.Rows.Select(r => r[0].AsLong).Order());
    }

    [Fact]
    public void Without_by_nothing_is_one_row_of_zero()
    {
        var frame = Oracle.Of("nowhere | group count(), max(wait)", new Window(0, Instants.Hour), Context).Collect([]);
        var row = Assert.Single(frame.Rows);
        Assert.Equal(0, row[0].AsLong);
        Assert.True(row[1].IsMissing);
    }

    [Fact]
    public void A_regular_expression_is_compiled_once_for_each_of_its_flags()
    {
        Assert.Same(Regexes.Of("berth \\d+", ""), Regexes.Of("berth \\d+", ""));
        Assert.DoesNotMatch(Regexes.Of("berth \\d+", ""), "BERTH 2");
        Assert.Matches(Regexes.Of("berth \\d+", "i"), "BERTH 2");
        Assert.Throws<RegexParseException>(() => Regexes.Of("berth (", ""));
    }

    [Fact]
    public void Percentiles_are_of_type_7()
    {
        // R: quantile(c(1, 2, 4, 8, 16), c(.5, .9), type = 7) gives 4.0 and 12.8
        var records = new[] { 1, 2, 4, 8, 16 }.Select(n => Sample.With(("n", Value.Of((long)n)))).ToList();
        var row = Oracle
            .Of(
                "| group median(n), p90(n), percentile(n, 25), stddev(n), sum(n), first(n), last(n)",
                new Window(0, long.MaxValue),
                Context
            )
            .Collect(records)
            .Rows[0];
        Assert.Equal([4.0, 12.8, 2.0], row[..3].Select(v => Math.Round(v.AsDouble, 9)));
        // R: sd(c(1, 2, 4, 8, 16)) gives 6.09918
        Assert.Equal(6.09918, row[3].AsDouble, 5);
        Assert.Equal(31, row[4].AsLong);
    }

    [Fact]
    public void Keys_go_by_canonical_text_and_later_stages_see_columns()
    {
        var records = new[] { Value.Of(409L), Value.Of("409"), Value.Of("a"), Value.Missing }
            .Select(v => Sample.With(("k", v)))
            .ToList();
        var frame = Oracle
            .Of(
                "| group count() by k | where count() > 1 or k = \"a\" | order by k desc | limit 5",
                new Window(0, long.MaxValue),
                Context
            )
            .Collect(records);
        Assert.Equal(["a", "409"], frame.Rows.Select(r => r[0].ToText()));
    }

    [Fact]
    public void Too_many_keys_and_steps_are_refused_in_words()
    {
        var limits = Limits.Default with { Keys = 10 };
        var many = Oracle.Of("| group count() by k", new Window(0, Instants.Hour), Context, limits);
        var keys = Enumerable.Range(0, 20).Select(i => Sample.With(("k", Value.Of((long)i))));
        Assert.Contains(
            "More than 10 different values of k",
            Assert.Throws<QueryRefusedException>(() => many.Collect(keys)).Message
        );
        Assert.Contains(
            "are too many",
            Assert
                .Throws<QueryRefusedException>(() =>
                    Oracle.Of("| group count() per 1ms", new Window(0, Instants.Hour), Context).Collect([])
                )
                .Message
        );
    }

    [Fact]
    public void Order_and_limit_take_the_first_of_each_key()
    {
        var records = Enumerable
            .Range(0, 30)
            .Select(i => Sample.With(("k", Value.Of(i % 3 == 0 ? "x" : "y")), ("n", Value.Of((long)i))))
            .ToList();
        var rows = Oracle
            .Of("| order by n desc | limit 2 for each k", Ever, Context)
            .Records(records)
            .Select(r => r.Attributes.Get("n").AsLong);
        Assert.Equal([29, 28, 27, 24], rows);
    }
}
