using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Language;

public class ParserTests
{
    private static string Reprinted(string text)
    {
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok, string.Join("\n", parsed.Errors.Select(e => e.Describe(text))));
        return QueryPrinter.Print(parsed.Query);
    }

    [Theory]
    [InlineData("refused", "refused")]
    [InlineData("refused gate", "refused and gate")]
    [InlineData("a or b c", "a or (b and c)")]
    [InlineData("(a or b) c", "(a or b) and c")]
    [InlineData("not a b", "not a and b")]
    [InlineData("NOT (a OR b)", "not (a or b)")]
    [InlineData("service=gate-control level>=warn \"refused\"", "service = gate-control and level >= warn and \"refused\"")]
    [InlineData("host != gate-t3 and wait > 400ms", "host != gate-t3 and wait > 400ms")]
    [InlineData("ip in 10.20.0.0/16", "ip in 10.20.0.0/16")]
    [InlineData("status in ( 409 ,412 )", "status in (409, 412)")]
    [InlineData("status in 400..499", "status in 400..499")]
    [InlineData("status in 400..", "status in 400..")]
    [InlineData("exists(trace_id)", "exists(trace_id)")]
    [InlineData(@"body ~ /took \d{4,}ms/i", @"body ~ /took \d{4,}ms/i")]
    [InlineData("body!~/a\\/b/", "body !~ /a\\/b/")]
    [InlineData("refused in harbour", "refused and in and harbour")]
    [InlineData("with care from home", "with and care and from and home")]
    [InlineData("from logs", "from logs")]
    [InlineData("from logs refused", "from logs refused")]
    [InlineData("from = Hollin", "from = Hollin")]
    [InlineData("name = 'it is'", "name = \"it is\"")]
    [InlineData("| where wait > 400ms and not (a or b)", "| where wait > 400ms and not (a or b)")]
    [InlineData("| where level >= warn", "| where level >= warn")]
    [InlineData("| where (a + b) * 2 > -c", "| where (a + b) * 2 > -c")]
    [InlineData("| where x in (1, -2, \"t\")", "| where x in (1, -2, \"t\")")]
    [InlineData("| where `odd name` = 5 % 2", "| where `odd name` = 5 % 2")]
    [InlineData(
        "x|group count() as n,p95(wait) by reason per 5m|order by n desc|limit 3 for each reason",
        "x\n| group count() as n, p95(wait) by reason per 5m\n| order by n desc\n| limit 3 for each reason"
    )]
    [InlineData("| group p95(wait) by host | order by p95(wait) desc", "| group p95(wait) by host\n| order by p95(wait) desc")]
    [InlineData("-- why\nrefused -- only these\n| limit 5", "-- why\nrefused -- only these\n| limit 5")]
    [InlineData("| set a = wait * 2, b=lower(host)", "| set a = wait * 2, b = lower(host)")]
    [InlineData("| select time, wait as w | select all except w", "| select time, wait as w\n| select all except w")]
    [InlineData("| parse only body as 'ticket {t}: {{'", "| parse only body as \"ticket {t}: {{\"")]
    [InlineData("| parse only as json", "| parse only as json")]
    [InlineData("| parse body as /took (?<w>\\d+)/", "| parse body as /took (?<w>\\d+)/")]
    [InlineData(
        "| group count() by host per 5m | highest 3 host by count() with rest | gaps as 0 up to 2 steps",
        "| group count() by host per 5m\n| highest 3 host by count() with rest\n| gaps as 0 up to 2 steps"
    )]
    [InlineData(
        "with a = (level = error | group count() by host), b=400ms from a | join all a on host | union a",
        "with a = (level = error | group count() by host),\n     b = 400ms\nfrom a\n| join all a on host\n| union a"
    )]
    [InlineData(
        "with a = ( x -- note\n) from a | join a nearest time within 5m on host",
        "with a = (\nx -- note\n)\nfrom a\n| join a nearest time within 5m on host"
    )]
    [InlineData("from logs over 1h earlier 7d refused", "from logs over 1h earlier 7d refused")]
    [InlineData("from logs over there", "from logs over and there")]
    [InlineData("from harbour over 1h", "from and harbour and over and 1h")]
    [InlineData(
        "terminal = :terminal and wait in :from..:to | where wait > :least?",
        "terminal = :terminal and wait in :from..:to\n| where wait > :least?"
    )]
    [InlineData("| set n = extract(body, /took (\\d+)/i)", "| set n = extract(body, /took (\\d+)/i)")]
    [InlineData("", "")]
    public void Reads_and_prints(string text, string printed) => Assert.Equal(printed, Reprinted(text));

    [Theory]
    [InlineData("| group count() by host every 5m", "“every” is written “per” now.", "| group count() by host per 5m")]
    [InlineData(
        "| group count() every auto | limit 1 by time",
        "“every” is written “per” now.",
        "| group count() per auto | limit 1 for each time"
    )]
    [InlineData("| limit 1 by terminal, host", "“by” is written “for each” now.", "| limit 1 for each terminal, host")]
    [InlineData(
        "| group count() as n by host | top 2 host by n with rest",
        "“top” is written “highest” now.",
        "| group count() as n by host | highest 2 host by n with rest"
    )]
    [InlineData(
        "from metrics | group increase(value), rate()",
        "“increase” is written “growth” now.",
        "from metrics | group growth(value), per_second()"
    )]
    public void Words_of_before_are_errors_that_name_those_of_today_and_mend_themselves(string text, string says, string mended)
    {
        var parsed = QueryParser.Parse(text);
        Assert.False(parsed.Ok);
        Assert.Equal(says, parsed.Errors[0].Message);
        Assert.Equal(mended, parsed.Mended);
        Assert.True(QueryParser.Parse(mended).Ok);
        Assert.Equal(mended.Replace(" | ", "\n| "), QueryPrinter.Print(QueryParser.Parse(mended).Query));
    }

    [Theory]
    [InlineData("| group count() every 5", "“every” is written “per” now.")]
    [InlineData("| limit 1 for terminal", "Write limit 1 for each, then the fields.")]
    [InlineData("| group count()", null)]
    public void What_a_person_must_mend_is_not_mended(string text, string? says)
    {
        var parsed = QueryParser.Parse(text);
        Assert.Null(parsed.Mended);
        Assert.Equal(says, parsed.Errors.FirstOrDefault()?.Message);
    }

    [Theory]
    [InlineData("service = ", 1, 9, "A value is missing after =")]
    [InlineData("\"never closed", 1, 1, "not closed")]
    [InlineData("(a or b", 1, 1, "not closed")]
    [InlineData("a )", 1, 3, "never opened")]
    [InlineData("a and", 1, 6, "missing at the end")]
    [InlineData("and b", 1, 1, "joins two conditions")]
    [InlineData("= 3", 1, 1, "Nothing stands before")]
    [InlineData("a == 3", 1, 3, "Write = once")]
    [InlineData("a <> 3", 1, 3, "!=")]
    [InlineData("!refused", 1, 1, "Write not")]
    [InlineData("a\n| wehre b = 1", 2, 3, "Did you mean where")]
    [InlineData(
        "a | sparkle",
        1,
        5,
        "A stage is one of where, group, parse, set, select, highest, order by, limit, gaps, join, union"
    )]
    [InlineData("| parse body as \"x {a:colour}\"", 1, 17, "is no type")]
    [InlineData("| parse body as \"x {a}{b}\"", 1, 17, "between two slots")]
    [InlineData("| parse body as \"plain\"", 1, 17, "Name what to cut out")]
    [InlineData("| parse body as /took \\d+/", 1, 17, "Name what to cut out")]
    [InlineData("| highest 3 host by n", 1, 3, "right behind a group")]
    [InlineData("| group count() by host | highest 3 service by count()", 1, 37, "Name one of its keys")]
    [InlineData("| gaps as last", 1, 3, "behind a group with per")]
    [InlineData("| join nowhere on host", 1, 8, "Nothing is called")]
    [InlineData("with a = (x from a", 1, 10, "not closed")]
    [InlineData("with a = 1, a = 2 x", 1, 13, "bound twice")]
    [InlineData("| where /x/ = 3", 1, 9, "behind ~")]
    [InlineData("| set n = percentile(wait, 95)", 1, 11, "is an aggregate")]
    [InlineData("a |", 1, 4, "A stage is missing")]
    [InlineData("| where service = gate-control", 1, 19, "Put text in quotes: \"gate-control\"")]
    [InlineData("| where conut(x) > 1", 1, 9, "Did you mean count")]
    [InlineData("| where count() > 1", 1, 9, "aggregate")]
    [InlineData("| group wait by host", 1, 9, "starts with an aggregate")]
    [InlineData("| group count() by count()", 1, 20, "cannot be a key")]
    [InlineData("| group count() per 5", 1, 21, "length of time")]
    [InlineData("| group count(), count()", 1, 18, "Two columns")]
    [InlineData("| limit many", 1, 9, "whole number")]
    [InlineData("| order time", 1, 9, "order by")]
    [InlineData("| where 5parsecs > 2", 1, 9, "is no number")]
    [InlineData("body ~ /(?=x)/", 1, 8, "look-around")]
    [InlineData("body ~ /a{1,9999999}/", 1, 8, "large count")]
    [InlineData("body ~ /(unclosed/", 1, 8, "not understood")]
    [InlineData("body ~ /x/q", 1, 11, "letters after")]
    [InlineData("body ~ refused", 1, 8, "between slashes")]
    [InlineData("a in ()", 1, 7, "missing in this list")]
    [InlineData("\"\"", 1, 1, "empty")]
    public void Says_what_is_wrong_and_where(string text, int line, int column, string says)
    {
        var parsed = QueryParser.Parse(text);
        var error = Assert.Single(parsed.Errors);
        Assert.Equal((line, column), error.Position(text));
        Assert.Contains(says, error.Message);
    }

    [Fact]
    public void Each_broken_stage_has_an_error_of_its_own()
    {
        var parsed = QueryParser.Parse("a =\n| wher x\n| limit y");
        Assert.Equal([1, 2, 3], parsed.Errors.Select(e => e.Position(parsed.Text).Line));
    }

    [Fact]
    public void A_very_long_query_is_refused_with_its_length()
    {
        var error = Assert.Single(QueryParser.Parse(new string('x', 100_000)).Errors);
        Assert.Contains("16384", error.Message);
        Assert.Contains("100000", error.Message);
    }

    [Theory]
    [InlineData('(')]
    [InlineData('-')]
    public void Deep_nesting_is_an_error_and_not_the_end(char c)
    {
        Assert.NotEmpty(QueryParser.Parse("| where " + new string(c, 10_000)).Errors);
        Assert.NotEmpty(QueryParser.Parse(string.Concat(Enumerable.Repeat("not (", 3_000))).Errors);
    }

    [Fact]
    public void A_pasted_assignment_is_a_condition_and_says_so()
    {
        var parsed = QueryParser.Parse("id=123");
        Assert.True(parsed.Ok);
        Assert.Contains("id = 123", Assert.Single(parsed.Hints).Message);
    }

    [Theory]
    [InlineData("a or b", "(a or b) and terminal = Tarnhead")]
    [InlineData("(a or b)", "(a or b) and terminal = Tarnhead")]
    [InlineData("(a) or (b)", "((a) or (b)) and terminal = Tarnhead")]
    [InlineData("| limit 5", "terminal = Tarnhead\n| limit 5")]
    [InlineData("refused   -- note", "refused and terminal = Tarnhead   -- note")]
    [InlineData("a  b|limit 5", "a  b and terminal = Tarnhead|limit 5")]
    [InlineData("a =", "a =")]
    public void Pointing_edits_its_own_place(string text, string edited) =>
        Assert.Equal(edited, QueryEdits.With(text, "terminal", Value.Of("Tarnhead"), excluded: false).Text);

    [Theory]
    [InlineData("refused\n| where a = 1\n| group count() per 5m\n| limit 3", "refused\n| where a = 1")]
    [InlineData("refused", "refused")]
    [InlineData("| group count()", "")]
    public void A_rule_takes_the_part_that_chooses_records(string text, string records) =>
        Assert.Equal(records, QueryEdits.RecordsOnly(text));

    [Theory]
    [InlineData("409", "\"409\"")]
    [InlineData("warn", "warn")]
    [InlineData("two words", "\"two words\"")]
    [InlineData("a*", "\"a*\"")]
    [InlineData("and", "\"and\"")]
    [InlineData("812ms", "\"812ms\"")]
    public void Text_values_are_written_so_that_they_stay_text(string value, string literal) =>
        Assert.Equal(literal, QueryPrinter.PrintMatch(Literals.For(Value.Of(value))));
}
