using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Charts.Tests;

/// <summary>Every form: where its marks stand, what it leaves out, what it says.</summary>
public class FormTests
{
    private static readonly (string, double?)[] Terminals = [("Hollin", 10), ("Orra", 40), ("Lindle", 30), ("Duskey", 20)];

    private static Drawing Draw(Frame frame, ChartSpec spec, ChartView? view = null) =>
        Chart.Draw(frame, spec, view ?? Frames.View()) ?? throw new InvalidOperationException("nothing drawn");

    private static List<string> Texts(Drawing drawing) => [.. drawing.Marks.OfType<TextMark>().Select(t => t.Text)];

    [Fact]
    public void Bars_are_as_long_as_their_values_and_in_the_order_of_the_answer()
    {
        var drawing = Draw(Frames.Groups("", Terminals), Frames.Spec(ChartForms.Bar));
        var bars = drawing.Marks.OfType<RectMark>().ToList();
        Assert.Equal(["Hollin", "Orra", "Lindle", "Duskey"], drawing.Legend.Select(l => l.Name));
        Assert.Equal([0.25, 1, 0.75, 0.5], bars.Select(b => Math.Round(b.Width / bars.Max(x => x.Width), 6)));
        Assert.Single(bars.Select(b => b.X).Distinct());
    }

    [Fact]
    public void A_ranking_begins_with_the_highest_and_tells_shares()
    {
        var drawing = Draw(Frames.Groups("", Terminals), Frames.Spec(ChartForms.Ranking));
        Assert.Equal(["Orra", "Lindle", "Duskey", "Hollin"], drawing.Legend.Select(l => l.Name));
        Assert.Contains("40%", Texts(drawing));
        Assert.Equal("Ranking of 4 groups. Highest: Orra, 40.", drawing.Description);
    }

    [Fact]
    public void Hundreds_of_groups_make_a_picture_higher_than_its_view()
    {
        var drawing = Draw(
            Frames.Groups("", [.. Enumerable.Range(0, 300).Select(i => ($"gate {i}", (double?)i))]),
            Frames.Spec(ChartForms.Bar)
        );
        Assert.Equal(300, drawing.ViewHeight);
        Assert.InRange(drawing.Height, 300 * 20, 300 * 30);
        Assert.Equal(300, drawing.Marks.OfType<RectMark>().Count());
        Assert.Contains("300 groups", drawing.Note);
    }

    [Fact]
    public void A_single_value_says_how_it_was_reduced_and_leaves_an_unfinished_step_out()
    {
        var frame = Frames.Counts(("Lindle", [1, 2, 3, 4, 5, 60]));
        var view = Frames.View("2026-11-23T17:27:00Z");
        Assert.Contains("5", Texts(Draw(frame, Frames.Spec(ChartForms.Single), view)));
        Assert.Contains("last whole step of 5 min", Texts(Draw(frame, Frames.Spec(ChartForms.Single), view)));
        Assert.Contains("+25\u2009% on the step before", Texts(Draw(frame, Frames.Spec(ChartForms.Single), view)));
        Assert.Contains("3", Texts(Draw(frame, Frames.Spec(ChartForms.Single) with { Reduce = Reduction.Mean }, view)));
        Assert.Contains("1", Texts(Draw(frame, Frames.Spec(ChartForms.Single) with { Reduce = Reduction.Min }, view)));
        Assert.Contains("75", Texts(Draw(frame, Frames.Spec(ChartForms.Single) with { Reduce = Reduction.Sum }, view)));
        Assert.Contains(
            "sum of all steps",
            Texts(Draw(frame, Frames.Spec(ChartForms.Single) with { Reduce = Reduction.Sum }, view))
        );
    }

    [Fact]
    public void A_filled_step_is_drawn_so_and_is_never_the_last()
    {
        var frame = Frames.Counts(("Lindle", [1, 2, 3, 9]));
        frame.Rows[3][2] = frame.Rows[3][2].Marked(ValueMarks.Filled);
        var drawing = Draw(frame, Frames.Spec());
        Assert.Contains(drawing.Marks, m => m.Style.StartsWith("line filled", StringComparison.Ordinal));
        Assert.Equal("3", drawing.Legend[0].Last);
        Assert.Equal("9 filled", drawing.Hover[3].Values[0]);
        Assert.Contains("3", Texts(Draw(frame, Frames.Spec(ChartForms.Single))));
        Assert.Contains(Draw(frame, Frames.Spec(ChartForms.Column)).Marks, m =>
            m.Style.StartsWith("column filled", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_gauge_of_a_share_spans_all_of_it_and_takes_the_level_it_is_above()
    {
        var spec = Frames.Spec(ChartForms.Gauge) with
        {
            Thresholds = [new Threshold(0.6, "above 60 %", "warning"), new Threshold(0.9, "above 90 %", "critical")],
        };
        var drawing = Draw(Frames.Groups("1", ("manifest-1", 0.75)), spec);
        var arcs = drawing.Marks.OfType<ArcMark>().ToList();
        Assert.Equal(
            (0.75, "gauge warning"),
            (Math.Round((arcs[1].To - arcs[1].From) / (arcs[0].To - arcs[0].From), 6), arcs[1].Style)
        );
        Assert.Equal(2, drawing.Marks.OfType<LineMark>().Count());
        Assert.Contains("75\u2009%", Texts(drawing));
    }

    [Fact]
    public void The_parts_of_a_donut_close_the_ring_and_small_ones_are_one()
    {
        var drawing = Draw(
            Frames.Groups("", [.. Enumerable.Range(1, 14).Select(i => ($"t{i}", (double?)i))]),
            Frames.Spec(ChartForms.Donut)
        );
        var arcs = drawing.Marks.OfType<ArcMark>().ToList();
        Assert.Equal(9, arcs.Count);
        Assert.Equal(1, arcs[^1].To, 9);
        for (var i = 1; i < arcs.Count; i++)
            Assert.Equal(arcs[i - 1].To, arcs[i].From, 9);
        Assert.Equal(14.0 / 105, arcs[0].To - arcs[0].From, 9);
        Assert.Contains("6 others", Texts(drawing));
    }

    [Fact]
    public void A_heat_map_has_a_cell_for_each_value_darker_where_it_is_higher()
    {
        var drawing = Draw(Frames.Counts(("a", [0, 5, 10]), ("b", [10, null, 1])), Frames.Spec(ChartForms.HeatMap));
        var cells = drawing.Marks.OfType<RectMark>().Take(5).Select(c => c.Style).ToList();
        Assert.Equal(["heat-0", "heat-3", "heat-6", "heat-6", "heat-1"], cells);
    }

    [Fact]
    public void Rows_that_are_numbers_rise_at_equal_distances()
    {
        var frame = Frames.Counts(("0", [1, 1]), ("100", [1, 1]), ("400", [1, 1]));
        foreach (var row in frame.Rows)
            row[1] = Value.Of(long.Parse(row[1].AsText, System.Globalization.CultureInfo.InvariantCulture));
        var drawing = Draw(frame, Frames.Spec(ChartForms.HeatMap));
        var rows = drawing
            .Marks.OfType<RectMark>()
            .Where(r => r.Width > 30)
            .Select(r => Math.Round(r.Y, 3))
            .Distinct()
            .Order()
            .ToList();
        Assert.Equal(3, rows.Count);
        // 400 stands on top, three rows above 100, which is one above 0.
        Assert.Equal(3, (rows[1] - rows[0]) / (rows[2] - rows[1]), 3);
    }

    [Fact]
    public void Single_values_are_put_into_ranges_that_hold_them_all()
    {
        var values = Enumerable.Range(0, 500).Select(i => (double?)(i % 50)).ToArray();
        var drawing = Draw(Frames.Groups("", [.. values.Select((v, i) => ($"t{i}", v))]), Frames.Spec(ChartForms.Histogram));
        Assert.Contains("500 values", drawing.Description);
        Assert.InRange(drawing.Marks.OfType<RectMark>().Count(), 5, 60);
        // All are equally frequent, so all ranges but those at the ends are equally high.
        Assert.InRange(
            drawing.Marks.OfType<RectMark>().Skip(1).SkipLast(1).Select(r => Math.Round(r.Height, 3)).Distinct().Count(),
            1,
            2
        );
    }

    [Fact]
    public void A_scatter_places_each_row_by_its_two_figures()
    {
        var schema = new Schema(
            [new Column("service", ColumnRole.Key), new Column("x", ColumnRole.Value), new Column("y", ColumnRole.Value)],
            null,
            new Window(0, 1)
        );
        var frame = new Frame(
            schema,
            [
                .. Enumerable
                    .Range(0, 30)
                    .Select(i => new[] { Value.Of("s" + (i % 3)), Value.Of((double)i), Value.Of((double)(30 - i)) }),
            ]
        );
        var dots = Draw(frame, Frames.Spec(ChartForms.Scatter)).Marks.OfType<DotMark>().ToList();
        Assert.Equal(30, dots.Count);
        Assert.Equal(3, dots.Select(d => d.Style).Distinct().Count());
        Assert.Equal(dots.Select(d => d.X), dots.Select(d => d.X).Order());
        Assert.Equal(dots.Select(d => d.Y), dots.Select(d => d.Y).Order());
    }

    [Fact]
    public void A_table_has_a_bar_behind_each_figure()
    {
        var drawing = Draw(
            Frames.Groups("By", ("Hollin", 1024), ("Orra", 2048), ("Lindle", null)),
            Frames.Spec(ChartForms.Table)
        );
        var bars = drawing.Marks.OfType<RectMark>().ToList();
        Assert.Equal(2, bars.Count);
        Assert.Equal(0.5, bars[0].Width / bars[1].Width, 6);
        Assert.Contains("2 KiB", Texts(drawing));
        Assert.Contains("–", Texts(drawing));
    }

    [Fact]
    public void Small_multiples_share_a_scale_unless_told_otherwise()
    {
        var schema = Frames.Counts().Schema with
        {
            Columns =
            [
                new Column("time", ColumnRole.Time, ValueKind.Time),
                new Column("terminal", ColumnRole.Key),
                new Column("n", ColumnRole.Value, ValueKind.Integer),
            ],
        };
        var frame = new Frame(
            schema,
            [
                .. Enumerable
                    .Range(0, 12)
                    .SelectMany(i =>
                        new[] { ("Orra", 10L), ("Lindle", 1_000L) }.Select(t =>
                            new[]
                            {
                                Value.Time(schema.Window.From + (i * schema.Step!.Value)),
                                Value.Of(t.Item1),
                                Value.Of(t.Item2),
                            }
                        )
                    ),
            ]
        );
        List<double> Heights(bool shared) =>
            [
                .. Draw(frame, Frames.Spec() with { MultiplesBy = "terminal", SharedScale = shared })
                    .Marks.OfType<PathMark>()
                    .Where(m => m.Style.StartsWith("line series", StringComparison.Ordinal))
                    .Select(m => Math.Round(m.Pieces[0][0].Y, 3)),
            ];
        Assert.Single(Heights(shared: false).Distinct());
        var shared = Heights(shared: true);
        Assert.True(shared[1] > shared[0]);
        Assert.Null(Chart.Draw(frame, Frames.Spec() with { MultiplesBy = "nothing" }, Frames.View()));
    }

    [Fact]
    public void Two_axes_have_their_own_scales_and_titles_and_layers_their_own_forms()
    {
        var schema = Frames.Counts().Schema with
        {
            Columns =
            [
                new Column("time", ColumnRole.Time, ValueKind.Time),
                new Column("slow", ColumnRole.Value) { Unit = "s" },
                new Column("n", ColumnRole.Value, ValueKind.Integer),
            ],
        };
        var frame = new Frame(
            schema,
            [
                .. Enumerable
                    .Range(0, 12)
                    .Select(i =>
                        new[] { Value.Time(schema.Window.From + (i * schema.Step!.Value)), Value.Of(0.5), Value.Of(4_000L) }
                    ),
            ]
        );
        var drawing = Draw(
            frame,
            Frames.Spec() with
            {
                Left = new AxisSpec("95th percentile"),
                Right = new AxisSpec("requests"),
                Layers = [new LayerSpec("n", ChartForms.Area, Side.Right)],
            }
        );
        Assert.Equal(["95th percentile", "requests"], drawing.Marks.OfType<TextMark>().Where(t => t.Turned).Select(t => t.Text));
        Assert.Contains("500 ms", Texts(drawing));
        Assert.Contains("4\u2009000", Texts(drawing));
        Assert.Single(drawing.Marks, m => m.Style.StartsWith("area ", StringComparison.Ordinal));
        Assert.Equal(["4\u2009000", "500 ms"], drawing.Legend.Select(l => l.Last));
        var hidden = Draw(frame, Frames.Spec() with { Layers = [new LayerSpec("n", Hidden: true)] });
        Assert.Equal("slow", Assert.Single(hidden.Legend).Name);
        Assert.Equal("500 ms (n 4\u2009000)", hidden.Hover[0].Values[0]);
    }

    [Fact]
    public void A_logarithmic_axis_leaves_zero_out_and_says_so()
    {
        var drawing = Draw(
            Frames.Counts(("a", [0, 1, 10, 100, 1_000])),
            Frames.Spec() with
            {
                Left = new AxisSpec(Scale: ScaleKind.Logarithmic),
            }
        );
        var line = Assert.Single(
            Assert
                .Single(drawing.Marks.OfType<PathMark>(), m =>
                    m.Style == "line series-0" || m.Style.StartsWith("line series", StringComparison.Ordinal)
                )
                .Pieces
        );
        Assert.Equal(4, line.Count);
        Assert.Single(line.Zip(line.Skip(1), (a, b) => Math.Round(a.Y - b.Y, 3)).Distinct());
        Assert.Contains("no place on a logarithmic axis", drawing.Note);
    }

    [Fact]
    public void Bands_and_thresholds_stand_where_their_values_do()
    {
        var drawing = Draw(
            Frames.Counts(("a", [0, 50, 100])),
            Frames.Spec() with
            {
                Bands = [new ValueBand(20, 40, "usual")],
                Thresholds = [new Threshold(60, "too many", "critical"), new Threshold(62, "many", "warning")],
            }
        );
        var band = Assert.Single(drawing.Marks.OfType<RectMark>(), m => m.Style == "band well");
        var limit = Assert.Single(drawing.Marks.OfType<LineMark>(), m => m.Style == "limit critical");
        var (foot, top) = (drawing.Plot!.Bottom, drawing.Plot.Top);
        Assert.Equal((0.2, 0.6), (Math.Round(band.Height / (foot - top), 6), Math.Round((foot - limit.Y1) / (foot - top), 6)));
        var labels = drawing
            .Marks.OfType<TextMark>()
            .Where(t =>
                t.Style.StartsWith("limit-label c", StringComparison.Ordinal)
                || t.Style.StartsWith("limit-label warn", StringComparison.Ordinal)
            )
            .ToList();
        Assert.True(Math.Abs(labels[0].Y - labels[1].Y) >= 13);
    }

    [Fact]
    public void Nights_and_weekends_are_shaded_as_the_zone_has_them()
    {
        var from = Frames.At("2026-10-23T00:00:00Z");
        var schema = new Schema(
            [new Column("time", ColumnRole.Time, ValueKind.Time), new Column("n", ColumnRole.Value)],
            Instants.Hour,
            new Window(from, from + (4 * Instants.Day))
        );
        var frame = new Frame(
            schema,
            [.. Enumerable.Range(0, 96).Select(i => new[] { Value.Time(from + (i * Instants.Hour)), Value.Of(1.0) })]
        );
        var drawing = Draw(frame, Frames.Spec(), Frames.View() with { Zone = DateTimeZoneProviders.Tzdb["Europe/Dublin"] });
        var weekend = Assert.Single(drawing.Marks.OfType<RectMark>(), m => m.Style == "weekend");
        // Clocks go back on the Sunday, so this weekend has 49 hours.
        Assert.Equal(49.0 / 96, weekend.Width / drawing.Plot!.Width, 6);
        var nights = drawing.Marks.OfType<RectMark>().Where(m => m.Style == "night").ToList();
        Assert.Equal(9.0 / 96, nights[2].Width / drawing.Plot.Width, 6);
        Assert.DoesNotContain(Draw(frame, Frames.Spec() with { Nights = false }).Marks, m => m.Style is "night" or "weekend");
    }

    public static TheoryData<string> FormsOfSeries => new(ChartForms.All.Where(f => f != ChartForms.Scatter).Select(f => f.Name));

    [Theory]
    [MemberData(nameof(FormsOfSeries))]
    public void Whatever_the_values_every_form_stays_in_its_picture_and_both_backs_draw_it(string form) =>
        Gen.Select(
                Gen.OneOf(Gen.Double[-1e12, 1e12], Gen.Double[-1, 1], Gen.Const(0.0)).Select(d => (double?)Math.Round(d, 2)).List[
                    1,
                    12
                ],
                Gen.Int[1, 5],
                Gen.Int[300, 1_400],
                Gen.Bool
            )
            .Sample(
                (values, series, width, alone) =>
                {
                    var frame = Frames.Counts([
                        .. Enumerable
                            .Range(0, series)
                            .Select(s =>
                                (
                                    "a gate with a rather long name " + s,
                                    values.Select((v, i) => (i + s) % 5 == 4 ? null : v).ToArray()
                                )
                            ),
                    ]);
                    var drawing = Draw(
                        frame,
                        Frames.Spec(ChartForms.Find(form)) with
                        {
                            Title = "Refusals",
                        },
                        Frames.View(width: width) with
                        {
                            Alone = alone,
                        }
                    );
                    foreach (var (x, y) in drawing.Marks.SelectMany(Frames.Points))
                    {
                        Assert.InRange(x, -0.5, drawing.Width + 0.5);
                        Assert.InRange(y, -0.5, drawing.Height + 0.5);
                    }
                    Assert.DoesNotContain("NaN", SvgWriter.Write(drawing, "x"));
                    Assert.DoesNotContain("Infinity", SvgWriter.Write(drawing, "x", theme: Theme.Lacquer));
                    Assert.False(string.IsNullOrWhiteSpace(drawing.Description));
                    if (series == 2 && alone)
                        Assert.True(PngWriter.Write(drawing, Theme.Paper, 1).Length > 100);
                },
                iter: Cases.Of(120)
            );

    [Fact]
    public void The_suggested_form_follows_from_the_shape()
    {
        Assert.Equal(ChartForms.StackedColumn, Chart.Suggest(Frames.Counts(("a", [1, 2, 3]))).Form);
        Assert.Equal(
            ChartForms.Line,
            Chart.Suggest(Frames.Counts(("a", [.. Enumerable.Range(0, 30).Select(i => (double?)i)]))).Form
        );
        Assert.Equal(
            ChartForms.HeatMap,
            Chart.Suggest(Frames.Counts([.. Enumerable.Range(0, 60).Select(i => ($"s{i}", new double?[] { 1, 2 }))])).Form
        );
        Assert.Equal(ChartForms.Bar, Chart.Suggest(Frames.Groups("", Terminals)).Form);
        Assert.Equal(ChartForms.Donut, Chart.Suggest(Frames.Groups("1", Terminals)).Form);
        Assert.Equal(
            ChartForms.Table,
            Chart.Suggest(new Frame(new Schema([new Column("body", ColumnRole.Detail)], null, new Window(0, 1)), [])).Form
        );
        Assert.All(ChartForms.All, _ => Assert.EndsWith(".", Chart.Suggest(Frames.Groups("", Terminals)).Reason));
    }
}
