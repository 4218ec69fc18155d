using Kumiko.Core.Intake;
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
        Assert.Equal(("{\"not\": parsed} ✓", 42L, 42L, "quay", "relay", "radio-hollin"), (record.Body, record.Time, record.Observed, record.Source, record.Resource.Service.AsText, record.Resource.Host.AsText));
        Assert.Same(Resource.Unknown, new PlainLineParser("quay").Parse("x"u8, 1, out _)!.Resource);
    }

    [Fact]
    public void Bytes_that_are_no_text_are_refused_with_their_place()
    {
        Assert.Null(new PlainLineParser("quay").Parse([(byte)'a', (byte)'b', 0xff, (byte)'c'], 42, out var refusal));
        Assert.Equal(new Refusal(3, "This byte is not valid UTF-8."), refusal);
    }
}
