using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;
using NodaTime;

namespace Kumiko.Core.Tests.Workbench;

/// <summary>Named series and formulas over them, on answers that the test gives.</summary>
public class BoardTests
{
    private static readonly EvaluationContext Context = new(0, DateTimeZone.Utc);

    internal static Frame Steps(string[] keys, string unit, long step, params (long Step, string[] Keys, double? Value)[] rows) =>
        new(
            new Schema(
                [
                    new Column("time", ColumnRole.Time, ValueKind.Time),
                    .. keys.Select(k => new Column(k, ColumnRole.Key)),
                    new Column("value", ColumnRole.Value, ValueKind.Decimal) { Unit = unit },
                ],
                step,
                new Window(0, 10 * step)
            ),
            [
                .. rows.Select(r =>
                    (Value[])
                        [
                            Value.Time(r.Step * step),
                            .. r.Keys.Select(k => Value.Of(k)),
                            r.Value is { } v ? Value.Of(v) : Value.Missing,
                        ]
                ),
            ]
        );

    private static SeriesBoard Board(Dictionary<string, Frame> answers, params NamedSeries[] series) =>
        new(series, Context, parsed =>
            Task.FromResult(answers.First(a => parsed.Text.Contains(a.Key, StringComparison.Ordinal)).Value)
        );

    private static readonly Dictionary<string, Frame> Notices = new()
    {
        ["notices.arrived"] = Steps(
            ["terminal"],
            "{notice}",
            Instants.Minute,
            (0, ["Lindle"], 10),
            (1, ["Lindle"], 20),
            (0, ["Orra"], 8),
            (1, ["Orra"], 0)
        ),
        ["notices.shown"] = Steps(
            ["terminal"],
            "{notice}",
            Instants.Minute,
            (0, ["Lindle"], 5),
            (1, ["Lindle"], 20),
            (0, ["Orra"], 6)
        ),
        ["limit"] = Steps([], "{notice}", Instants.Minute, (0, [], 100), (1, [], 200)),
        ["by.host"] = Steps(["host"], "", Instants.Minute, (0, ["gate-t1"], 1)),
        ["hourly"] = Steps(["terminal"], "", Instants.Hour, (0, ["Lindle"], 1)),
    };

    private static NamedSeries Query(string name, string of) => new(name, $"from metrics name = {of} | group sum(value) per 1m");

    [Fact]
    public async Task A_formula_is_matched_by_time_and_keys_whatever_the_order_of_names()
    {
        var board = Board(
            Notices,
            new NamedSeries("unshown", "(arrived - shown) / arrived"),
            Query("arrived", "notices.arrived"),
            Query("shown", "notices.shown")
        );
        var answer = await board.Answer("unshown");
        Assert.Null(answer.Problem);
        Assert.Equal(
            ["0 Lindle 0.5", "0 Orra 0.25", "1 Lindle 0", "1 Orra "],
            answer
                .Frame!.Rows.Select(r => $"{r[0].AsLong / Instants.Minute} {r[1]} {(r[2].IsMissing ? "" : r[2].ToText())}")
                .Order()
        );
        // A share of two alike.
        Assert.Equal("1", answer.Frame.Schema.Columns[^1].Unit);
        Assert.Equal(["shown has no value at 1 of 4 steps."], answer.Notes);
        Assert.Equal(["arrived", "shown"], board.Needs("unshown").Order());
    }

    [Fact]
    public async Task A_part_without_keys_counts_for_all_of_them()
    {
        var answer = await Board(
                Notices,
                Query("arrived", "notices.arrived"),
                Query("most", "limit"),
                new NamedSeries("part", "arrived / most + 0")
            )
            .Answer("part");
        Assert.Equal([0.1, 0.1, 0.08, 0], answer.Frame!.Rows.Select(r => r[^1].AsDouble).OrderByDescending(v => v));
    }

    [Theory]
    [InlineData(
        "arrived / other",
        "by.host",
        "other is told apart by host and arrived by terminal. Group both by the same fields."
    )]
    [InlineData("arrived / other", "hourly", "other has steps of 1h and arrived of 1m. Give both the same step.")]
    [InlineData("arrived / othr", "hourly", "There is no series othr. Did you mean other?")]
    [InlineData("arrived / nothing_like_it", "hourly", "There is no series nothing_like_it. Add one of this name.")]
    public async Task What_does_not_match_is_said_in_a_sentence(string formula, string other, string problem) =>
        Assert.Equal(
            problem,
            (
                await Board(Notices, Query("arrived", "notices.arrived"), Query("other", other), new NamedSeries("f", formula))
                    .Answer("f")
            ).Problem
        );

    [Fact]
    public async Task Circles_are_refused_with_their_way()
    {
        var board = Board(
            Notices,
            new NamedSeries("a", "b + 1"),
            new NamedSeries("b", "c * 2"),
            new NamedSeries("c", "a - 1"),
            new NamedSeries("own", "own + 1")
        );
        Assert.Equal(
            "a needs b, which needs c, which needs a: that goes round in a circle. Change one of them.",
            (await board.Answer("a")).Problem
        );
        Assert.StartsWith("own needs own: that goes round", (await board.Answer("own")).Problem);
    }

    [Fact]
    public async Task Copies_of_copies_end_before_they_are_too_many()
    {
        var asked = 0;
        var chain = Enumerable
            .Range(1, 12)
            .Select(i => new NamedSeries("e" + i) { Earlier = new EarlierOf(i == 1 ? "n" : "e" + (i - 1), $"{i * 7}m{i}s", 8) });
        var board = new SeriesBoard([Query("n", "limit"), .. chain], Context, _ =>
        {
            Interlocked.Increment(ref asked);
            return Task.FromResult(Notices["limit"]);
        });
        Assert.Contains("copies of copies", (await board.Answer("e12")).Problem);
        Assert.InRange(asked, 0, 1_000);
        Assert.Contains(
            "a hundred years",
            (
                await Board(Notices, Query("n", "limit"), new NamedSeries("ages") { Earlier = new EarlierOf("n", "80000d", 8) })
                    .Answer("ages")
            ).Problem
        );
    }

    [Fact]
    public async Task A_broken_part_breaks_what_is_made_of_it_and_says_so()
    {
        var board = Board(
            Notices,
            new NamedSeries("bad", "from metrics name ="),
            new NamedSeries("f", "bad * 2"),
            new NamedSeries("empty"),
            new NamedSeries("still", "| group count() by host")
        );
        Assert.StartsWith("Line 1, column 19: A value is missing after =.", (await board.Answer("bad")).Problem);
        Assert.StartsWith("bad has no answer: ", (await board.Answer("f")).Problem);
        Assert.StartsWith("Write a query", (await board.Answer("empty")).Problem);
        Assert.Equal("There is no series nobody.", (await board.Answer("nobody")).Problem);
    }

    [Fact]
    public async Task Records_alone_are_counted_and_conditions_of_a_set_come_in()
    {
        var asked = new List<string>();
        var board = new SeriesBoard([new NamedSeries("n", "level >= error")], Context, parsed =>
        {
            asked.Add(parsed.Text.ReplaceLineEndings(" "));
            return Task.FromResult(Notices["limit"]);
        });
        await board.Answer("n");
        await board.Answer("n");
        await board.Answer("n", 7 * Instants.Day);
        await board.Answer("n", 0, "host = gate-t3");
        Assert.Equal(
            [
                "level >= error | group count() per auto",
                "from logs earlier 1w level >= error | group count() per auto",
                "level >= error and host = gate-t3 | group count() per auto",
            ],
            asked
        );
    }

    [Fact]
    public async Task Earlier_copies_are_a_mean_and_a_range_and_peers_a_band()
    {
        var board = Board(
            Notices,
            Query("arrived", "notices.arrived"),
            new NamedSeries("weeks") { Earlier = new EarlierOf("arrived", "7d", 3) },
            new NamedSeries("beside") { Peers = new PeersOf("arrived", "terminal", "Lindle") },
            new NamedSeries("bad") { Earlier = new EarlierOf("arrived", "soon") },
            new NamedSeries("stranger") { Peers = new PeersOf("arrived", "host", "x") },
            new NamedSeries("nobody") { Peers = new PeersOf("arrived", "terminal", "Atlantis") }
        );
        var weeks = (await board.Answer("weeks")).Frame!;
        Assert.Equal(["time", "terminal", "weeks", "weeks low", "weeks high"], weeks.Schema.Columns.Select(c => c.Name));
        Assert.Contains(weeks.Rows, r => r[1].ToText() == "Lindle" && r[2].AsDouble == 20 && r[3].AsDouble == 20);
        var beside = (await board.Answer("beside")).Frame!;
        Assert.Equal([10, 20], beside.Rows.Select(r => r[beside.Schema.IndexOf("beside")].AsDouble));
        Assert.Equal([8, 0], beside.Rows.Select(r => r[beside.Schema.IndexOf("beside mean of the others")].AsDouble));
        Assert.Contains("no length of time", (await board.Answer("bad")).Problem);
        Assert.Equal("arrived is not told apart by host. Group it by host.", (await board.Answer("stranger")).Problem);
        Assert.Equal(["Nothing here has terminal Atlantis."], (await board.Answer("nobody")).Notes);
    }

    [Fact]
    public void Random_series_match_as_the_naive_look_by_look_does()
    {
        var rows = Gen.Select(Gen.Int[0, 5], Gen.Int[0, 3], Gen.Double[1, 100]).Array[0, 24];
        Gen.Select(rows, rows, Gen.Bool)
            .Sample(
                (a, b, keyed) =>
                {
                    static (long, string[], double?)[] Distinct((int, int, double)[] of, bool keys) =>
                        [
                            .. of.DistinctBy(r => (r.Item1, keys ? r.Item2 : 0))
                                .Select(r =>
                                    ((long)r.Item1, keys ? new[] { "k" + r.Item2 } : Array.Empty<string>(), (double?)r.Item3)
                                ),
                        ];
                    var (x, y) = (Distinct(a, true), Distinct(b, keyed));
                    var formula = SeriesFormula.Read("coalesce(x, 0) * 10 + y", ["x", "y"], out _)!;
                    var (frame, problem, _) = FormulaFrames.Of(
                        "f",
                        formula,
                        [("x", Steps(["k"], "", 1, x)), ("y", Steps(keyed ? ["k"] : [], "", 1, y))],
                        Context
                    );
                    if (problem is not null)
                        return false;
                    // Of every place that any part with all keys has.
                    var places = x.Select(r => (r.Item1, r.Item2[0]))
                        .Concat(keyed ? y.Select(r => (r.Item1, r.Item2[0])) : [])
                        .Distinct();
                    var naive = places
                        .Select(p =>
                        {
                            var of = x.Where(r => r.Item1 == p.Item1 && r.Item2[0] == p.Item2)
                                .Select(r => r.Item3)
                                .FirstOrDefault();
                            var other = y.Where(r => r.Item1 == p.Item1 && (!keyed || r.Item2[0] == p.Item2))
                                .Select(r => r.Item3)
                                .FirstOrDefault();
                            return (p.Item1, p.Item2, Value: other is { } o ? ((of ?? 0) * 10) + o : (double?)null);
                        })
                        .Order()
                        .ToList();
                    var found = frame!
                        .Rows.Select(r => (r[0].AsLong, r[1].ToText(), r[2].IsMissing ? (double?)null : r[2].AsDouble))
                        .Order()
                        .ToList();
                    return naive.SequenceEqual(found);
                }
            );
    }

    [Fact]
    public void A_renamed_series_is_renamed_in_formulas_and_nowhere_else()
    {
        Assert.Equal("(came - shown) / came", SeriesFormula.Renamed("(arrived - shown) / arrived", "arrived", "came"));
        Assert.Equal(
            "from metrics name = arrived | group count() per 1m",
            SeriesFormula.Renamed("from metrics name = arrived | group count() per 1m", "arrived", "came")
        );
        Assert.Equal(
            "if(came > 0, \"arrived\", shown)",
            SeriesFormula.Renamed("if(arrived > 0, \"arrived\", shown)", "arrived", "came")
        );
    }

    [Fact]
    public void Which_part_moved_is_told_from_the_means_of_its_parts()
    {
        var formula = SeriesFormula.Read("(arrived - shown) / arrived", ["arrived", "shown"], out _)!;
        Frame Of(double lindle, double orra) =>
            Steps(["terminal"], "", 1, (0, ["Lindle"], lindle), (1, ["Lindle"], lindle), (0, ["Orra"], orra));
        var moved = WhichPart.Of(
            formula,
            new Dictionary<string, Frame> { ["arrived"] = Of(100, 50), ["shown"] = Of(60, 30) },
            new Dictionary<string, Frame> { ["arrived"] = Of(100, 50), ["shown"] = Of(20, 30) },
            [("terminal", Value.Of("Lindle"))],
            Context
        )!;
        Assert.Equal((0.4, 0.8), (Math.Round(moved.Before, 9), Math.Round(moved.After, 9)));
        Assert.Equal(("shown", 1.0), (moved.Parts[0].Name, Math.Round(moved.Parts[0].Share!.Value, 9)));
        Assert.Null(
            WhichPart.Of(
                formula,
                new Dictionary<string, Frame> { ["arrived"] = Of(0, 0), ["shown"] = Of(1, 1) },
                new Dictionary<string, Frame> { ["arrived"] = Of(1, 1), ["shown"] = Of(1, 1) },
                [],
                Context
            )
        );
    }

    [Fact]
    public void What_moves_with_a_series_comes_first_and_chance_is_said()
    {
        var random = new Random(4);
        double Wave(int i) => Math.Sin(i / 5.0) + (0.3 * random.NextDouble());
        (long, string[], double?)[] Line(string host, Func<int, double> of) =>
            [.. Enumerable.Range(0, 150).Select(i => ((long)i, new[] { host }, (double?)of(i)))];
        var one = Enumerable.Range(0, 150).ToDictionary(i => (long)i * Instants.Minute, Wave);
        var found = Together.MovesWith(
            one,
            [
                (
                    "queue",
                    Steps(
                        ["host"],
                        "",
                        Instants.Minute,
                        [.. Line("notice-1", i => 5 * Wave(i - 3)), .. Line("notice-2", _ => random.NextDouble())]
                    )
                ),
            ]
        );
        Assert.Equal(["notice-1", "notice-2"], found.Select(f => f.Keys[0].Value.ToText()));
        Assert.Equal(3, found[0].With.Lag);
        Assert.NotEqual("may be chance", found[0].Sure);
        Assert.Equal("may be chance", found[1].Sure);
    }
}
