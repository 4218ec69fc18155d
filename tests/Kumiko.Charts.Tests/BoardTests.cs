using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;

namespace Kumiko.Charts.Tests;

/// <summary>Several frames in one picture, what is laid over them, and a chart's specification as people keep it.</summary>
public class BoardTests
{
    private static readonly long From = Frames.At("2026-11-23T17:00:00Z");

    private static Frame Line(string name, string[] keys, string unit, params double?[] values)
    {
        var step = 5 * Instants.Minute;
        return new Frame(
            new Schema(
                [
                    new Column("time", ColumnRole.Time, ValueKind.Time),
                    .. keys.Length > 0 ? [new Column("terminal", ColumnRole.Key)] : Array.Empty<Column>(),
                    new Column(name, ColumnRole.Value, ValueKind.Decimal) { Unit = unit },
                ],
                step,
                new Window(From, From + (values.Length * step))
            ),
            [
                .. values.SelectMany(
                    (v, i) =>
                        (keys.Length > 0 ? keys : [""]).Select(k =>
                            (Value[])
                                [
                                    Value.Time(From + (i * step)),
                                    .. keys.Length > 0 ? [Value.Of(k)] : Array.Empty<Value>(),
                                    v is { } x ? Value.Of(x) : Value.Missing,
                                ]
                        )
                ),
            ]
        );
    }

    [Fact]
    public void Series_of_several_frames_share_an_axis_of_time_and_keep_their_own_looks()
    {
        var spec = new ChartSpec
        {
            Form = ChartForms.Line,
            Layers =
            [
                new LayerSpec("unshown") { Decimals = 0 },
                new LayerSpec("delay", ChartForms.Area, Side.Right)
                {
                    Slot = 1,
                    Stroke = Stroke.Dotted,
                    Unit = "s",
                },
            ],
            Right = new AxisSpec("delay, highest"),
        };
        var drawing = Chart.Draw(
            [Line("unshown", ["Lindle", "Orra"], "1", 0.2, 0.25, 0.8), Line("delay", [], "", 60, 120, 240)],
            spec,
            Frames.View()
        )!;
        Assert.Equal(
            ["Lindle unshown", "Orra unshown", "delay"],
            drawing.Legend.Select(l => l.Name).Order(StringComparer.Ordinal).ToArray()
        );
        var delay = drawing.Legend.Single(l => l.Name == "delay");
        Assert.Equal("series-1 dotted", delay.Style);
        Assert.Equal("4 min", delay.Write(240));
        Assert.Equal("80\u2009%", drawing.Legend.First(l => l.Column == "unshown").Write(0.8));
        Assert.Contains(drawing.Marks, m => m is PathMark { Style: "area series-1 dotted" });
        Assert.Contains(drawing.Marks.OfType<TextMark>(), t => t is { Text: "delay, highest", Turned: true });
        // Both axes have ticks in their own units.
        Assert.Contains(drawing.Marks.OfType<TextMark>(), t => t.Style == "tick" && t.Text.EndsWith('%'));
        Assert.Contains(drawing.Marks.OfType<TextMark>(), t =>
            t.Style == "tick" && t.Text.Contains("min", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_ghost_has_the_colour_of_what_it_stands_behind_and_a_range_lies_around_its_line()
    {
        var usual = Line("n usual", ["Lindle"], "", 2, 2, 2);
        var band = new Frame(
            usual.Schema with
            {
                Columns =
                [
                    usual.Schema.Columns[0],
                    usual.Schema.Columns[1],
                    new Column("old", ColumnRole.Value),
                    new Column("old low", ColumnRole.Value),
                    new Column("old high", ColumnRole.Value),
                ],
            },
            [.. usual.Rows.Select(r => new[] { r[0], r[1], Value.Of(5.0), Value.Of(3.0), Value.Of(9.0) })]
        );
        var spec = new ChartSpec
        {
            Form = ChartForms.Line,
            Layers =
            [
                new LayerSpec("n usual") { GhostOf = "n" },
                new LayerSpec("old low") { Until = "old high", GhostOf = "old" },
            ],
        };
        var drawing = Chart.Draw([Line("n", ["Lindle"], "", 1, 2, 3), usual, band], spec, Frames.View())!;
        string Colour(string column) => drawing.Legend.Single(l => l.Column == column).Style.Split(' ')[0];
        Assert.Equal(Colour("n"), Colour("n usual"));
        Assert.EndsWith(" ghost", drawing.Legend.Single(l => l.Column == "n usual").Style);
        Assert.DoesNotContain(drawing.Legend, l => l.Column is "old low" or "old high");
        var spread = Assert.Single(drawing.Marks.OfType<PathMark>(), m => m.Style.StartsWith("spread", StringComparison.Ordinal));
        Assert.Equal("spread " + Colour("old"), spread.Style);
        // Its edges are the values low and high: six corners for three steps.
        Assert.Equal(6, spread.Pieces.Single().Count);
        Assert.Equal(2, spread.Pieces.Single().Select(p => Math.Round(p.Y, 3)).Distinct().Count());
    }

    [Fact]
    public void What_is_around_the_focus_is_muted_and_no_part_of_its_figures()
    {
        var step = 5 * Instants.Minute;
        var view = Frames.View() with { Focus = new Window(From + (2 * step), From + (4 * step)) };
        var drawing = Chart.Draw([Line("n", [], "", 100, 100, 1, 3, 100, 100)], Frames.Spec(), view)!;
        var figures = drawing.Legend.Single().Figures!;
        Assert.Equal(
            (3.0, 1.0, 2.0, 3.0, 4.0, 2),
            (figures.Last, figures.Min, figures.Mean, figures.Max, figures.Sum, figures.Steps)
        );
        Assert.Equal(2, drawing.Marks.Count(m => m.Style == "muted"));
        Assert.Equal(
            [drawing.Plot!.X(view.Focus.Value.From), drawing.Plot.X(view.Focus.Value.To)],
            drawing.Marks.OfType<LineMark>().Where(m => m.Style == "edge").Select(m => m.X1)
        );
    }

    [Fact]
    public void Changes_alerts_pins_and_counts_stand_where_their_times_are()
    {
        var at = From + (7 * Instants.Minute);
        var over = new ChartOver
        {
            Events =
            [
                new ChartEvent(at - 1, "too near to be told"),
                new ChartEvent(at, "consumers 3 → 2"),
                new ChartEvent(at + Instants.Day, "elsewhere"),
                new ChartEvent(From + (20 * Instants.Minute), "seen", "pin"),
            ],
            Spans = [new ChartSpan(at, at + (10 * Instants.Minute), "gate refusals", "critical")],
            Counts = new ChartCounts([(From, 4), (From + (5 * Instants.Minute), 8)], "records"),
        };
        var drawing = Chart.Draw([Line("n", [], "", 1, 2, 3, 4, 5, 6)], Frames.Spec(), Frames.View() with { Over = over })!;
        var x = drawing.Plot!.X(at);
        Assert.Contains(drawing.Marks, m => m is LineMark { Style: "change-line" } line && line.X1 == x);
        Assert.Equal(
            ["consumers 3 → 2", "seen"],
            drawing.Marks.OfType<TextMark>().Where(t => t.Style == "event-label" && t.Text != "gate refusals").Select(t => t.Text)
        );
        // Told on hover all the same.
        Assert.Contains(drawing.Marks, m => m.Tip?.EndsWith("too near to be told", StringComparison.Ordinal) == true);
        Assert.Contains(drawing.Marks, m => m is RectMark { Style: "lasting critical" } bar && Math.Abs(bar.X - x) < 0.001);
        var columns = drawing.Marks.OfType<RectMark>().Where(m => m.Style == "behind").ToList();
        Assert.Equal(2, columns.Count);
        Assert.Equal(columns[0].Height * 2, columns[1].Height, 6);
        Assert.All(drawing.Marks.OfType<LineMark>().Where(m => m.Style == "change-line"), m =>
            Assert.InRange(m.X1, drawing.Plot.Left, drawing.Plot.Right)
        );
    }

    [Fact]
    public void Small_multiples_of_two_series_have_one_legend_for_all()
    {
        var drawing = Chart.Draw(
            [Line("came", ["Lindle", "Orra"], "", 1, 2), Line("shown", ["Lindle", "Orra"], "", 1, 1)],
            new ChartSpec { Form = ChartForms.Line, MultiplesBy = "terminal" },
            Frames.View()
        )!;
        Assert.Equal(["came", "came", "shown", "shown"], drawing.Legend.Select(l => l.Name).Order());
        // What is called the same has the same colour in each; each line stands for its own chart too.
        Assert.Equal(2, drawing.Legend.Select(l => (l.Name, l.Style)).Distinct().Count());
        Assert.All(drawing.Marks.OfType<PathMark>().Where(m => m.Of is not null), m =>
            Assert.Equal("terminal", drawing.Legend[m.Of!.Value].Keys[0].Name)
        );
        Assert.Equal([0, 1, 2, 3], drawing.Marks.OfType<PathMark>().Select(m => m.Of).OfType<int>().Distinct().Order());
        Assert.Equal(
            ["Lindle", "Orra"],
            drawing.Marks.OfType<TextMark>().Where(t => t.Style == "multiple-name").Select(t => t.Text)
        );
    }

    [Fact]
    public void Other_forms_take_what_has_the_keys_of_the_first()
    {
        var merged = Chart.Merged([
            Line("a", ["Lindle"], "", 1, 2),
            Line("b", ["Lindle"], "", 3, 4),
            Line("alone", [], "", 9, 9),
        ]);
        Assert.Equal(["time", "terminal", "a", "b"], merged.Schema.Columns.Select(c => c.Name));
        Assert.Equal([(1.0, 3.0), (2.0, 4.0)], merged.Rows.Select(r => (r[2].AsDouble, r[3].AsDouble)));
        var ranking = Chart.Draw(
            [Line("a", ["Lindle", "Orra"], "1", 0.2, 0.4)],
            new ChartSpec { Form = ChartForms.Ranking, Reduce = Reduction.Mean },
            Frames.View()
        )!;
        Assert.Equal([0, 1], ranking.Marks.OfType<RectMark>().Select(m => m.Of!.Value));
        // Shares of shares mean nothing.
        Assert.Equal(2, ranking.Marks.OfType<TextMark>().Count(t => t.Text.EndsWith('%')));
    }

    [Fact]
    public void A_file_holds_the_rows_of_series_with_other_keys_too()
    {
        var listed = Chart.Listed([Line("a", ["Lindle", "Orra"], "", 1, 2), Line("alone", [], "", 9, 8)]);
        Assert.Equal(["time", "terminal", "a", "alone"], listed.Schema.Columns.Select(c => c.Name));
        Assert.Equal(6, listed.Rows.Count);
        Assert.Equal([9.0, 8.0], listed.Rows.Where(r => r[1].IsMissing).Select(r => r[3].AsDouble));
        // With the same keys they stand beside each other.
        Assert.Equal(2, Chart.Listed([Line("a", ["Lindle"], "", 1, 2), Line("b", ["Lindle"], "", 3, 4)]).Rows.Count);
    }

    [Theory]
    [InlineData("Bar")]
    [InlineData("Ranking")]
    [InlineData("Single")]
    [InlineData("Gauge")]
    [InlineData("Donut")]
    [InlineData("Table")]
    [InlineData("Histogram")]
    public void Groups_without_any_value_are_drawn_as_such(string form) =>
        Assert.NotEmpty(
            Chart
                .Draw(Frames.Groups("", ("Lindle", null), ("Orra", null)), Frames.Spec(ChartForms.Find(form)), Frames.View())!
                .Marks
        );

    [Fact]
    public void Two_figures_are_no_heat_map_by_themselves_and_one_of_them_is_drawn_where_it_is_asked_for()
    {
        var columns = new[]
        {
            new Column("time", ColumnRole.Time, ValueKind.Time),
            new Column("terminal", ColumnRole.Key),
            new Column("n", ColumnRole.Value, ValueKind.Integer),
            new Column("slow", ColumnRole.Value, ValueKind.Duration),
        };
        var rows = Enumerable
            .Range(0, 30)
            .SelectMany(t =>
                Enumerable
                    .Range(0, 30)
                    .Select(k =>
                        new[]
                        {
                            Value.Time(From + (t * Instants.Minute)),
                            Value.Of("t" + k),
                            Value.Of(1L),
                            Value.Duration(Instants.Second),
                        }
                    )
            )
            .ToList();
        var frame = new Frame(new Schema(columns, Instants.Minute, new Window(From, From + (30 * Instants.Minute))), rows);
        Assert.Equal(ChartForms.Line, Chart.Suggest(frame).Form);
        Assert.Equal(30, Chart.Draw(frame, Frames.Spec(ChartForms.HeatMap), Frames.View())!.Legend.Count);
    }

    [Fact]
    public void A_kept_chart_reads_back_and_says_little_where_little_was_chosen()
    {
        var board = new ChartBoard
        {
            Title = "Notices behind",
            Series =
            [
                new BoardSeries("unshown", "(arrived - shown) / arrived") { Decimals = 0, Slot = 3 },
                new BoardSeries("peers") { Peers = new PeersOf("unshown", "terminal", "Lindle", true) },
                new BoardSeries("weeks")
                {
                    Earlier = new EarlierOf("unshown", "7d", 4),
                    Side = Side.Right,
                    Form = ChartForms.Area,
                    Stroke = Stroke.Dotted,
                    Hidden = true,
                },
            ],
            Form = ChartForms.HeatMap,
            MultiplesBy = "terminal",
            Left = new AxisSpec("share", Min: 0),
            Pins = [new BoardPin(From, "here")],
            Records = "level >= error",
            HidesAlerts = true,
        };
        var read = ChartBoard.FromJson(board.ToJson(), out var problem)!;
        Assert.Null(problem);
        Assert.Equal(board.ToJson(), read.ToJson());
        Assert.Equal(board.Series, read.Series);
        Assert.Equal(board.Left, read.Left);
        Assert.Equal("""{"version":1}""", new ChartBoard().ToJson());
        Assert.Equal(
            """{"version":1,"series":[{"name":"n","text":"refused"}]}""",
            new ChartBoard { Series = [new BoardSeries("n", "refused")] }.ToJson()
        );
    }

    [Theory]
    [InlineData("nonsense", "cannot be read")]
    [InlineData("null", "no chart")]
    [InlineData("""{"version":9}""", "version 9")]
    [InlineData("""{"series":null}""", "null")]
    [InlineData("""{"series":[null]}""", "null")]
    [InlineData("""{"series":[{"name":null}]}""", "null")]
    [InlineData("""{"title":null}""", "null")]
    [InlineData("""{"left":null}""", "null")]
    [InlineData("""{"left":{"title":null}}""", "null")]
    [InlineData("""{"pins":[null]}""", "null")]
    [InlineData("""{"pins":[{"at":1,"text":null}]}""", "null")]
    [InlineData("""{"series":[{"name":"a","peers":{"of":"a","key":null,"own":"x"}}]}""", "null")]
    [InlineData("""{"series":[{"name":"a","earlier":{"of":"a","by":null}}]}""", "null")]
    [InlineData("""{"form":7}""", "cannot be read")]
    [InlineData("""{"colour":"red"}""", "cannot be read")]
    [InlineData("""{"series":[{"name":"two words"}]}""", "no name for a series")]
    [InlineData("""{"series":[{"name":"a"},{"name":"a"}]}""", "Two series are called a")]
    public void What_is_no_chart_is_refused_with_the_reason(string text, string reason)
    {
        Assert.Null(ChartBoard.FromJson(text, out var problem));
        Assert.Contains(reason, problem);
    }

    [Fact]
    public void A_renamed_series_is_followed_by_what_is_made_of_it()
    {
        var board = new ChartBoard
        {
            Series =
            [
                new BoardSeries("a", "refused"),
                new BoardSeries("f", "a * 2"),
                new BoardSeries("p") { Peers = new PeersOf("a", "host", "x") },
                new BoardSeries("e") { Earlier = new EarlierOf("a", "1d") },
            ],
        };
        var renamed = board.With("a", board.Series[0] with { Name = "refusals" });
        Assert.Equal(
            ["refused", "refusals * 2", "refusals", "refusals"],
            renamed.Series.Select(s => s.Peers?.Of ?? s.Earlier?.Of ?? s.Text)
        );
        Assert.Equal("a2", board.FreeName("a"));
    }
}
