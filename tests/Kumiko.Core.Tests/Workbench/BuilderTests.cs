using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;

namespace Kumiko.Core.Tests.Workbench;

/// <summary>Text and pointing as two ways to one query; joins taken apart; rows beside their usual.</summary>
public class BuilderTests
{
    [Theory]
    [InlineData(
        "from metrics name = skerry.tide.height and host = tide-1 | group avg(value) by host per 5m",
        "skerry.tide.height",
        "host = tide-1",
        "avg",
        "value",
        "host",
        "5m"
    )]
    [InlineData(
        "service = gate-control and refused | group count() by reason, terminal per auto",
        "",
        "service = gate-control and refused",
        "count",
        "",
        "reason,terminal",
        "auto"
    )]
    [InlineData("level >= warn", "", "level >= warn", "count", "", "", "auto")]
    [InlineData("", "", "", "count", "", "", "auto")]
    [InlineData("| group p95(wait) per 1h", "", "", "p95", "wait", "", "1h")]
    public void A_text_is_read_as_what_could_be_pointed_at(
        string text,
        string metric,
        string where,
        string function,
        string field,
        string by,
        string every
    )
    {
        var built = SeriesBuilder.Read(text)!;
        Assert.Equal(
            (metric, where, function, field, by, every),
            (built.Metric, built.Where, built.Function, built.Field, string.Join(',', built.By), built.Per)
        );
    }

    [Theory]
    [InlineData("| group count() per 1m | where x > 1")]
    [InlineData("with a = 1 | group count() per 1m")]
    [InlineData("from metrics over 1h name = x | group avg(value) per 1m")]
    [InlineData("from metrics service = x | group avg(value) per 1m")]
    [InlineData("| group count() as n, p95(wait) per 1m")]
    [InlineData("| group percentile(wait, 97) per 1m")]
    [InlineData("reason = ")]
    public void What_says_more_is_left_to_the_text(string text) => Assert.Null(SeriesBuilder.Read(text));

    private static Gen<string> Pick(params string[] from) => Gen.Int[0, from.Length - 1].Select(i => from[i]);

    [Fact]
    public void What_is_pointed_at_reads_back_from_its_text()
    {
        var name = Pick("skerry.tide.height", "system.cpu.utilization", "");
        var where = Pick("", "terminal = Lindle", "terminal = Lindle or terminal = Orra", "wait > 400ms and refused");
        Gen.Select(
                name,
                where,
                Gen.Int[0, SeriesBuilder.Functions.Count - 1],
                Pick("wait", "took ms"),
                Pick("host", "terminal", "deployment.environment.name").Array[0, 2],
                Pick("auto", "1m", "6h")
            )
            .Sample(
                (metric, conditions, function, field, by, every) =>
                {
                    var (called, _, takes) = SeriesBuilder.Functions[function];
                    var built = new SeriesBuilder(
                        metric,
                        conditions,
                        called,
                        (takes, metric) switch
                        {
                            (false, _) => "",
                            (_, { Length: > 0 }) => "value",
                            _ => field,
                        },
                        [.. by.Distinct()],
                        every
                    );
                    if (built.Problem() is not null)
                        return false;
                    var read = SeriesBuilder.Read(built.Text)!;
                    return (read.Metric, read.Function, read.Field, string.Join(',', read.By), read.Per)
                            == (built.Metric, built.Function, built.Field, string.Join(',', built.By), built.Per)
                        && read.Text == built.Text;
                }
            );
    }

    [Theory]
    [InlineData("nothing", "", "Choose how")]
    [InlineData("sum", "", "Say which field")]
    [InlineData("count", "| limit 3", "Write conditions alone")]
    public void What_is_no_query_says_why(string function, string where, string problem) =>
        Assert.StartsWith(problem, new SeriesBuilder("", where, function, "", [], "auto").Problem());

    [Theory]
    [InlineData("a - b", "By", "By", "By")]
    [InlineData("a / b", "By", "By", "1")]
    [InlineData("a / b", "By", "s", "By/s")]
    [InlineData("a / 2", "By", "", "By")]
    [InlineData("2 * a * b", "{scan}", "1", "{scan}")]
    [InlineData("a + b", "By", "s", "")]
    [InlineData("round(abs(a))", "m", "", "m")]
    [InlineData("coalesce(a, 0)", "m", "", "m")]
    [InlineData("if(a > 1, a, b)", "m", "m", "m")]
    [InlineData("log(a)", "m", "", "")]
    public void Units_follow_from_those_of_the_parts(string formula, string a, string b, string expected) =>
        Assert.Equal(expected, UnitRules.Of(SeriesFormula.Read(formula, ["a", "b"], out _)!.Expr, n => n == "a" ? a : b));

    [Theory]
    [InlineData("refused | group count() per 1m", "from logs earlier 1d refused\n| group count() per 1m")]
    [InlineData(
        "from metrics earlier 12h name = x | group avg(value) per 1m",
        "from metrics earlier 1d12h name = x\n| group avg(value) per 1m"
    )]
    public void An_earlier_query_reads_so_much_before(string text, string expected) =>
        Assert.Equal(expected, QueryPrinter.Print(EarlierQuery.Of(QueryParser.Parse(text).Query, Instants.Day)));

    [Fact]
    public void Any_query_that_is_read_earlier_still_parses_and_reads_twice_as_much_before()
    {
        Pick(
                "refused",
                "from metrics name = a | group avg(value) per 1m",
                "with a = (refused | group count() by host per 1m) from a | limit 3",
                "from logs over 2h level = error",
                "with a = 1 | where x > a"
            )
            .Select(Gen.Long[1, 400])
            .Sample(
                (text, minutes) =>
                {
                    var once = EarlierQuery.Of(QueryParser.Parse(text).Query, minutes * Instants.Minute);
                    var printed = QueryParser.Parse(QueryPrinter.Print(once));
                    var twice = EarlierQuery.Of(printed.Query, minutes * Instants.Minute);
                    return printed.Ok
                        && QueryPrinter.Print(twice)
                            == QueryPrinter.Print(EarlierQuery.Of(QueryParser.Parse(text).Query, 2 * minutes * Instants.Minute));
                }
            );
    }

    [Fact]
    public void Bound_parts_are_read_earlier_once()
    {
        var text =
            "with a = (from metrics name = x | group avg(value) as v by host per 1m), b = (level = error | group count() by host per 1m) from a | join b on host, time";
        var moved = QueryPrinter.Print(EarlierQuery.Of(QueryParser.Parse(text).Query, Instants.Hour));
        Assert.Equal(2, moved.Split("earlier 1h").Length - 1);
        Assert.Contains("from a\n| join b", moved);
    }

    [Fact]
    public void A_join_is_taken_apart_and_put_together()
    {
        const string Text =
            "with used = (from metrics name = a | group avg(value) as v by host per 1m),\n     fast = 20\nfrom used | where v > fast";
        var draft = JoinDraft.Read(Text);
        Assert.Equal(
            [("used", "from metrics name = a | group avg(value) as v by host per 1m", false), ("fast", "20", true)],
            draft.Parts.Select(p => (p.Name, p.Text, p.IsConstant))
        );
        Assert.Equal("from used | where v > fast", draft.Question);
        Assert.Equal(Text, draft.Text);
        Assert.Equal(QueryParser.Parse(Text).Query, QueryParser.Parse(draft.Text).Query);
        Assert.Equal("from metrics name = a | group avg(value) as v by host per 1m", draft.Alone(draft.Parts[0]));
        Assert.Equal("level =", JoinDraft.Read("level = ").Question);
    }

    [Fact]
    public void Rows_stand_beside_their_own_usual_the_furthest_first()
    {
        static Frame Gates(params (string Gate, double Wait)[] rows) =>
            new(
                new Schema(
                    [new Column("host", ColumnRole.Key), new Column("wait", ColumnRole.Value, ValueKind.Decimal)],
                    null,
                    new Window(0, 1)
                ),
                [.. rows.Select(r => new[] { Value.Of(r.Gate), Value.Of(r.Wait) })]
            );
        var beside = BesideUsual.Of(
            Gates(("gate-t1", 6), ("gate-h1", 9), ("gate-new", 1)),
            [Gates(("gate-t1", 1), ("gate-h1", 9)), Gates(("gate-t1", 3))]
        )!;
        Assert.Equal(
            ["gate-t1 2 3", "gate-h1 9 1", "gate-new missing missing"],
            beside.Rows.Select(r => string.Join(' ', r[0], r[2], r[3]))
        );
        Assert.Null(BesideUsual.Of(Gates(), [], "nothing"));
    }

    [Theory]
    [InlineData("refused | group count() per 5m", "reason", null, "refused | group count() by reason per 5m")]
    [InlineData(
        "refused | group count() as n by reason per 5m",
        "terminal",
        3,
        "refused | group count() as n by reason, terminal per 5m\n| highest 3 terminal by n with rest"
    )]
    [InlineData(
        "refused | group count() by reason per 5m | highest 5 reason by count() | limit 3",
        "",
        2,
        "refused | group count() by reason per 5m\n| highest 2 reason by count() with rest | limit 3"
    )]
    [InlineData("refused", "reason", null, "refused\n| group count() by reason per auto")]
    [InlineData(
        "refused | parse body as \"ticket {t} {}\"",
        "",
        null,
        "refused | parse body as \"ticket {t} {}\"\n| group count() per auto"
    )]
    [InlineData("reason = ", "x", 1, "reason = ")]
    public void An_answer_is_split_by_a_field_with_the_rest_as_one(string text, string field, int? top, string expected)
    {
        var split = QueryEdits.SplitBy(text, field, top);
        Assert.Equal(expected, split);
        if (expected != text)
            Assert.True(QueryParser.Parse(split).Ok);
    }
}
