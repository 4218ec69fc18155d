using CsCheck;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Core.Tests.Rules;

/// <summary>The sentence of a rule as text and as JSON.</summary>
public sealed class RuleTextTests
{
    internal static readonly Gen<long> Lengths = Gen.OneOf(
        Gen.Int[1, 90].Select(s => s * Instants.Second),
        Gen.Int[1, 200].Select(m => m * Instants.Minute),
        Gen.Int[1, 14].Select(d => d * Instants.Day),
        Gen.Long[1, Instants.Day]
    );
    private static readonly Gen<double> Numbers = Gen.OneOf(
        Gen.Int[-500, 500].Select(i => (double)i),
        Gen.Int[1, 9_999].Select(i => i / 100.0),
        Gen.Double[1e-9, 1e9]
    );
    private static readonly Gen<string> Queries = Gen.OneOf(
        Gen.Const(""),
        Gen.Const("refused"),
        Gen.Const("service = gate-control and level >= error\n| where wait > 400ms -- slow ones\n"),
        Gen.Const("    indented \"as it is\"\n\n| parse body as \"{a} among {b}\""),
        Gen.String[Gen.Char["abc |\"'{}=\n"], 0, 40]
    );
    private static readonly Gen<string> Names = Gen.OneOf(
        Gen.Const("terminal"),
        Gen.Const("http.status"),
        Gen.Const("a, b"),
        Gen.Const("Größe \"x\""),
        Gen.Const("of"),
        Gen.Const("gate id")
    );
    private static readonly Gen<AlertLevel> Levels = Gen.Bool.Select(b => b ? AlertLevel.Critical : AlertLevel.Warning);
    private static readonly Gen<(double?, double?)> Limits = Gen.Select(Numbers, Numbers, Gen.Int[0, 2])
        .Select(l => (l.Item3 == 1 ? (double?)null : l.Item1, l.Item3 == 2 ? (double?)null : l.Item2));

    private static readonly Gen<Quantity> Quantities = Gen.OneOf(
        Queries.Select(q => (Quantity)new CountOf(q)),
        Gen.Select(Queries, Queries, Gen.Int[1, 500]).Select(t => (Quantity)new ShareOf(t.Item1, t.Item2, t.Item3)),
        Gen.Select(Queries, Names).Select(t => (Quantity)new DistinctOf(t.Item1, t.Item2)),
        Queries.Select(q => (Quantity)new ValueOf(q)),
        Queries.Select(q => (Quantity)new EachRecord(q)),
        Gen.Select(Gen.OneOf(Gen.Const(""), Names), Gen.OneOf(Gen.Const(""), Names), Lengths, Gen.Bool, Gen.Int[1, 90])
            .Select(t => (Quantity)new SlowSpans(t.Item1, t.Item2, t.Item3, t.Item4, t.Item5)),
        Gen.Long[1, 90].Select(o => (Quantity)new BudgetBurnt(o)),
        Gen.Select(Gen.Long[1, 90], Lengths).Select(t => (Quantity)new BurnRate(t.Item1, t.Item2)),
        Gen.Select(Gen.Long[1, 90].List[2, 4], Lengths, Gen.Bool).Select(t => (Quantity)new InOrder(t.Item1, t.Item2, t.Item3))
    );

    private static readonly Gen<AlertCondition> Wrongs = Gen.OneOf(
        Gen.Select(Gen.Bool, Limits).Select(t => (AlertCondition)new Beyond(t.Item1, t.Item2.Item1, t.Item2.Item2)),
        Gen.Select(Gen.Enum<Direction>(), Gen.Enum<MoveBy>(), Lengths, Limits)
            .Select(t =>
                (AlertCondition)
                    new Moved(
                        t.Item1,
                        t.Item2,
                        t.Item3,
                        t.Item2 == MoveBy.Percent ? Tidy(t.Item4.Item1) : t.Item4.Item1,
                        t.Item2 == MoveBy.Percent ? Tidy(t.Item4.Item2) : t.Item4.Item2
                    )
            ),
        Gen.Select(Gen.Enum<Direction>(), Limits).Select(t => (AlertCondition)new Unusual(t.Item1, t.Item2.Item1, t.Item2.Item2)),
        Gen.Select(Levels, Lengths).Select(t => (AlertCondition)new Silent(t.Item1, t.Item2)),
        Gen.Select(Levels, Lengths).Select(t => (AlertCondition)new NewValue(t.Item1, t.Item2)),
        Gen.Select(Gen.Bool, Numbers, Lengths, Limits)
            .Select(t => (AlertCondition)new WillReach(t.Item1, t.Item2, t.Item3, t.Item4.Item1, t.Item4.Item2)),
        Levels.Select(l => (AlertCondition)new Occurs(l))
    );

    /// <summary>Shares that a person writes: in hundredths of a percent.</summary>
    private static double? Tidy(double? share) => share is { } number ? Math.Round(Math.Clamp(number, -1e6, 1e6), 4) : null;

    private static readonly Gen<ForDuration> Lastings = Gen.OneOf(
        Gen.Const((ForDuration)new AtOnce()),
        Gen.Int[1, 500].Select(n => (ForDuration)new ForChecks(n)),
        Gen.Select(Gen.Int[1, 1_000], Lengths).Select(t => (ForDuration)new ForShare(t.Item1 / 1_000.0, t.Item2))
    );

    private static readonly Gen<CheckHours?> Hours = Gen.OneOf(
        Gen.Const((CheckHours?)null),
        Gen.Select(Gen.Int[1, 127], Gen.Int[0, 1_439], Gen.Int[0, 1_440])
            .Select(t =>
                (CheckHours?)
                    new CheckHours([.. Enumerable.Range(1, 7).Where(d => (t.Item1 & (1 << (d - 1))) != 0)], t.Item2, t.Item3)
            )
    );

    private static readonly Gen<RuleDefinition> Definitions =
        from quantity in Quantities
        from wrong in Wrongs
        from lasting in Lastings
        from keys in Names.List[0, 3]
        from times in Gen.Select(Lengths, Lengths, Gen.OneOf(Gen.Const(0L), Lengths))
        from noData in Gen.Enum<NoData>()
        from hours in Hours
        from zone in Gen.OneOf(Gen.Const("UTC"), Gen.Const("Europe/Lisbon"))
        select new RuleDefinition
        {
            Quantity = quantity,
            Condition = wrong,
            Duration = lasting,
            Keys = keys,
            InTheLast = times.Item1,
            CheckedEvery = times.Item2,
            Delay = times.Item3,
            NoData = noData,
            Hours = hours,
            Zone = zone,
        };

    [Fact]
    public void A_kept_definition_keeps_its_names_in_JSON()
    {
        const string Kept =
            """{"quantity":{"kind":"figure","query":"| group count() by host"},"wrong":{"kind":"beyond","below":false,"warning":3},"lasting":{"kind":"checks","count":2},"keys":[],"inTheLast":300000000000,"checkedEvery":60000000000,"delay":0,"noData":"quiet","zone":"UTC"}""";
        var definition = new RuleDefinition
        {
            Quantity = new ValueOf("| group count() by host"),
            Condition = new Beyond(false, 3, null),
            Duration = new ForChecks(2),
        };
        Assert.Equal(definition, RuleDefinition.FromJson(Kept));
        var written = definition.ToJson();
        foreach (
            var name in new[] { "quantity", "wrong", "lasting", "keys", "inTheLast", "checkedEvery", "delay", "noData", "zone" }
        )
            Assert.Contains($"\"{name}\":", written);
    }

    [Fact]
    public void Any_rule_prints_and_reads_back() =>
        Definitions.Sample(
            definition =>
            {
                var text = RuleText.Print(definition);
                var (read, problem) = RuleTextReader.Read(text);
                Assert.True(read is not null, problem + "\n" + text);
                Assert.Equal(definition, read);
                Assert.Equal(text, RuleText.Print(read!));
            },
            iter: Cases.Of(4_000)
        );

    [Fact]
    public void Any_rule_is_kept_as_json() =>
        Definitions.Sample(
            definition => Assert.Equal(definition, RuleDefinition.FromJson(definition.ToJson())),
            iter: Cases.Of(1_000)
        );

    [Fact]
    public void No_text_breaks_the_reader() =>
        Gen.Select(Definitions, Gen.Int[0, 200], Gen.Char["\" \nx0%:-"])
            .Sample(
                t =>
                {
                    var text = RuleText.Print(t.Item1);
                    var (read, problem) = RuleTextReader.Read(text.Insert(Math.Min(t.Item2, text.Length), t.Item3.ToString()));
                    Assert.True(read is null != problem is null);
                },
                iter: Cases.Of(4_000)
            );

    [Fact]
    public void It_reads_as_english()
    {
        var rule = new RuleDefinition
        {
            Quantity = new ShareOf("status >= 500", "exists(status)", 50),
            Condition = new Beyond(false, 0.02, 0.1),
            Duration = new ForShare(1.0 / 3, 15 * Instants.Minute),
            Keys = ["service"],
            InTheLast = 5 * Instants.Minute,
            CheckedEvery = Instants.Minute,
            Delay = 30 * Instants.Second,
            Hours = new CheckHours([1, 5], 330, 1_380),
            Zone = "Europe/Lisbon",
            NoData = NoData.Warn,
        };
        Assert.Equal(
            """
            share of
                status >= 500
            among at least 50 of
                exists(status)
            for each service
            in the last 5m, checked every 1m, 30s late
            is above 0.02 as a warning, above 0.1 as critical
            at 33.3333333333333% of the checks of 15m
            without data warn
            only Mon Fri from 05:30 to 23:00
            zone Europe/Lisbon

            """.ReplaceLineEndings("\n"),
            RuleText.Print(rule)
        );
    }

    [Theory]
    [InlineData("", "Line 1: Nothing is written")]
    [InlineData("count of\n    refused\nin the last 5m, checked every 1m", "Say what is wrong")]
    [InlineData(
        "count of\n    refused\nin the last 5q, checked every 1m\nis above 1 as critical",
        "Line 3: “5q” is no length of time"
    )]
    [InlineData("count of\n    refused\nis above x as critical", "Line 3: “x” is no number")]
    [InlineData("count of\n    refused\nis above 1 as critical\nzone Atlantis", "Line 4: “Atlantis” is no time zone")]
    [InlineData(
        "count of\n    refused\nin 5m, every 1m, 30s late\nis above 1 as critical",
        "Line 3: “in 5m, every 1m, 30s late” is written “in the last 5m, checked every 1m, 30s late” now"
    )]
    [InlineData(
        "count of\n    refused\nis above 1 as critical\nin 33% of the last 15m",
        "Line 4: “in 33% of the last 15m” is written “at 33% of the checks of 15m” now"
    )]
    [InlineData("weather", "Line 1: “weather” is nothing that can be looked at")]
    [InlineData("share of\n    a\nis above 1 as critical", "Write “among”")]
    [InlineData("count of\n    refused\nis above 1 as a warning, below 2 as critical", "is not understood")]
    [InlineData("count of\n    refused\nonly Mon Mox from 01:00 to 02:00", "“Mox” is no day")]
    [InlineData("count of\n    refused\nonly Mon from 01:00 to 99:00", "“99:00” is no time of day")]
    public void What_is_wrong_with_a_text_is_told_with_its_line(string text, string says) =>
        Assert.Contains(says, RuleTextReader.Read(text).Problem, StringComparison.Ordinal);

    private static readonly RuleDefinition Good = new()
    {
        Quantity = new CountOf("refused"),
        Condition = new Beyond(false, 2, 5),
        InTheLast = Instants.Minute,
        CheckedEvery = 10 * Instants.Second,
    };

    public static TheoryData<RuleDefinition, string> Senseless() =>
        new()
        {
            { Good with { Condition = new Beyond(false, null, null) }, "Set a limit" },
            { Good with { Condition = new Beyond(false, 5, 5) }, "must be above" },
            { Good with { Condition = new Beyond(true, 5, 9) }, "must be below" },
            { Good with { Condition = new Beyond(false, double.NaN, null) }, "A limit is a number" },
            { Good with { InTheLast = 5 * Instants.Second, CheckedEvery = 10 * Instants.Second }, "Look at the last" },
            { Good with { CheckedEvery = 5 * Instants.Second }, "Check every" },
            { Good with { CheckedEvery = 90 * Instants.Second }, "records are missed" },
            { Good with { InTheLast = Instants.Day + 1 }, "round number" },
            { Good with { Quantity = new CountOf("level >=") }, "Line 1" },
            { Good with { Quantity = new CountOf("| group count()") }, "before group" },
            { Good with { Quantity = new ValueOf("refused") }, "needs a figure" },
            { Good with { Quantity = new ValueOf("| group count() per 5m") }, "steps of its own" },
            { Good with { Quantity = new CountOf("terminal = :terminal") }, "is without a value" },
            { Good with { Quantity = new ValueOf("| group count() by host"), Keys = ["host"] }, "keys of this are its own" },
            { Good with { Quantity = new EachRecord("refused") }, "wrong by happening" },
            { Good with { Quantity = new EachRecord("from metrics"), Condition = new Occurs(AlertLevel.Warning) }, "one by one" },
            { Good with { Condition = new Occurs(AlertLevel.Critical) }, "Say what is wrong with the figure" },
            { Good with { Condition = new NewValue(AlertLevel.Warning, Instants.Day) }, "of which field" },
            {
                Good with
                {
                    Condition = new NewValue(AlertLevel.Warning, Instants.Second),
                    Keys = ["host"],
                },
                "at least as long as what is looked at"
            },
            { Good with { Condition = new Silent(AlertLevel.None, Instants.Day) }, "whether it is a warning or critical" },
            {
                Good with
                {
                    Condition = new Moved(Direction.High, MoveBy.Factor, Instants.Day, 0.5, null),
                },
                "A factor is more than 1"
            },
            { Good with { Condition = new Unusual(Direction.High, -1, null) }, "more than 0" },
            { Good with { Condition = new WillReach(false, double.NaN, Instants.Hour, 60, null) }, "Give the limit" },
            { Good with { Condition = new WillReach(false, 1, Instants.Second, 60, null) }, "at least two checks" },
            { Good with { Duration = new ForChecks(0) }, "1 to 500 checks" },
            { Good with { Duration = new ForShare(0, Instants.Hour) }, "more than 0" },
            { Good with { Duration = new ForShare(0.5, Instants.Second) }, "holds 1 to 500" },
            { Good with { Keys = ["a", "a"] }, "once" },
            { Good with { Delay = -1 }, "Wait up to" },
            { Good with { Hours = new CheckHours([], 0, 60) }, "at least one day" },
            {
                Good with
                {
                    Quantity = new InOrder([1], Instants.Minute, true),
                    Condition = new Occurs(AlertLevel.Critical),
                },
                "Choose 2 to"
            },
            { Good with { Quantity = new BurnRate(1, Instants.Hour) }, "shorter than the first" },
        };

    [Theory]
    [MemberData(nameof(Senseless))]
    public void Settings_that_make_no_sense_are_told(RuleDefinition definition, string says)
    {
        Assert.Empty(Good.Faults());
        Assert.Contains(definition.Faults(), f => f.Contains(says, StringComparison.Ordinal));
    }
}
