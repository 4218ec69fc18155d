using System.Globalization;
using System.Text.RegularExpressions;
using System.Xml.Linq;
using CsCheck;
using Kumiko.Core.Records;
using SkiaSharp;

namespace Kumiko.Charts.Tests;

/// <summary>What all forms stand on: units, thinning, specifications, colours, the two backs.</summary>
public partial class KitTests
{
    [Theory]
    [InlineData("s", 0.0123, "12.3 ms")]
    [InlineData("ms", 1500, "1.5 s")]
    [InlineData("By", 1536, "1.5 KiB")]
    [InlineData("MiBy", 2048, "2 GiB")]
    [InlineData("1", 0.42, "42 %")]
    [InlineData("%", 7.25, "7.3 %")]
    [InlineData("", 12345, "12 345")]
    [InlineData("", 2_500_000, "2.5 M")]
    [InlineData("{seat}", 17, "17")]
    [InlineData("m", 2.34, "2.34 m")]
    [InlineData("{request}/s", 3.5, "3.5 /s")]
    [InlineData("By/s", 2048, "2 KiB/s")]
    public void Figures_are_written_in_their_unit(string unit, double value, string expected) =>
        Assert.Equal(expected, ChartUnit.Of(unit).Text(value).Replace('\u2009', ' '));

    [Fact]
    public void Decimals_can_be_set() =>
        Assert.Equal(
            ["42.00 %", "12.3 ms", "3", "1.50 KiB"],
            new[]
            {
                ChartUnit.Of("1").Text(0.42, 2),
                ChartUnit.Of("s").Text(0.01234, 1),
                ChartUnit.Of("").Text(2.7, 0),
                ChartUnit.Of("By").Text(1536, 2),
            }.Select(t => t.Replace('\u2009', ' '))
        );

    private static readonly Gen<ChartUnit> Units = Gen.OneOf(
        Gen.Const(ChartUnit.Of("s")),
        Gen.Const(ChartUnit.Of("By")),
        Gen.Const(ChartUnit.Of("1")),
        Gen.Const(ChartUnit.Of("")),
        Gen.Const(ChartUnit.Of("", ValueKind.Integer)),
        Gen.Const(ChartUnit.Of("", ValueKind.Duration)),
        Gen.Const(ChartUnit.Of("m"))
    );

    [Fact]
    public void Ticks_rise_evenly_and_no_two_labels_are_alike() =>
        Gen.Select(Units, Gen.Double[-1e6, 1e9], Gen.Double[1e-3, 1e9], Gen.Int[2, 12], Gen.Bool)
            .Sample(
                (unit, low, length, most, zero) =>
                {
                    var (min, max) = (Math.Round(low, 3), Math.Round(low, 3) + Math.Round(length, 3) + 0.001);
                    var axis = ValueAxis.For(min, max, unit, most, new AxisSpec(), zero);
                    Assert.True(axis.Min <= min && axis.Max >= max);
                    Assert.InRange(axis.Ticks.Count, 2, most + 3);
                    foreach (var (a, b) in axis.Ticks.Zip(axis.Ticks.Skip(1)))
                        Assert.Equal(axis.Step, b - a, (axis.Step * 1e-6) + (Math.Abs(b) * 1e-15));
                    if (axis.Step > Math.Max(Math.Abs(axis.Min), Math.Abs(axis.Max)) * 1e-3)
                        Assert.Equal(axis.Ticks.Count, axis.Ticks.Select(axis.Label).Distinct().Count());
                    Assert.Equal((0.0, 1.0), (axis.Share(axis.Min), axis.Share(axis.Max)));
                },
                iter: Cases.Of(2_000)
            );

    [Theory]
    [InlineData("s")]
    [InlineData("ms")]
    [InlineData("ns")]
    [InlineData("")]
    public void An_axis_of_rounded_steps_holds_the_value_that_set_it(string unit)
    {
        foreach (var value in new[] { 1.0, 3, 7, 0.1, 0.3, 0.7, 60, 90, 3600 })
        {
            var axis = ValueAxis.For(-value, value, ChartUnit.Of(unit, ValueKind.Duration), 5, new AxisSpec(), zero: true);
            Assert.True(axis.Min <= -value && axis.Max >= value, $"{axis.Min:R} to {axis.Max:R} for {value:R}");
        }
    }

    [Fact]
    public void Labels_are_moved_apart_in_their_order_and_stay_inside() =>
        Gen.Select(Gen.Double[-50, 450].Array[1, 12], Gen.Double[100, 400])
            .Sample(
                (wanted, bottom) =>
                {
                    const double Least = 14;
                    const double Top = 10;
                    var places = SpreadLabels.Apart(wanted, Least, Top, bottom);
                    var least = wanted.Length > 1 ? Math.Min(Least, (bottom - Top) / (wanted.Length - 1)) : Least;
                    Assert.All(places, p => Assert.InRange(p, Top - 1e-9, bottom + 1e-9));
                    foreach (var (a, b) in places.Order().Zip(places.Order().Skip(1)))
                        Assert.True(b - a >= least - 1e-9, $"{a} and {b}");
                    var order = Enumerable.Range(0, wanted.Length).OrderBy(i => wanted[i]).ThenBy(i => i);
                    Assert.Equal(places.Order(), order.Select(i => places[i]));
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void Labels_of_two_near_limits_at_the_foot_do_not_lie_on_each_other()
    {
        var spec = Frames.Spec() with
        {
            Thresholds = [new Threshold(0.2, "above 0.2", "warning"), new Threshold(0.1, "above 0.1", "critical")],
        };
        var drawing = Chart.Draw(
            Frames.Counts(("a", [.. Enumerable.Range(0, 40).Select(i => (double?)(i % 97))])),
            spec,
            Frames.View("2027-11-23T00:00:00Z")
        )!;
        var labels = drawing
            .Marks.OfType<TextMark>()
            .Where(m => m.Style.StartsWith("limit-label"))
            .Select(m => m.Y)
            .Order()
            .ToArray();
        Assert.Equal(2, labels.Length);
        Assert.True(labels[1] - labels[0] >= 13.9);
    }

    [Fact]
    public void Limits_of_the_specification_hold()
    {
        var axis = ValueAxis.For(3, 8, ChartUnit.None, 5, new AxisSpec(Min: 2, Max: 11), zero: true);
        Assert.Equal((2.0, 11.0), (axis.Min, axis.Max));
        Assert.All(axis.Ticks, t => Assert.InRange(t, 2, 11));
        // A line far above zero that hardly moves stands by itself, a column never does.
        Assert.True(ValueAxis.For(1_000, 1_020, ChartUnit.None, 5, new AxisSpec(), zero: false).Min > 900);
        Assert.Equal(0, ValueAxis.For(1_000, 1_020, ChartUnit.None, 5, new AxisSpec(), zero: true).Min);
        Assert.Equal(0, ValueAxis.For(1_000, 1_020, ChartUnit.None, 5, new AxisSpec(Zero: true), zero: false).Min);
    }

    [Fact]
    public void Thinning_keeps_every_extreme_and_both_ends() =>
        Gen.Double[-1e6, 1e6]
            .Array[2, 3_000]
            .Sample(
                values =>
                {
                    (double X, double Y)[] points = [.. values.Select((v, i) => (i / 10.0, v))];
                    var thinned = Thinned.Extremes(points);
                    Assert.Equal((points[0], points[^1]), (thinned[0], thinned[^1]));
                    Assert.Equal((values.Min(), values.Max()), (thinned.Min(p => p.Y), thinned.Max(p => p.Y)));
                    Assert.InRange(thinned.Count, 1, (values.Length / 10 * 4) + 4);
                    Assert.Equal(thinned.Select(p => p.X), thinned.Select(p => p.X).Order());
                    foreach (var pixel in points.GroupBy(p => Math.Floor(p.X)))
                        Assert.Equal(pixel.Max(p => p.Y), thinned.Where(p => Math.Floor(p.X) == pixel.Key).Max(p => p.Y));
                    var triangles = Thinned.Triangles(points, 50);
                    Assert.Equal(Math.Min(50, points.Length), triangles.Count);
                    Assert.Equal((points[0], points[^1]), (triangles[0], triangles[^1]));
                },
                iter: Cases.Of(200)
            );

    [Fact]
    public void A_long_line_says_that_it_was_thinned()
    {
        var drawing = Chart.Draw(
            Frames.Counts(("a", [.. Enumerable.Range(0, 9_000).Select(i => (double?)(i % 97))])),
            Frames.Spec(),
            Frames.View("2027-11-23T00:00:00Z")
        )!;
        Assert.Contains("of 9\u2009000 points are drawn; every extreme is.", drawing.Note);
    }

    [Fact]
    public void A_specification_comes_back_from_json_as_it_was()
    {
        var spec = new ChartSpec
        {
            Form = ChartForms.StackedArea,
            Title = "Refusals <b>",
            Left = new AxisSpec("waits", ScaleKind.Logarithmic, 1, 10, false, "s", 2),
            Layers = [new LayerSpec("n", ChartForms.Column, Side.Right, true)],
            Thresholds = [new Threshold(3, "many", "critical", Side.Right)],
            Bands = [new ValueBand(1, 2, "usual")],
            MultiplesBy = "terminal",
            SharedScale = false,
            Most = 40,
            Choice = Choice.HighestPeak,
            Reduce = Reduction.Mean,
            Thinning = Thinning.Triangles,
            Nights = false,
        };
        var read = ChartSpec.FromJson(spec.ToJson(), out var problem);
        Assert.Null(problem);
        Assert.Equal(spec.ToJson(), read!.ToJson());
        Assert.Contains("\"form\":\"stacked-area\"", spec.ToJson());
    }

    [Theory]
    [InlineData("{", "cannot be read")]
    [InlineData("""{"version":2}""", "has version 2; 1 is known")]
    [InlineData("""{"form":"pyramid"}""", "$.form")]
    [InlineData("""{"colour":"red"}""", "colour")]
    [InlineData("""{"most":0}""", "between 1 and 500")]
    [InlineData("null", "no specification")]
    public void A_specification_that_cannot_be_is_told(string json, string told)
    {
        Assert.Null(ChartSpec.FromJson(json, out var problem));
        Assert.Contains(told, problem);
    }

    [Fact]
    public void Colours_of_both_themes_are_those_of_the_sheet()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Kumiko.slnx")))
            folder = folder.Parent;
        var sheet = File.ReadAllText(Path.Combine(folder.FullName, "src", "Kumiko.Web", "assets", "css", "kumiko.css"));
        var paper = Variables(sheet[sheet.IndexOf("[data-look='paper'] {", StringComparison.Ordinal)..]);
        var lacquer = Variables(sheet[sheet.IndexOf(":root[data-theme='lacquer']", StringComparison.Ordinal)..]);
        foreach (var (name, (light, dark)) in Palette.Colours)
            Assert.Equal((name, light, dark), (name, paper[name], lacquer[name]));
    }

    private static Dictionary<string, string> Variables(string sheet) =>
        Variable()
            .Matches(sheet[..sheet.IndexOf('}', StringComparison.Ordinal)])
            .ToDictionary(m => m.Groups[1].Value, m => m.Groups[2].Value);

    [GeneratedRegex("--([a-z0-9-]+): (#[0-9a-f]{6});")]
    private static partial Regex Variable();

    [Fact]
    public void Neighbouring_series_have_different_colours_while_there_are_enough() =>
        Gen.String[Gen.Char['a', 'z'], 1, 8]
            .HashSet[1, 30]
            .Sample(names =>
            {
                var slots = Palette.SlotsOf([.. names]);
                Assert.Equal(Math.Min(names.Count, Palette.Slots), slots.Distinct().Count());
            });

    [Fact]
    public void Both_backs_agree_on_the_place_of_every_mark()
    {
        foreach (var form in ChartForms.All)
        {
            var frame =
                form == ChartForms.Donut || form == ChartForms.Gauge || form == ChartForms.Bar
                    ? Frames.Groups("", ("Orra", 4), ("Lindle", 2.5))
                    : Frames.Counts(("Orra", [1, 5, null, 7]), ("Lindle", [2, 3, 4, 1]));
            if (Chart.Draw(frame, Frames.Spec(form), Frames.View()) is not { } drawing)
                continue;
            var elements = XDocument
                .Parse(SvgWriter.Write(drawing, "x"))
                .Root!.Elements()
                .Where(e => e.Name.LocalName != "title")
                .ToList();
            Assert.Equal(drawing.Marks.Count, elements.Count);
            foreach (var (mark, element) in drawing.Marks.Zip(elements))
            {
                if (mark is TextMark text)
                {
                    Assert.Equal((text.X, text.Y), (Number(element, "x"), Number(element, "y")), Near());
                    continue;
                }
                using var shape = PngWriter.Shape(mark);
                var (skia, svg) = (shape.TightBounds, Bounds(element));
                Assert.Equal((skia.Left, skia.Top), (svg.Left, svg.Top), NearF());
                Assert.Equal((skia.Right, skia.Bottom), (svg.Right, svg.Bottom), NearF());
            }
        }
    }

    private static double Number(XElement element, string name) =>
        double.Parse(element.Attribute(name)!.Value, CultureInfo.InvariantCulture);

    private static IEqualityComparer<(double, double)> Near() =>
        EqualityComparer<(double, double)>.Create(
            (a, b) => Math.Abs(a.Item1 - b.Item1) < 0.11 && Math.Abs(a.Item2 - b.Item2) < 0.11
        );

    private static IEqualityComparer<(float, float)> NearF() =>
        EqualityComparer<(float, float)>.Create((a, b) => Math.Abs(a.Item1 - b.Item1) < 0.3 && Math.Abs(a.Item2 - b.Item2) < 0.3);

    /// <summary>Where an element of SVG is, read by another program's eyes.</summary>
    private static SKRect Bounds(XElement e)
    {
        float N(string name) => (float)Number(e, name);
        switch (e.Name.LocalName)
        {
            case "line":
                return new SKRect(
                    Math.Min(N("x1"), N("x2")),
                    Math.Min(N("y1"), N("y2")),
                    Math.Max(N("x1"), N("x2")),
                    Math.Max(N("y1"), N("y2"))
                );
            case "rect":
                return SKRect.Create(N("x"), N("y"), N("width"), N("height"));
            case "circle":
                return new SKRect(N("cx") - N("r"), N("cy") - N("r"), N("cx") + N("r"), N("cy") + N("r"));
            default:
                using (var path = SKPath.ParseSvgPathData(e.Attribute("d")!.Value))
                    return path.TightBounds;
        }
    }

    [Fact]
    public void A_picture_that_stands_alone_brings_its_title_legend_and_looks()
    {
        var drawing = Chart.Draw(
            Frames.Counts(("Orra", [1, 2, 3]), ("Lindle", [2, 3, 4])),
            Frames.Spec() with
            {
                Title = "Refusals at the <gates>",
            },
            Frames.View() with
            {
                Alone = true,
            }
        )!;
        var texts = drawing.Marks.OfType<TextMark>().Select(t => t.Text).ToList();
        Assert.Contains("Refusals at the <gates>", texts);
        Assert.Contains("Lindle", texts);
        var svg = SvgWriter.Write(drawing, "chart", theme: Theme.Paper);
        Assert.Contains("&lt;gates&gt;", svg);
        Assert.Contains("stroke:#", svg);
        Assert.DoesNotContain("style=", svg);
        var png = PngWriter.Write(drawing, Theme.Lacquer);
        using var image = SKBitmap.Decode(png);
        Assert.Equal((1800, 600), (image.Width, image.Height));
        Assert.Equal(SKColor.Parse(Palette.Colours["sheet"].Lacquer), image.GetPixel(2, 300));
        // Something is written: the title's pixels differ from the ground.
        Assert.Contains(
            Enumerable.Range(20, 300).SelectMany(x => Enumerable.Range(10, 30).Select(y => image.GetPixel(x, y))),
            p => p != image.GetPixel(2, 300)
        );
    }

    [Fact]
    public void Hostile_names_leave_a_picture_that_can_be_read_and_thousands_of_rows_one_that_fits()
    {
        var drawing = Chart.Draw(
            Frames.Groups("", ("a\u0001\ud800<script>\uffff", 1)),
            Frames.Spec(ChartForms.Bar),
            Frames.View()
        )!;
        Assert.Contains("<script>", XDocument.Parse(SvgWriter.Write(drawing, "chart", theme: Theme.Paper)).Root!.Value);
        var high = Chart.Draw(
            Frames.Groups("", [.. Enumerable.Range(0, 10_000).Select(i => ($"gate {i}", (double?)i))]),
            Frames.Spec(ChartForms.Bar),
            Frames.View()
        )!;
        Assert.NotEmpty(PngWriter.Write(high with { Marks = [.. high.Marks.Take(50)] }, Theme.Paper));
    }

    [Fact]
    public void Fifty_series_of_five_hundred_steps_are_less_than_300_kB()
    {
        var frame = Frames.Counts([
            .. Enumerable
                .Range(0, 50)
                .Select(s =>
                    (
                        $"gate {s}",
                        Enumerable
                            .Range(0, 500)
                            .Select(i => (double?)Math.Round(500 + (400 * Math.Sin((i + (s * 7)) / 20.0))))
                            .ToArray()
                    )
                ),
        ]);
        var svg = SvgWriter.Write(
            Chart.Draw(frame, Frames.Spec() with { Most = 50 }, Frames.View(width: 1_100, height: 400))!,
            "chart"
        );
        Assert.InRange(svg.Length, 50_000, 300_000);
    }
}
