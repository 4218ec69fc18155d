using System.Text.RegularExpressions;
using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Evaluation;

public class ParseTests
{
    private static string? Cut(string template, string text)
    {
        var matcher = new TemplateMatcher(template);
        var values = new Value[matcher.Names.Count];
        return matcher.TryRead(text, values) ? string.Join(" | ", values.Select(Oracle.Shown)) : null;
    }

    [Theory]
    [InlineData(
        "ticket {t} refused: {reason} after {wait:duration}",
        "ticket SK-1 refused: seat already claimed after 812ms",
        "Text SK-1 | Text seat already claimed | Duration 812000"
    )]
    [InlineData("ticket {t} refused: {reason} after {wait:duration}", "ticket SK-1 refused: after hours after soon", null)]
    [InlineData("{} {n:integer} rows", "has inserted 5 rows", "Integer 5")]
    [InlineData("{n:integer}ms", "12ms", "Integer 12")]
    [InlineData("{n:ms} of {m:kB}", "12.5 of 3", "Duration 12500 | Size 3000B")]
    [InlineData("{a:word},{b:rest}", "x,y z", "Text x | Text y z")]
    [InlineData("{a:decimal}.", "5.0.", "5")]
    [InlineData("from {ip:address}: {}", "from 10.20.3.4: hello", "Address 10.20.3.4")]
    [InlineData("at {t:time} done", "at 2026-11-23T17:00:00Z done", "Time 2026-11-23T17:00:00.000000000Z")]
    [InlineData("{{x}} {v:object}", "{x}} {\"a\": 1}", "Object {\"a\":1}")]
    [InlineData("{ok:boolean} {l:list}", "true [1, 2]", "Boolean true | List [1,2]")]
    [InlineData("{b:bytes}", "00ff", "Bytes 00ff")]
    [InlineData("{a}", "", "Text ")]
    [InlineData("x{a}y", "xy", "Text ")]
    [InlineData("x{a}y", "xyz", null)]
    [InlineData("{a}ms", "took 5ms in 3ms", "Text took 5ms in 3")]
    public void Templates_fit_the_whole_text(string template, string text, string? expected) =>
        Assert.Equal(expected, Cut(template, text));

    [Fact]
    public void Slots_of_any_text_take_what_a_lazy_regex_takes() =>
        Gen.Select(
                Gen.OneOf("ab", "b", "aba", " ").Array[1, 4],
                Gen.Bool,
                Gen.Bool,
                Gen.OneOf(Gen.String[Gen.OneOf('a', 'b', ' '), 0, 14], Gen.String[Gen.OneOf('a', 'b', ' ', 'c', 'd'), 15, 60])
            )
            .Sample(
                (constants, opens, ends, text) =>
                {
                    var slots = 0;
                    string Slot() => $"{{s{slots++}}}";
                    var template =
                        (opens ? Slot() : "")
                        + string.Concat(constants.Select((c, i) => i == 0 ? c : Slot() + c))
                        + (ends ? Slot() : "");
                    if (slots == 0)
                        return;
                    var pattern =
                        "^"
                        + Regex.Replace(template, @"\{(s\d)\}|[^{}]+", m =>
                            m.Groups[1].Success ? $"(?<{m.Groups[1].Value}>.*?)" : Regex.Escape(m.Value)
                        )
                        + "\\z";
                    var match = Regex.Match(text, pattern, RegexOptions.Singleline);
                    var expected = match.Success
                        ? string.Join(" | ", Enumerable.Range(0, slots).Select(i => "Text " + match.Groups["s" + i].Value))
                        : null;
                    Assert.Equal(expected, Cut(template, text));
                },
                iter: Cases.Of(20_000)
            );

    [Fact]
    public void No_template_and_no_text_breaks_the_matcher() =>
        Gen.Select(
                Gen.OneOf("{a}", "{b:integer}", "{c:duration}", "{}", "{d:word}", "x", " ", ":", "{e:list}", "{{", "{f:rest}")
                    .Array[1, 6]
                    .Select(string.Concat),
                Gen.String[0, 40]
            )
            .Sample(
                (template, text) =>
                {
                    if (ParseTemplate.Read(template).Error is null)
                        Cut(template, text);
                },
                iter: Cases.Of(20_000)
            );

    [Theory]
    [InlineData(
        "used=14 limit=40 state=\"in order\" ok=true empty= rest",
        "used=Integer 14, limit=Integer 40, state=Text in order, ok=Boolean true, empty=missing"
    )]
    [InlineData("took=12ms a=\"x \\\"y\\\"\" a=2", "took=Duration 12000, a=Text x \"y\"")]
    [InlineData("no pairs here", null)]
    [InlineData("open=\"never closed", "open=Text never closed")]
    public void Logfmt_reads_pairs(string text, string? expected)
    {
        var pairs = Logfmt.Read(text);
        Assert.Equal(
            expected,
            pairs is null
                ? null
                : string.Join(
                    ", ",
                    Enumerable.Range(0, pairs.Count).Select(i => $"{pairs.Names[i]}={Oracle.Shown(pairs.Values[i])}")
                )
        );
    }

    [Fact]
    public void Json_that_is_none_or_too_deep_is_left_alone()
    {
        Assert.False(JsonValues.TryRead("{", out _));
        Assert.False(JsonValues.TryRead(new string('[', 100) + new string(']', 100), out _));
        Assert.True(JsonValues.TryRead("{\"n\": 12345678901234567890, \"x\": 1.5, \"n\": 2}", out var value));
        Assert.Equal("{\"n\":2,\"x\":1.5}", value.ToJson());
    }
}
