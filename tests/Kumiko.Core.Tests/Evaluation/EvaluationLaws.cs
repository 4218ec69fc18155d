using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Tests.Evaluation;

public class EvaluationLaws
{
    private static readonly EvaluationContext Context = new(0, DateTimeZone.Utc);

    private static readonly Gen<Value> AnyValue = Gen.OneOf(
        Gen.Long.Select(Value.Of),
        Gen.Double.Where(double.IsFinite).Select(Value.Of),
        Gen.Bool.Select(Value.Of),
        // The lowest int64 is a duration of 292 years that has no exact text; no sender has one.
        Gen.Long[-long.MaxValue, long.MaxValue].Select(Value.Duration),
        Gen.Long[0, long.MaxValue].Select(Value.Size),
        Gen.Long[-9_000_000_000_000_000_000, 9_000_000_000_000_000_000].Select(Value.Time),
        Gen.Int[1, 24].Select(Value.Level),
        Gen.OneOf(
                "Tarnhead",
                "two words",
                "409",
                "007",
                "812ms",
                "a*b",
                "a\\b",
                "true",
                "and",
                "x\"y",
                "naïve",
                "\u0001",
                "warn",
                "",
                "10%",
                "2026-11-23"
            )
            .Select(Value.Of),
        Gen.Const(Value.Missing)
    );

    private static Func<LogRecord, bool> Condition(Expr expr) =>
        new Compiler(Context, new RecordScope(new FieldRefs())).Condition(expr) is var test
            ? record => test(new Row(RowSource.Of(record), 0, []))
            : _ => false;

    private static readonly Gen<Value> Wholes = Gen.OneOf(
        Gen.Int[-1_000, 1_000].Select(n => Value.Of((long)n)),
        Gen.Long[-Instants.Hour, Instants.Hour].Select(Value.Of)
    );

    [Fact]
    public void The_spread_of_whole_numbers_does_not_hang_on_their_order_or_on_how_they_are_put_together() =>
        Gen.Select(Wholes.Array[0, 60], Gen.Int[0, 60], Gen.Int)
            .Sample((values, cut, seed) => Assert.Equal(Spread(values), InParts(values, cut, seed)), iter: Cases.Of(2_000));

    [Fact]
    public void That_of_any_numbers_is_the_root_of_their_mean_square_from_the_mean() =>
        Gen.Select(
                Gen.OneOf(
                    Wholes,
                    Gen.Int[0, 100_000].Select(n => Value.Of(n / 100.0)),
                    Gen.Long[1L << 42, 1L << 50].Select(Value.Of)
                ).Array[2, 60],
                Gen.Int[0, 60],
                Gen.Int
            )
            .Sample(
                (values, cut, seed) =>
                {
                    var mean = values.Average(v => v.AsDouble);
                    var expected = Math.Sqrt(values.Sum(v => (v.AsDouble - mean) * (v.AsDouble - mean)) / (values.Length - 1));
                    Assert.Equal(expected, Spread(values).AsDouble, expected * 1e-9);
                    Assert.Equal(expected, InParts(values, cut, seed).AsDouble, expected * 1e-9);
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void The_spread_of_decimals_far_from_zero_keeps_thirteen_digits() =>
        Gen.Select(Gen.Int[0, 1_000_000].Array[2, 60], Gen.Int[0, 60], Gen.Int)
            .Sample(
                (steps, cut, seed) =>
                {
                    // Exact in binary: quarters beyond 2^43.
                    Value[] values = [.. steps.Select(n => Value.Of(8_796_093_022_208.0 + (n / 4.0)))];
                    var (sum, squares) = (
                        steps.Aggregate(System.Numerics.BigInteger.Zero, (s, n) => s + n),
                        steps.Aggregate(System.Numerics.BigInteger.Zero, (s, n) => s + ((System.Numerics.BigInteger)n * n))
                    );
                    var expected =
                        Math.Sqrt((double)((squares * steps.Length) - (sum * sum)) / steps.Length / (steps.Length - 1)) / 4;
                    Assert.Equal(expected, Spread(values).AsDouble, expected * 1e-13);
                    Assert.Equal(Spread(values), InParts(values, cut, seed));
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void A_correlation_of_numbers_far_from_zero_is_that_of_their_differences() =>
        Gen.Select(Gen.Select(Gen.Int[0, 9_999], Gen.Int[0, 9_999]).Array[3, 60], Gen.Int[0, 60], Gen.Int)
            .Sample(
                (pairs, cut, seed) =>
                {
                    const long Far = 1_000_000_000_000_000;
                    (Value, Value)[] near = [.. pairs.Select(p => (Value.Of((long)p.Item1), Value.Of((long)p.Item2)))];
                    (Value, Value)[] far = [.. pairs.Select(p => (Value.Of(Far + p.Item1), Value.Of(Far + p.Item2)))];
                    Assert.Equal(Correlation(near), Correlation(far));
                    new Random(seed).Shuffle(far);
                    Assert.Equal(
                        Correlation(near),
                        Correlation(far[..Math.Min(cut, far.Length)], far[Math.Min(cut, far.Length)..])
                    );
                },
                iter: Cases.Of(2_000)
            );

    private static Value Correlation(params (Value A, Value B)[][] parts)
    {
        var all = new CorrelationAccumulator();
        foreach (var part in parts)
        {
            var of = new CorrelationAccumulator();
            foreach (var (a, b) in part)
                of.Add(a, b, default);
            all.Merge(of);
        }
        return all.Result(default);
    }

    [Theory]
    [InlineData("min")]
    [InlineData("max")]
    public void An_extreme_is_never_minus_zero(string aggregate)
    {
        foreach (var values in new[] { new[] { -0.0 }, [0.0, -0.0], [-0.0, 0.0] })
        {
            var extreme = new ExtremeAccumulator(aggregate == "min" ? -1 : 1);
            foreach (var value in values)
                extreme.Add(Value.Of(value), Value.Missing, default);
            Assert.False(double.IsNegative(extreme.Result(default).AsDouble));
            var totals = new ExtremeAccumulator(-1);
            totals.Add(new SampleTotals(1, 1, 0, -0.0, -0.0));
            Assert.Equal("0", totals.Result(default).ToText());
        }
    }

    private static Value Spread(IEnumerable<Value> values)
    {
        var spread = new SpreadAccumulator();
        foreach (var value in values)
            spread.Add(value, Value.Missing, default);
        return spread.Result(default);
    }

    private static Value InParts(Value[] values, int cut, int seed)
    {
        var shuffled = values.ToArray();
        new Random(seed).Shuffle(shuffled);
        var (first, second) = (new SpreadAccumulator(), new SpreadAccumulator());
        foreach (var value in shuffled.Take(cut))
            first.Add(value, Value.Missing, default);
        foreach (var value in shuffled.Skip(cut))
            second.Add(value, Value.Missing, default);
        first.Merge(second);
        return first.Result(default);
    }

    [Fact]
    public void A_condition_that_pointing_writes_holds_for_the_value_pointed_at() =>
        AnyValue
            .Where(v => !v.IsMissing)
            .Sample(
                value =>
                {
                    var record = Sample.With(("field", value));
                    var text = QueryEdits.With("", "field", value, excluded: false).Text;
                    var parsed = QueryParser.Parse(text);
                    Assert.True(parsed.Ok, text);
                    Assert.True(Condition(parsed.Query.Match!)(record), $"{text} for {value.Kind} {value}");
                    Assert.False(
                        Condition(QueryParser.Parse(QueryEdits.With("", "field", value, excluded: true).Text).Query.Match!)(
                            record
                        ),
                        text
                    );
                },
                iter: Cases.Of(5_000)
            );

    [Fact]
    public void Sorting_is_a_total_order() =>
        Gen.Select(AnyValue, AnyValue, AnyValue)
            .Sample(
                (a, b, c) =>
                {
                    int Sign(Value x, Value y) => Math.Sign(Comparison.Sort(x, y));
                    Assert.Equal(0, Sign(a, a));
                    Assert.Equal(Sign(a, b), -Sign(b, a));
                    if (Sign(a, b) <= 0 && Sign(b, c) <= 0)
                        Assert.True(Sign(a, c) <= 0);
                },
                iter: Cases.Of(5_000)
            );

    [Fact]
    public void Missing_is_last_and_equal_to_nothing() =>
        AnyValue.Sample(
            value =>
            {
                Assert.True(Comparison.Sort(value, Value.Missing) <= 0);
                Assert.False(Comparison.AreEqual(value, Value.Missing));
                Assert.Null(Comparison.Order(value, Value.Missing));
                foreach (var op in "+-*/%")
                    Assert.True(Scalars.Arithmetic(op, value, Value.Missing).IsMissing);
            },
            iter: Cases.Of(1_000)
        );

    [Fact]
    public void Arithmetic_never_throws_and_sums_go_both_ways() =>
        Gen.Select(AnyValue, AnyValue)
            .Sample(
                (a, b) =>
                {
                    foreach (var op in "+-*/%")
                        Scalars.Arithmetic(op, a, b);
                    Assert.Equal(Scalars.Arithmetic('+', a, b), Scalars.Arithmetic('+', b, a));
                    Assert.Equal(Scalars.Arithmetic('*', a, b), Scalars.Arithmetic('*', b, a));
                    Assert.True(Scalars.Arithmetic('/', a, Value.Of(0L)).IsMissing);
                },
                iter: Cases.Of(5_000)
            );

    [Fact]
    public void A_searched_word_is_found_exactly_where_a_plain_look_finds_it() =>
        Gen.Select(Gen.OneOf("ab", "a", "b_", "a-b", "-", "a b"), Gen.String[Gen.OneOf('a', 'b', 'A', '_', '-', ' ', '7'), 0, 14])
            .Sample(
                (word, text) =>
                {
                    static bool Token(char c) => char.IsLetterOrDigit(c) || c == '_';
                    var expected = Enumerable
                        .Range(0, text.Length)
                        .Any(at =>
                            at + word.Length <= text.Length
                            && text.AsSpan(at, word.Length).Equals(word, StringComparison.OrdinalIgnoreCase)
                            && (at == 0 || !Token(text[at - 1]) || !Token(word[0]))
                            && (at + word.Length == text.Length || !Token(text[at + word.Length]) || !Token(word[^1]))
                        );
                    Assert.Equal(expected, new TermMatcher(new Term(word, true)).Find(text, 0, out _) >= 0);
                },
                iter: Cases.Of(20_000)
            );

    [Fact]
    public void A_wildcard_matches_what_its_regex_matches() =>
        Gen.Select(
                Gen.String[Gen.OneOf('a', 'b', '*'), 1, 7].Where(p => p.Contains('*')),
                Gen.String[Gen.OneOf('a', 'b', '\n'), 0, 9]
            )
            .Sample(
                (pattern, text) =>
                {
                    var regex = "^" + pattern.Replace("*", ".*", StringComparison.Ordinal) + "\\z";
                    Assert.Equal(
                        System.Text.RegularExpressions.Regex.IsMatch(
                            text,
                            regex,
                            System.Text.RegularExpressions.RegexOptions.Singleline
                        ),
                        Wildcard.Parse(pattern)!.IsWhole(text)
                    );
                },
                iter: Cases.Of(10_000)
            );

    [Fact]
    public void Grouping_agrees_with_a_plain_count() =>
        Gen.Int[0, 100_000]
            .List[0, 60]
            .Sample(
                seeds =>
                {
                    var records = seeds.Select(s => Sample.Random(s)).ToList();
                    var frame = Oracle
                        .Of(
                            "| group count() as n, distinct(service) as d, min(http.status) as low by terminal, level",
                            new Window(0, long.MaxValue),
                            Context
                        )
                        .Collect(records);
                    string Key(Value terminal, Value level) => $"{terminal.IsMissing}{terminal.ToText()}|{level.ToText()}";
                    var expected = records
                        .GroupBy(r => Key(r.Attributes.Get("terminal"), Value.Level(r.SeverityNumber)))
                        .ToDictionary(g => g.Key, g => (long)g.Count());
                    Assert.Equal(
                        expected.OrderBy(e => e.Key, StringComparer.Ordinal),
                        frame
                            .Rows.ToDictionary(r => Key(r[0], r[1]), r => r[2].AsLong)
                            .OrderBy(e => e.Key, StringComparer.Ordinal)
                    );
                    Assert.All(frame.Rows, r => Assert.InRange(r[3].AsLong, 0, 1));
                },
                iter: Cases.Of(300)
            );

    [Fact]
    public void Steps_cover_the_window_once_in_every_zone() =>
        Gen.Select(
                Gen.Long[0, 400 * 24],
                Gen.Long[1, 2_000],
                Gen.OneOf(Steps.Round.Where(s => s >= Instants.Minute).ToArray()),
                Gen.OneOf("UTC", "Europe/Dublin", "Australia/Lord_Howe", "Asia/Kathmandu", "America/St_Johns")
            )
            .Sample(
                (hour, minutes, step, zone) =>
                {
                    var from = Sample.At("2026-01-01T00:00:00Z") + (hour * Instants.Hour);
                    var window = new Window(from, from + (minutes * Instants.Minute));
                    var steps = Steps.Cut(window, step, DateTimeZoneProviders.Tzdb[zone]);
                    Assert.True(steps.Starts[0] <= window.From);
                    Assert.True(steps.Starts[^1] < window.To);
                    Assert.Equal(steps.Starts, steps.Starts.Distinct().Order());
                    for (var i = 0; i < 20; i++)
                    {
                        var time = window.From + (window.Length * i / 20);
                        var at = steps.IndexOf(time);
                        Assert.True(steps.Starts[at] <= time && (at + 1 == steps.Starts.Count || time < steps.Starts[at + 1]));
                    }
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void A_round_step_gives_no_more_steps_than_asked() =>
        Gen.Select(Gen.Long[1, 400_000_000], Gen.Int[1, 500])
            .Sample(
                (seconds, most) =>
                {
                    var window = new Window(0, seconds * Instants.Second);
                    Assert.True(window.Length / Steps.RoundFor(window, most) <= most);
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void Days_have_their_own_length_when_clocks_change()
    {
        var dublin = DateTimeZoneProviders.Tzdb["Europe/Dublin"];
        var window = new Window(Sample.At("2026-10-24T12:00:00Z"), Sample.At("2026-10-27T12:00:00Z"));
        var starts = Steps.Cut(window, Instants.Day, dublin).Starts;
        Assert.Equal([24, 25, 24], starts.Zip(starts.Skip(1)).Select(p => (int)((p.Second - p.First) / Instants.Hour)));
    }
}
