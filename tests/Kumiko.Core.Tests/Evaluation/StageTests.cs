using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Tests.Evaluation;

public class StageTests
{
    private static readonly long From = Sample.At("2026-11-23T17:00:00Z");
    private static readonly Window Hour = new(From, From + Instants.Hour);

    private static LogRecord At(int minute, params (string Name, Value Value)[] fields)
    {
        var record = Sample.With(fields);
        return new LogRecord
        {
            Time = From + (minute * Instants.Minute),
            Observed = 0,
            Body = record.Body,
            Attributes = record.Attributes,
            Sequence = minute,
        };
    }

    private static string[] Lines(string text, IEnumerable<LogRecord> records, Window? window = null, string zone = "UTC") =>
        [.. Oracle.Of(text, window ?? Hour, new EvaluationContext(Hour.To, DateTimeZoneProviders.Tzdb[zone])).Lines(records)];

    private static readonly LogRecord[] Counter =
    [
        At(1, ("c", Value.Of(100L))),
        At(11, ("c", Value.Of(130L))),
        At(21, ("c", Value.Of(10L))),
        At(41, ("c", Value.Of(40L))),
    ];

    [Fact]
    public void A_counter_that_begins_anew_goes_on_growing()
    {
        Assert.Equal(["Integer 4 | 70 | 0.0291666667"], Lines("| group count(), growth(c), per_second(c)", Counter));
        // The growth between two samples belongs to the step of the later one.
        Assert.Equal(
            ["missing", "30", "10", "missing", "30", "missing"],
            Lines("| group growth(c) as g per 10m | select g", Counter)
        );
    }

    [Fact]
    public void Rates_and_shares_know_their_step()
    {
        var records = Enumerable.Range(0, 60).Select(i => At(i, ("k", Value.Of(i % 4 == 0 ? "a" : "b"))));
        Assert.Equal(
            ["Text a | 0.25 | 0.00416666667", "Text b | 0.75 | 0.0125"],
            Lines("| group share() as s, per_second() as r by k | order by k | select k, s, r", records)
        );
    }

    [Fact]
    public void Top_ranks_over_the_whole_window_and_merges_the_rest()
    {
        var records = Enumerable
            .Range(0, 60)
            .Select(i => At(i, ("k", Value.Of(i < 30 ? "early" : "xyz"[i % 3].ToString())), ("n", Value.Of(i))))
            .ToList();
        Assert.Equal(["Text early | Integer 30"], Lines("| group count() as n by k | highest 1 k by n", records));
        var both = Lines("| group count() as c, p50(n) as m by k per 30m | highest 1 k by c with rest", records);
        Assert.Equal(4, both.Length);
        Assert.Contains(both, l => l.Contains("(rest) | Integer 30 | 44.5", StringComparison.Ordinal));
        Assert.Contains(both, l => l.Contains("early | Integer 0 | missing", StringComparison.Ordinal));
    }

    [Fact]
    public void Gaps_are_filled_as_asked_and_marked()
    {
        LogRecord[] records = [At(5, ("n", Value.Of(10L))), At(35, ("n", Value.Of(40L)))];
        const string Text = "| group avg(n) as n per 10m | select n | ";
        Assert.Equal(
            ["10", "missing", "missing", "40", "missing", "missing"],
            Lines("| group avg(n) as n per 10m | select n", records)
        );
        string[] Of(string gaps) => Lines($"| group avg(n) as n per 10m | gaps as {gaps} | select n", records);
        Assert.Equal(["10", "20 Filled", "30 Filled", "40", "missing", "missing"], Of("line"));
        Assert.Equal(["10", "missing", "missing", "40", "missing", "missing"], Of("line up to 1 steps"));
        Assert.Equal(["10", "10 Filled", "missing", "40", "40 Filled", "missing"], Of("last up to 1 steps"));
        Assert.Equal(["10", "Integer 0 Filled", "Integer 0 Filled", "40", "Integer 0 Filled", "Integer 0 Filled"], Of("0"));
        Assert.False(QueryParser.Parse(Text + "gaps as line").Ok);
    }

    [Fact]
    public void Days_of_a_change_of_clocks_are_one_step_each()
    {
        // Dublin put its clocks back on 25 October 2026, so that day had 25 hours.
        var window = new Window(Sample.At("2026-10-23T23:00:00Z"), Sample.At("2026-10-27T00:00:00Z"));
        var records = Enumerable
            .Range(0, 73)
            .Select(h => new LogRecord
            {
                Time = window.From + (h * Instants.Hour),
                Observed = 0,
                Sequence = h,
            });
        Assert.Equal(
            ["Integer 24", "Integer 25", "Integer 24"],
            Lines("| group count() as n per 1d | select n", records, window, "Europe/Dublin")
        );
    }

    [Fact]
    public void Steps_that_the_window_cuts_are_partial()
    {
        var window = new Window(From + (5 * Instants.Minute), From + (25 * Instants.Minute));
        var frame = Oracle.Of("| group count() per 10m", window).Collect([At(6)]);
        Assert.Equal([From, From + (20 * Instants.Minute)], frame.Schema.PartialSteps.Order());
        Assert.Empty(Oracle.Of("| group count() per 10m", Hour).Collect([]).Schema.PartialSteps);
    }

    [Fact]
    public void Joins_count_what_finds_no_partner_and_what_finds_several()
    {
        LogRecord[] records =
        [
            At(1, ("k", Value.Of(409L)), ("side", Value.Of("l"))),
            At(2, ("k", Value.Of("7")), ("side", Value.Of("l"))),
            At(3, ("side", Value.Of("l"))),
            At(4, ("k", Value.Of("409")), ("v", Value.Of("a"))),
            At(5, ("k", Value.Of(409L)), ("v", Value.Of("b"))),
            At(6, ("v", Value.Of("c"))),
        ];
        const string With = "with r = (exists(v)) side = l | ";
        Assert.Equal(["Integer 409 | Text b", "Integer 409 | Text a"], Lines(With + "join r on k | select k, r.v", records));
        Assert.Equal(
            ["missing | missing", "Text 7 | missing", "Integer 409 | Text b", "Integer 409 | Text a"],
            Lines(With + "join all r on k | select k, r.v", records)
        );
        var pipeline = Oracle.Of(With + "join all r on k", Hour).Build(records);
        _ = Oracle.Lines(pipeline, pipeline.Answer(records.Take(3).Select(pipeline.RowOf))).ToList();
        Assert.Equal((2, 1), (pipeline.Steps[0].Join!.Unmatched, pipeline.Steps[0].Join!.Multiplied));
        Assert.Equal(
            ["Text b | Text l", "Text a | Text l"],
            Lines("with l = (side = l) v = a or v = b | join l nearest time within 10m on k | select v, l.side", records)
        );
        Assert.Empty(Lines("with l = (side = l) exists(v) | join l nearest time within 1m on k", records));
    }

    [Fact]
    public void Joins_of_unequal_steps_are_refused() =>
        Assert.Contains(
            "have steps of 5m and 10m",
            Assert
                .Throws<QueryRefusedException>(() =>
                    Lines("with r = (| group count() as n per 10m) | group count() as n per 5m | join r on time", [At(1)])
                )
                .Message
        );

    [Fact]
    public void A_parameter_is_one_value_and_never_text_of_the_query()
    {
        LogRecord[] records = [At(1, ("k", Value.Of("a b"))), At(2, ("k", Value.Of("*"))), At(3, ("k", Value.Of(409L)))];
        int Count(string text, params (string, string)[] values) =>
            Oracle.Of(text, Hour, parameters: values.ToDictionary(v => v.Item1, v => v.Item2)).Records(records).Count();
        Assert.Equal(1, Count("k = :p", ("p", "a b")));
        Assert.Equal(1, Count("k = :p", ("p", "*")));
        Assert.Equal(1, Count("k = :p", ("p", "409")));
        Assert.Equal(0, Count("k = :p", ("p", "x or k = 409")));
        Assert.Equal(3, Count("k = :p?"));
        Assert.Equal(3, Count("not k = :p?"));
        Assert.Equal(2, Count("with p = 409 k != :p"));
        Assert.Equal(
            [new Parameter("p", false), new Parameter("q", true)],
            Parameters.WithoutValue(QueryParser.Parse("with r = 1 k = :p and j = :q? and l = :r | where k > :p").Query)
        );
    }

    [Fact]
    public void A_sketch_is_within_one_percent_and_says_so()
    {
        var random = new Random(7);
        var values = Enumerable.Range(0, 150_000).Select(_ => Math.Exp(random.NextDouble() * 12) - 50).ToArray();
        var records = values.Select((v, i) => At(1, ("v", Value.Of(v)), ("id", Value.Of(i))));
        var row = Oracle.Of("| group p50(v), p95(v), p99(v), distinct(id)", Hour).Collect(records).Rows[0];
        Array.Sort(values);
        foreach (var (value, share) in row.Zip([0.5, 0.95, 0.99]))
        {
            Assert.True(value.Marks.HasFlag(ValueMarks.Approximate));
            var exact = values[(int)Math.Round(share * (values.Length - 1))];
            Assert.InRange(value.AsDouble, exact - (Math.Abs(exact) * 0.01), exact + (Math.Abs(exact) * 0.01));
        }
        Assert.InRange(row[3].AsLong, 148_500, 151_500);
        Assert.True(row[3].Marks.HasFlag(ValueMarks.Approximate));
    }

    [Fact]
    public void Memory_is_limited_in_words()
    {
        var limits = Limits.Default with { Memory = 64 * 1024 };
        var records = Enumerable.Range(0, 50_000).Select(i => At(1, ("v", Value.Of(i))));
        Assert.Contains(
            "of memory",
            Assert.Throws<QueryRefusedException>(() => Oracle.Of("| group p95(v)", Hour, limits: limits).Collect(records)).Message
        );
    }

    [Fact]
    public void Order_with_a_limit_holds_only_what_it_gives()
    {
        var limits = Limits.Default with { Sorted = 100 };
        var records = Enumerable.Range(0, 5_000).Select(i => At(1, ("v", Value.Of(i * 7_919 % 5_000)))).ToList();
        Assert.Equal(
            [4999, 4998, 4997],
            Oracle
                .Of("| order by v desc | limit 3", Hour, limits: limits)
                .Records(records)
                .Select(r => r.Attributes.Get("v").AsLong)
        );
        Assert.Contains(
            "rows to sort",
            Assert
                .Throws<QueryRefusedException>(() =>
                    Oracle.Of("| order by v desc", Hour, limits: limits).Records(records).ToList()
                )
                .Message
        );
    }
}
