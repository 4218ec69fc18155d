using CsCheck;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Records;

public class ValueTests
{
    [Fact]
    public void Durations_and_sizes_come_back_from_their_text() =>
        Gen.Long.Sample(
            number =>
            {
                if (Math.Abs((double)number) < 4e18)
                {
                    Assert.True(
                        Quantities.TryParseDuration(Quantities.Duration(number), out var duration),
                        Quantities.Duration(number)
                    );
                    Assert.Equal(number, duration);
                }
                // The lowest int64 has no positive twin, so its text cannot be read digit by digit.
                if (number == long.MinValue)
                    return;
                Assert.True(Quantities.TryParseSize(Quantities.Size(number), out var size));
                Assert.Equal(number, size);
            },
            iter: Cases.Of(5_000)
        );

    [Fact]
    public void Any_text_comes_back_from_json() =>
        Gen.OneOf(
                Gen.String,
                Gen.String[Gen.Char[' ', '~'], 0, 40],
                Gen.OneOf("", "\"", "\\", "\u007f", "\u2028", "naïve", "quay 3")
            )
            .Sample(
                text =>
                {
                    var json = new System.Text.StringBuilder();
                    JsonText.Append(json, text);
                    Assert.DoesNotContain(json.ToString(), char.IsControl);
                    // Halves of characters have no UTF-8, so what is none of them comes back as it was.
                    if (!text.Any(char.IsSurrogate))
                        Assert.Equal(text, System.Text.Json.JsonSerializer.Deserialize<string>(json.ToString()));
                },
                iter: Cases.Of(5_000)
            );

    [Fact]
    public void Instants_come_back_from_iso_text() =>
        Gen.Long[-9_000_000_000_000_000_000, 9_000_000_000_000_000_000]
            .Sample(
                time =>
                {
                    Assert.True(Instants.TryParse(Instants.Format(time), out var back), Instants.Format(time));
                    Assert.Equal(time, back);
                },
                iter: Cases.Of(5_000)
            );

    [Theory]
    [InlineData("2026-11-23", "2026-11-23T00:00:00.000000000Z")]
    [InlineData("2026-11-23 17:51", "2026-11-23T17:51:00.000000000Z")]
    [InlineData("2026-11-23T17:51:04,5", "2026-11-23T17:51:04.500000000Z")]
    [InlineData("2026-11-23T17:51:04+02:00", "2026-11-23T15:51:04.000000000Z")]
    [InlineData("2026-11-23T17:51:04-0130", "2026-11-23T19:21:04.000000000Z")]
    [InlineData("2026-11-23T17:51Z", "2026-11-23T17:51:00.000000000Z")]
    public void Reads_iso_as_people_write_it(string text, string expected)
    {
        Assert.True(Instants.TryParse(text, out var time));
        Assert.Equal(expected, Instants.Format(time));
    }

    [Theory]
    [InlineData("")]
    [InlineData("soon")]
    [InlineData("2026-13-01")]
    [InlineData("1600-01-01")]
    [InlineData("2300-01-01")]
    [InlineData("2026-11-23T25:00:00Z")]
    public void Refuses_what_is_no_time(string text) => Assert.False(Instants.TryParse(text, out _));

    [Theory]
    [InlineData("warn", Severity.Warn)]
    [InlineData(" Warning ", Severity.Warn)]
    [InlineData("ERR", Severity.Error)]
    [InlineData("critical", Severity.Fatal)]
    [InlineData("info3", 11)]
    [InlineData("loud", 0)]
    [InlineData("", 0)]
    public void Knows_levels_by_their_usual_names(string text, int number) => Assert.Equal(number, Severity.FromText(text));

    [Theory]
    [InlineData("007", ValueKind.Integer)]
    [InlineData("1.50", ValueKind.Decimal)]
    [InlineData("1h30m", ValueKind.Duration)]
    [InlineData("4MiB", ValueKind.Size)]
    [InlineData("true", ValueKind.Boolean)]
    [InlineData("gate-t3", ValueKind.Text)]
    [InlineData("12parsecs", ValueKind.Text)]
    [InlineData("99999999999999999999", ValueKind.Text)]
    public void Literals_are_typed_by_their_spelling(string text, ValueKind kind) => Assert.Equal(kind, Literals.Read(text).Kind);
}
