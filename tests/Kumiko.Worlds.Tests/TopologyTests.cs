using System.Text;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Tests;

public sealed class TopologyTests
{
    private static Topology Read(string services, string more = "") =>
        TopologyFile.Read(
            new MemoryStream(
                Encoding.UTF8.GetBytes(
                    $$"""{ "name": "t", "rhythms": [{ "name": "r", "hours": [1, 3] }], "services": [{{services}}] {{more}} }"""
                )
            )
        );

    public static TheoryData<string> Names => [.. TopologyFile.Names];

    [Theory]
    [MemberData(nameof(Names))]
    public void Those_that_come_along_are_whole(string name)
    {
        var topology = TopologyFile.Named(name);
        var graph = new Graph(topology);
        Assert.All(graph.Means, m => Assert.True(m > 0, "every operation is called"));
        Assert.NotEmpty(topology.Queues);
        Assert.NotEmpty(topology.Feeds);
        Assert.True(topology.Services.Count(s => s.Kind == PartyKind.Service) >= 9);
    }

    [Fact]
    public void Calls_arrive_as_often_as_they_are_made()
    {
        var graph = new Graph(
            Read(
                """
                { "name": "a", "hosts": [{ "name": "a1" }], "operations": [
                  { "name": "x", "entries": [{ "perMinute": 4 }],
                    "calls": [{ "to": "b y", "times": 2 }, { "to": "c z", "times": 0.5 }] }] },
                { "name": "b", "hosts": [{ "name": "b1" }], "operations": [{ "name": "y", "calls": [{ "to": "c z" }] }] },
                { "name": "c", "kind": "Outside", "operations": [{ "name": "z" }] }
                """
            )
        );
        Assert.Equal([4, 8, 10], graph.Means);
        Assert.Equal([0, 1, 2], new[] { "a", "b", "c" }.Select(graph.DepthOf));
        Assert.Equal(-1, graph.Find("a", "y"));
    }

    private const string Host = "\"hosts\": [{ \"name\": \"h\" }]";

    [Theory]
    [InlineData("""{ "name": "a", "operations": [] }""", "", "a runs on no host.")]
    [InlineData("""{ "name": "a b", HOST }""", "", "a b: the name of a service has no blank.")]
    [InlineData("""{ "name": "a", HOST }, { "name": "a", "kind": "Outside" }""", "", "Two services have one name.")]
    [InlineData("""{ "name": "a", HOST }, { "name": "b", HOST }""", "", "Two hosts have one name.")]
    [InlineData("""{ "name": "a", HOST, "rhythm": "s" }""", "", "a: no rhythm is called s.")]
    [InlineData(
        """{ "name": "a", HOST, "operations": [{ "name": "x", "entries": [{ "perMinute": 1, "hosts": ["z"] }] }] }""",
        "",
        "a does not run on z."
    )]
    [InlineData(
        """{ "name": "a", HOST, "operations": [{ "name": "x", "calls": [{ "to": "b" }] }] }""",
        "",
        "a calls b, which is no operation."
    )]
    [InlineData(
        """{ "name": "a", HOST, "operations": [{ "name": "x" }, { "name": "x" }] }""",
        "",
        "a has two operations called x."
    )]
    [InlineData(
        """{ "name": "a", HOST, "operations": [{ "name": "x", "calls": [{ "to": "a x" }] }] }""",
        "",
        "Calls of a x come back to it."
    )]
    [InlineData(
        """{ "name": "a", HOST, "operations": [{ "name": "x", "calls": [{ "to": "a y", "queue": "q" }] }, { "name": "y" }] }""",
        "",
        "No queue is called q."
    )]
    [InlineData(
        """{ "name": "a", HOST }""",
        """, "feeds": [{ "name": "f", "of": "b", "metric": "m" }]""",
        "f: no service is called b."
    )]
    [InlineData("""{ "name": "a", HOST }""", """, "jobs": [{ "name": "j", "host": "z" }]""", "j: no host is called z.")]
    public void What_does_not_fit_together_is_told(string services, string more, string told) =>
        Assert.Equal(
            told,
            Assert.Throws<FormatException>(() => Read(services.Replace("HOST", Host, StringComparison.Ordinal), more)).Message
        );

    [Theory]
    [InlineData("")]
    [InlineData("{ \"name\": \"a\" }")]
    [InlineData("""{ "name": "a", "rhythms": [], "services": [], "colour": 1 }""")]
    [InlineData("[1]")]
    public void What_is_no_topology_is_refused(string text) =>
        Assert.StartsWith(
            "The topology cannot be read:",
            Assert.Throws<FormatException>(() => TopologyFile.Read(new MemoryStream(Encoding.UTF8.GetBytes(text)))).Message
        );

    [Fact]
    public void A_rhythm_is_one_on_average_and_has_its_hours_days_and_crowds()
    {
        var rhythm = new Rhythm
        {
            Name = "r",
            Hours = [1, 1, 1, 1, 1, 1, 2, 4, 4, 2, 2, 2, 2, 2, 2, 2, 3, 5, 4, 3, 2, 1, 1, 1],
            Days = [1, 1, 1, 1, 1, 2, 2],
            Crowds = [480, 1080],
        };
        var monday = new DateTimeOffset(2026, 11, 16, 0, 0, 0, TimeSpan.FromHours(-6));
        double Mean(DateTimeOffset from, double days) =>
            Enumerable.Range(0, (int)(days * 1440)).Average(m => rhythm.At(from.AddMinutes(m)));
        Assert.Equal(1, Mean(monday, 7), 0.08);
        Assert.Equal(2, Mean(monday.AddDays(5), 1) / Mean(monday, 1), 6);
        Assert.True(rhythm.At(monday.AddHours(17)) > 3 * rhythm.At(monday.AddHours(3)));
        // Twelve minutes before eight more than half an hour before.
        Assert.True(rhythm.At(monday.AddMinutes(468)) > 1.8 * rhythm.At(monday.AddMinutes(440)));
    }
}
