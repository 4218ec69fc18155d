using CsCheck;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;
using NodaTime;

namespace Kumiko.Web.Tests;

/// <summary>The form of a rule, questions as rules, and rules in words.</summary>
public sealed class RuleFormTests
{
    private static readonly Gen<long> Lengths = Gen.Int[1, 40].Select(n => n * Instants.Minute);
    private static readonly Gen<double> Limits = Gen.OneOf(
        Gen.Int[1, 900].Select(i => (double)i),
        Gen.Int[1, 9_999].Select(i => i / 1_000.0)
    );

    private static readonly Gen<RuleDefinition> Definitions =
        from quantity in Gen.OneOf(
            Gen.Const((Quantity)new CountOf("refused")),
            Gen.Const((Quantity)new ShareOf("a", "", 20)),
            Gen.Const((Quantity)new DistinctOf("a", "ticket")),
            Gen.Const((Quantity)new ValueOf("| group avg(wait) by host")),
            Lengths.Select(l => (Quantity)new SlowSpans("gate-control", "scan \"x\"", l, true, 9)),
            Gen.Const((Quantity)new SlowSpans("", "", Instants.Second, false, 1)),
            Gen.Const((Quantity)new BudgetBurnt(4)),
            Gen.Const((Quantity)new BurnRate(4, Instants.Minute)),
            Gen.Const((Quantity)new EachRecord("fatal")),
            Gen.Bool.Select(b => (Quantity)new InOrder(b ? [3, 5] : [3, 5, 8], 7 * Instants.Minute, b))
        )
        from limit in Limits
        from wrong in Gen.OneOf(
            Gen.Bool.Select(b => (AlertCondition)new Beyond(b, limit, null)),
            Gen.Select(Gen.Enum<Direction>(), Gen.Enum<MoveBy>(), Lengths)
                .Select(t => (AlertCondition)new Moved(t.Item1, t.Item2, t.Item3, null, Math.Round(limit + 1, 3))),
            Gen.Enum<Direction>().Select(d => (AlertCondition)new Unusual(d, limit, Math.Round(limit + 1, 3))),
            Lengths.Select(l => (AlertCondition)new Silent(AlertLevel.Critical, l + Instants.Day)),
            Lengths.Select(l => (AlertCondition)new NewValue(AlertLevel.Warning, l + Instants.Day)),
            Lengths.Select(l => (AlertCondition)new WillReach(false, limit, l + Instants.Hour, 7_200, 60))
        )
        from lasting in Gen.OneOf(
            Gen.Const((ForDuration)new AtOnce()),
            Gen.Int[1, 50].Select(n => (ForDuration)new ForChecks(n)),
            Gen.Int[1, 100].Select(p => (ForDuration)new ForShare(p / 100.0, Instants.Hour))
        )
        from hours in Gen.Bool
        from noData in Gen.Enum<NoData>()
        select new RuleDefinition
        {
            Quantity = quantity,
            Condition = quantity.IsFigure ? wrong : new Occurs(AlertLevel.Critical),
            Duration = quantity.IsFigure ? lasting : new AtOnce(),
            Keys = quantity is CountOf or ShareOf or DistinctOf or EachRecord or SlowSpans ? ["terminal", "host"] : [],
            InTheLast = 10 * Instants.Minute,
            CheckedEvery = Instants.Minute,
            NoData = noData,
            Hours = hours ? new CheckHours([1, 3, 7], 330, 1_380) : null,
        };

    [Fact]
    public void A_rule_comes_back_from_its_form_as_it_was() =>
        Definitions.Sample(
            definition =>
            {
                var reader = new RuleFormReader(RuleForm.OfDefinition(definition));
                var read = reader.Definition(DateTimeZone.Utc);
                Assert.Equal(definition, read);
            },
            iter: Cases.Of(2_000)
        );

    [Theory]
    [InlineData("40", 40)]
    [InlineData("2 000", 2000)]
    [InlineData("5%", 0.05)]
    [InlineData("400ms", 0.4)]
    [InlineData("1h30m", 5400)]
    [InlineData("2kB", 2000)]
    [InlineData("-3.5", -3.5)]
    public void Limits_are_typed_with_their_units(string typed, double means)
    {
        var form = RuleForm.Blank();
        form.Fields.Warning = typed;
        Assert.Equal(means, new RuleFormReader(form).Definition(DateTimeZone.Utc).Condition.Limits.Warning!.Value, 1e-12);
    }

    [Theory]
    [InlineData("fifty", "as a number")]
    [InlineData("NaN", "as a number")]
    [InlineData("1e999", "as a number")]
    public void What_is_no_limit_is_told(string typed, string says)
    {
        var form = RuleForm.Blank();
        form.Fields.Critical = typed;
        var reader = new RuleFormReader(form);
        reader.Definition(DateTimeZone.Utc);
        Assert.Contains(reader.Faults, f => f.Contains(says, StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("refused and x", "count", "refused and x", "", null)]
    [InlineData("refused | group count() by terminal, host per 15m", "count", "refused", "terminal, host", "15m")]
    [InlineData("refused | where wait > 1 | group count() per auto", "count", "refused | where wait > 1", "", null)]
    [InlineData(
        "level >= warn | group avg(wait) as w by host per 5m | gaps as last | order by w",
        "figure",
        "level >= warn | group avg(wait) as w by host",
        "",
        "5m"
    )]
    [InlineData(
        "from metrics name = x | group max(value) by host per 1m",
        "figure",
        "from metrics name = x | group max(value) by host",
        "",
        "1m"
    )]
    [InlineData("level >=", "count", "level >=", "", null)]
    public void A_question_becomes_what_a_rule_looks_at(string query, string quantity, string text, string keys, string? step)
    {
        var proposal = RuleProposal.Of(query);
        Assert.Equal(
            (quantity, text, keys, step),
            (
                QuantityKinds.Of(proposal.Quantity).Word,
                proposal.Quantity.Queries.Single().Text,
                string.Join(", ", proposal.Keys),
                proposal.Step
            )
        );
    }

    private static readonly RuleWords Words = new(id => id == 3 ? "locks" : null, id => id == 4 ? "Scans" : null);

    [Fact]
    public void Rules_read_as_english()
    {
        Assert.Equal(
            "The share of records of “a” among all records for each terminal (at least 20) in the last 5 min is above 2\u2009% (warning), above 10\u2009% (critical), for 3 checks one after the other. Checked every 1 min, 30 s late, on Mon, Tue from 05:30 to 23:00.",
            Words.Sentence(
                new RuleDefinition
                {
                    Quantity = new ShareOf("a", "", 20),
                    Keys = ["terminal"],
                    Condition = new Beyond(false, 0.02, 0.1),
                    Duration = new ForChecks(3),
                    Delay = 30 * Instants.Second,
                    Hours = new CheckHours([1, 2], 330, 1_380),
                }
            )
        );
        Assert.Equal(
            "“locks”, then “a rule that is gone” within 10 min, of the same key: critical. Quiet for 5 min, it has ended.",
            Words.Sentence(
                new RuleDefinition
                {
                    Quantity = new InOrder([3, 9], 10 * Instants.Minute, true),
                    Condition = new Occurs(AlertLevel.Critical),
                }
            )
        );
        Assert.StartsWith(
            "avg(wait) of “refused” for each host in the last 5 min is below its usual range by 4 spreads (warning)",
            Words.Sentence(
                new RuleDefinition
                {
                    Quantity = new ValueOf("refused | group avg(wait) by host"),
                    Condition = new Unusual(Direction.Low, 4, null),
                }
            ),
            StringComparison.Ordinal
        );
        Assert.StartsWith(
            "The burn rate of “Scans”, over 1 h and also over 5 min, is above 6 (critical)",
            Words.Sentence(
                new RuleDefinition
                {
                    Quantity = new BurnRate(4, 5 * Instants.Minute),
                    InTheLast = Instants.Hour,
                    Condition = new Beyond(false, null, 6),
                }
            ),
            StringComparison.Ordinal
        );
        Definitions.Sample(d => Assert.DoesNotContain("  ", Words.Sentence(d)), iter: Cases.Of(300));
    }

    [Fact]
    public void A_runbook_is_markdown_and_nothing_that_runs_loads_or_disguises()
    {
        var html = Markdown
            .Render(
                "# Title\n- *one* [ok](https://skerryline.example) [bad](javascript:alert(1)) ![x](http://skerryline.example/x.png)\n- <img src=x onerror=alert(1)> `<b>`\n\n<script>alert(1)</script>\n\n|a|b|\n|-|-|\n|1|2|"
            )
            .ToString()!;
        Assert.Contains("<h1>Title</h1>", html);
        Assert.Contains("<em>one</em>", html);
        Assert.Contains("<table>", html);
        Assert.Contains("href=\"https://skerryline.example", html);
        foreach (var never in new[] { "<script", "<img", "javascript:", "<b>", "style=" })
            Assert.DoesNotContain(never, html, StringComparison.OrdinalIgnoreCase);
    }

    [Theory]
    [InlineData("## What\n1. Ring the quay\n2. Wait", "Ring the quay")]
    [InlineData("Look at the **tide**.\n\nThen wait.", "Look at the **tide**.")]
    [InlineData("", "")]
    public void The_first_step_of_a_runbook(string runbook, string first) => Assert.Equal(first, Markdown.FirstStep(runbook));

    [Fact]
    public void Ready_made_rules_make_sense() => Assert.All(ReadyRules.All, ready =>
        {
            var reader = new RuleFormReader(RuleForm.OfReady(ready));
            Assert.Equal(ready.Definition, reader.Definition(DateTimeZone.Utc));
            Assert.Empty(reader.Faults);
        });
}
