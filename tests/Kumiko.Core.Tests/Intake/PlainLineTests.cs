using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Intake;

/// <summary>Plain lines: all of a line is the body.</summary>
public class PlainLineTests
{
    [Fact]
    public void A_line_is_a_record_of_the_moment_it_came()
    {
        var record = new PlainLineParser("quay", "relay", "radio-hollin").Parse("{\"not\": parsed} ✓"u8, 42, out var refusal)!;
        Assert.Null(refusal);
        Assert.Equal(
            ("{\"not\": parsed} ✓", 42L, 42L, "quay", "relay", "radio-hollin"),
            (
                record.Body,
                record.Time,
                record.Observed,
                record.Source,
                record.Resource.Service.AsText,
                record.Resource.Host.AsText
            )
        );
        Assert.Same(Resource.Unknown, new PlainLineParser("quay").Parse("x"u8, 1, out _)!.Resource);
    }

    [Fact]
    public void Bytes_that_are_not_utf8_are_read_as_latin1_and_that_is_said()
    {
        var record = new PlainLineParser("quay").Parse([(byte)'a', 0xe9, (byte)'c'], 42, out var refusal)!;
        Assert.Null(refusal);
        Assert.Equal(("aéc", "encoding Latin-1"), (record.Body, record.Attributes.Get("line.inferred").AsText));
    }
}
