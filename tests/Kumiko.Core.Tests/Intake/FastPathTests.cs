using System.Text;
using CsCheck;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Tests.Intake;

/// <summary>The quick ways of reading what most senders write say the same as the thorough ones.</summary>
public sealed class FastPathTests
{
    [Fact]
    public void Plain_times_are_read_as_the_general_reader_reads_them() =>
        Gen.Select(
                Gen.Long[Sample.At("1678-01-01T00:00:00Z"), Sample.At("2261-12-31T00:00:00Z")],
                Gen.Int[0, 9],
                Gen.OneOf("Z", "Z", "+00:00", "-00:00", "+01:00", "-03:30", "+05:45", "+14:00", "-12:00")
            )
            .Sample(
                (time, digits, offset) =>
                {
                    var text = Instants.Format(time)[..(digits == 0 ? 19 : 20 + digits)] + offset;
                    Assert.True(Instants.TryParsePlain(Encoding.ASCII.GetBytes(text), out var quick));
                    Assert.True(Instants.TryParse(text, out var general));
                    Assert.Equal(general, quick);
                },
                iter: Cases.Of(5_000)
            );

    [Theory]
    [InlineData("2026-02-29T00:00:00Z")]
    [InlineData("2026-13-01T00:00:00Z")]
    [InlineData("2026-00-10T00:00:00Z")]
    [InlineData("2026-11-00T00:00:00Z")]
    [InlineData("2026-11-23T24:00:00Z")]
    [InlineData("2026-11-23T17:60:00Z")]
    [InlineData("2026-11-23T17:00:60Z")]
    [InlineData("2026-11-23T17:00:00.Z")]
    [InlineData("2026-11-23T17:00:00.12a4Z")]
    [InlineData("2026-11-23 17:00:00Z")]
    [InlineData("2026-11-23T17:00:00")]
    [InlineData("2026-11-23T17:00:00+0100")]
    [InlineData("2026-11-23T17:00:00+01:60")]
    [InlineData("2026-11-23T17:00:00+1:00")]
    [InlineData("2026-11-23T17:00:00+a1:00")]
    [InlineData("2026-11-23T17:00:00+15:00")]
    [InlineData("2026-11-23T17:00+01:00")]
    [InlineData("2026-11-23T17:00:00.+01:00")]
    [InlineData("1677-12-31T23:59:59Z")]
    [InlineData("2262-01-01T00:00:00Z")]
    [InlineData("")]
    public void What_is_not_plain_is_left_to_the_general_reader(string text) =>
        Assert.False(Instants.TryParsePlain(Encoding.ASCII.GetBytes(text), out _));

    [Theory]
    [InlineData("2024-02-29T12:00:00Z")]
    [InlineData("2000-02-29T23:59:59.999999999Z")]
    [InlineData("1900-03-01T00:00:00Z")]
    [InlineData("1970-01-01T00:00:00Z")]
    public void Leap_days_are_right(string text)
    {
        Assert.True(Instants.TryParsePlain(Encoding.ASCII.GetBytes(text), out var time));
        Assert.Equal(Sample.At(text), time);
    }

    private static LogRecord Parse(JsonRecordParser parser, string line) =>
        parser.Parse(Encoding.UTF8.GetBytes(line), 1, out _) ?? throw new InvalidOperationException(line);

    [Fact]
    public void A_record_keeps_nothing_of_the_one_before_it()
    {
        var parser = new JsonRecordParser("quay");
        Parse(
            parser,
            """{"time":"2026-11-23T17:00:00Z","observed":5,"level":"error","severityNumber":18,"service":"gate-control","host":"gate-t3","trace_id":"ab","span_id":"cd","body":"first","terminal":"Orra","resource":{"x":1}}"""
        );
        var second = Parse(parser, """{"body":"second"}""");
        Sample.Same(
            new LogRecord
            {
                Time = 1,
                Observed = 1,
                Body = "second",
                Source = "quay",
            },
            second
        );
        Assert.Null(parser.Parse("""{"level":"warn","terminal":"Orra","""u8, 1, out var refusal));
        Assert.Equal(34, refusal?.Column);
        Sample.Same(
            new LogRecord
            {
                Time = 1,
                Observed = 1,
                Body = "third",
                Source = "quay",
            },
            Parse(parser, """{"body":"third"}""")
        );
    }

    [Fact]
    public void Records_of_one_shape_share_names_and_resource_and_others_do_not()
    {
        ILineParser parser = new JsonRecordParser("quay");
        var builder = new RecordBlockBuilder();
        foreach (
            var line in new[]
            {
                """{"body":"a","service":"gate-control","host":"gate-t3","terminal":"Orra","wait":1}""",
                """{"body":"b","service":"gate-control","host":"gate-t3","terminal":"Linga","wait":2}""",
                """{"body":"c","service":"gate-control","host":"gate-t4","wait":2,"terminal":"Linga"}""",
            }
        )
            Assert.Null(parser.Parse(Encoding.UTF8.GetBytes(line), 1, builder));
        var records = builder.Build().Records;
        var (a, b, c) = (records[0], records[1], records[2]);
        Assert.Same(a.Resource, b.Resource);
        Assert.NotSame(a.Resource, c.Resource);
        Assert.Equal("gate-t4", c.Resource.Host.AsText);
        Assert.True(a.Attributes.Names == b.Attributes.Names);
        Assert.Equal(["wait", "terminal"], c.Attributes.Names.ToArray());
        Assert.Equal("Linga", b.Attributes.Get("terminal").AsText);
    }

    [Fact]
    public void Names_that_fall_into_one_place_of_the_cache_stay_apart() =>
        Gen.String[Gen.Char.AlphaNumeric, 1, 3]
            .Array[1, 3_000]
            .Sample(
                names =>
                {
                    var cache = new NameCache();
                    foreach (var name in names)
                    {
                        var (found, part) = cache.Find(Encoding.UTF8.GetBytes(name));
                        Assert.Equal((name, FieldNames.Find(name)), (found, part));
                        Assert.Same(found, cache.Find(Encoding.UTF8.GetBytes(name)).Name);
                    }
                },
                iter: Cases.Of(20)
            );

    [Theory]
    [InlineData("terminal")]
    [InlineData("naïve")]
    [InlineData("")]
    [InlineData("日本")]
    public void Cached_texts_are_what_was_asked_for(string text)
    {
        var strings = new StringCache();
        var bytes = Encoding.UTF8.GetBytes(text);
        Assert.Equal(text, strings.Get(bytes));
        Assert.Equal(text, strings.Get(bytes));
        Assert.Same(strings.Name(bytes), strings.Name(bytes));
        Assert.Same(strings.Name(bytes), new StringCache().Name(bytes));
    }

    [Fact]
    public void A_parser_serves_one_at_a_time_and_its_own_source()
    {
        var pool = new ParserPool();
        var first = pool.Rent("quay");
        var second = pool.Rent("quay");
        Assert.NotSame(first, second);
        pool.Return("quay", first);
        Assert.Same(first, pool.Rent("quay"));
        pool.Return("quay", first);
        var other = pool.Rent("import");
        Assert.NotSame(first, other);
        Assert.Equal("import", Parse(other, """{"body":"x"}""").Source);
    }
}
