using System.Text;
using CsCheck;
using Kumiko.Core.Intake.OpenMetrics;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Intake;

/// <summary>OpenMetrics text to metrics.</summary>
public class OpenMetricsTests
{
    private const long Now = 1_764_000_000_000_000_000;

    private static Exposition Read(string text) => OpenMetricsParser.Read(text, Resource.Unknown, Now);

    private static string Told(Exposition e) =>
        string.Join(
            '|',
            e.Metrics.SelectMany(m =>
                m.Samples.Select(s => $"{m.Name} {m.Kind} {Value.Of(s.Attributes).ToJson()} {s.Value} {s.Time - Now}")
            )
        );

    [Fact]
    public void Every_type_of_the_standard_has_its_kind()
    {
        var read = Read(
            """
            # TYPE scans counter
            # UNIT scans scans
            # HELP scans Tickets read\nat the gates.
            scans_total{terminal="Orra"} 17 1764000001.5 # {trace_id="5b8aa5a2d2c872e8321cf37308d69df2",lane="2"} 1.0 1763999999
            scans_created{terminal="Orra"} 1763990000
            # TYPE battery gauge
            battery 0.75
            # TYPE took histogram
            # UNIT took seconds
            took_bucket{le="0.5",gate="a"} 2
            took_bucket{le="0.1",gate="a"} 1
            took_bucket{le="+Inf",gate="a"} 5
            took_count{gate="a"} 5
            took_sum{gate="a"} 7.5
            # TYPE waits summary
            waits{quantile="0.5"} 1.5
            waits{quantile="0.99"} 4
            waits_count 10
            waits_sum 17
            # TYPE build info
            build_info{version="7.3"} 1
            # TYPE link stateset
            link{link="up"} 1
            link{link="down"} 0
            # TYPE queue gaugehistogram
            queue_bucket{le="+Inf"} 4
            queue_gcount 4
            queue_gsum 9
            free 3
            # EOF
            """
        );
        Assert.Equal((0L, true), (read.RefusedTotal, read.IsComplete));
        var by = read.Metrics.ToDictionary(m => m.Name);
        Assert.Equal(["battery", "build", "free", "link", "queue", "scans", "took", "waits"], by.Keys.Order());
        var scans = by["scans"];
        Assert.Equal(
            (MetricKind.Sum, Temporality.Cumulative, true, "scans", "Tickets read\nat the gates."),
            (scans.Kind, scans.Temporality, scans.IsMonotonic, scans.Unit, scans.Description)
        );
        Assert.Equal(
            (Value.Of(17.0), Now + 1_500_000_000, 1_763_990_000_000_000_000, "Orra"),
            (
                scans.Samples[0].Value,
                scans.Samples[0].Time,
                scans.Samples[0].Start,
                scans.Samples[0].Attributes.Get("terminal").AsText
            )
        );
        Assert.Equal(
            ("5b8aa5a2d2c872e8321cf37308d69df2", "2", Now - 1_000_000_000),
            (
                scans.Samples[0].Exemplars[0].TraceId,
                scans.Samples[0].Exemplars[0].Attributes.Get("lane").AsText,
                scans.Samples[0].Exemplars[0].Time
            )
        );
        var took = by["took"].Samples.Single();
        Assert.Equal(
            "1 1 3 / 0.1 0.5 / 5 7.5 a",
            $"{string.Join(' ', took.Distribution!.Counts)} / {string.Join(' ', took.Distribution.Bounds.Select(b => Value.Of(b)))} / {took.Distribution.Count} {Value.Of(took.Distribution.Sum!.Value)} {took.Attributes.Get("gate")}"
        );
        Assert.Equal([(0.5, 1.5), (0.99, 4)], by["waits"].Samples.Single().Distribution!.Quantiles);
        Assert.Equal((MetricKind.Gauge, 2), (by["link"].Kind, by["link"].Samples.Count));
        Assert.Equal("7.3", by["build"].Samples[0].Attributes.Get("version").AsText);
    }

    [Theory]
    [InlineData("a{b=\"x\\\\y\\\"z\\n\"} 1", "a Gauge {\"b\":\"x\\\\y\\\"z\\n\"} 1 0")]
    [InlineData("a{} +Inf", "a Gauge {} Infinity 0")]
    [InlineData("a NaN", "a Gauge {} missing 0")]
    [InlineData("a:b_c 1e3", "a:b_c Gauge {} 1000 0")]
    [InlineData("a{b=\"1\",} 1", "a Gauge {\"b\":\"1\"} 1 0")]
    [InlineData("# TYPE a_total counter\na_total 4", "a_total Sum {} 4 0")]
    public void Lines_are_read_to_the_letter(string text, string told) => Assert.Equal(told, Told(Read(text)));

    [Theory]
    [InlineData("1a 2", 1, "begins with a metric name")]
    [InlineData("a", 2, "the value are missing")]
    [InlineData("a x", 3, "no number")]
    [InlineData("a{b=1} 2", 4, "name=\"value\"")]
    [InlineData("a{b=\"1} 2", 10, "quotation mark")]
    [InlineData("a{b=\"1\",b=\"2\"} 2", 10, "stands twice")]
    [InlineData("a 1 2 3", 7, "only an exemplar")]
    [InlineData("a 1 1e300", 1, "no time")]
    [InlineData("# TYPE h histogram\nh_bucket{le=\"1\"} 2", 0, "+Inf")]
    [InlineData("# TYPE h histogram\nh_bucket{le=\"1\"} 2\nh_bucket{le=\"+Inf\"} 1", 0, "must rise")]
    [InlineData("# TYPE h histogram\nh_bucket{x=\"1\"} 2\n", 1, "le is missing")]
    [InlineData("# TYPE h histogram\nh 2\n", 1, "no sample of this name")]
    public void A_line_that_is_wrong_is_refused_with_its_place_and_the_rest_carried_on(string text, int column, string reason)
    {
        var read = Read("good 1\n" + text + "\nalso_good 2\n");
        Assert.Equal(["also_good", "good"], read.Metrics.Select(m => m.Name).Order());
        var refused = read.Refused[0];
        Assert.Contains(reason, refused.Reason);
        Assert.True(refused.Column == column && refused.Line >= 2, $"{refused.Line}:{refused.Column}");
        Assert.False(read.IsComplete);
    }

    [Fact]
    public void Labels_without_end_are_refused()
    {
        var read = Read("a{" + string.Join(',', Enumerable.Range(0, 200_000).Select(i => $"l{i}=\"\"")) + "} 1\nb 2\n");
        Assert.Equal(("b", "A sample can have 128 labels."), (read.Metrics.Single().Name, read.Refused.Single().Reason));
    }

    [Fact]
    public void Any_text_is_read_without_a_fall()
    {
        string[] pieces =
        [
            "# TYPE a histogram\n",
            "# TYPE a counter\n",
            "a",
            "a_bucket",
            "a_total",
            "{",
            "}",
            "le=\"",
            "\"",
            ",",
            "=",
            " ",
            "1",
            "-1",
            "+Inf",
            "NaN",
            "\n",
            "# {",
            "# EOF\n",
            "\\",
            "1764000000",
            "é",
        ];
        Gen.OneOf(pieces)
            .Array[0, 25]
            .Select(string.Concat)
            .Sample(
                text =>
                {
                    var read = Read(text);
                    return read.Refused.Count <= read.RefusedTotal
                        && read.Metrics.All(m =>
                            m.Samples.Count > 0
                            && m.Samples.All(s =>
                                s.Distribution is null
                                || s.Distribution.Counts.Length is 0
                                || s.Distribution.Counts.Length == s.Distribution.Bounds.Length + 1
                            )
                        );
                },
                iter: Cases.Of(5_000)
            );
    }
}
