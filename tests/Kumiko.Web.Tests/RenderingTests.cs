using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Html;

namespace Kumiko.Web.Tests;

public class RenderingTests
{
    private static readonly long Now = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));

    private static LogRecord Record(string body, params (string Name, string Value)[] attributes) =>
        new()
        {
            Time = Now,
            Observed = Now,
            Body = body,
            Attributes = new Attributes([.. attributes.Select(a => a.Name)], [.. attributes.Select(a => Value.Of(a.Value))]),
        };

    private static IReadOnlyList<Piece> Pieces(string query, LogRecord record, int longest = 1_000) =>
        new BodyText(QueryParser.Parse(query).Query, []).Pieces(record, longest);

    [Fact]
    public void Variables_are_set_off_from_constant_text()
    {
        var pieces = Pieces(
            "",
            Record("ticket SK-40417-B refused: seat already claimed after 812ms.", ("reason", "seat already claimed"))
        );
        Assert.Equal(
            ["SK-40417-B", "seat already claimed", "812ms"],
            pieces.Where(p => p.Kind == PieceKind.Variable).Select(p => p.Text)
        );
        Assert.Equal("ticket SK-40417-B refused: seat already claimed after 812ms.", string.Concat(pieces.Select(p => p.Text)));
    }

    [Theory]
    [InlineData("refused", "refused")]
    [InlineData("refus*", "refus")]
    [InlineData("\"ticket void\"", "ticket void")]
    [InlineData("not refused", "")]
    [InlineData("level >= warn and (void or 7)", "7 void")]
    public void What_was_searched_is_marked(string query, string marked) =>
        Assert.Equal(
            marked,
            string.Join(' ', Pieces(query, Record("refused 7 times: ticket void")).Where(p => p.Hit).Select(p => p.Text))
        );

    [Theory]
    [InlineData("a\u001b[31mb", "a␛[31mb")]
    [InlineData("a\0b\u007f", "a␀b␡")]
    [InlineData("a\u202eb\u0085", "a⟨202E⟩b⟨0085⟩")]
    [InlineData("line\n\tnext", "line\n\tnext")]
    public void Control_characters_become_visible(string body, string shown) => Assert.Equal(shown, BodyText.Visible(body));

    [Fact]
    public void Marks_have_the_colours_that_were_chosen_over_what_was_searched()
    {
        var pieces = new BodyText(QueryParser.Parse("refused").Query, [new TermMark("VOID", 2), new TermMark("fuse", 0)]).Pieces(
            Record("refused 7 times: ticket void"),
            1_000
        );
        Assert.Equal(
            [("re", 0), ("fuse", 1), ("d", 0), ("void", 3)],
            pieces.Where(p => p.Hit || p.Colour > 0).Select(p => (p.Text, p.Colour))
        );
    }

    [Theory]
    [InlineData("{\"a\":{\"b\":[1,2]},\"c\":\"<b>\"}", "a b 0 1 1 2 c &lt;b&gt;")]
    [InlineData("[1,{\"x\":null}]", "0 1 1 x null")]
    public void A_json_body_is_a_tree(string body, string words)
    {
        using var html = new StringWriter();
        JsonTree.Of(body)!.WriteTo(html, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.Equal(
            words,
            string.Join(
                ' ',
                System
                    .Text.RegularExpressions.Regex.Replace(html.ToString(), "<[^>]*>", " ")
                    .Split(' ', StringSplitOptions.RemoveEmptyEntries)
            )
        );
    }

    [Theory]
    [InlineData("no json")]
    [InlineData("{broken")]
    [InlineData("{\"a\":}")]
    [InlineData("")]
    public void What_is_no_json_has_no_tree(string body) => Assert.Null(JsonTree.Of(body));

    [Fact]
    public void Json_without_end_is_cut_and_too_deep_json_has_no_tree()
    {
        Assert.Null(JsonTree.Of(new string('[', 200) + new string(']', 200)));
        using var html = new StringWriter();
        JsonTree
            .Of("[" + string.Join(',', Enumerable.Range(0, 5_000)) + "]")!
            .WriteTo(html, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.Contains("and more", html.ToString());
        Assert.True(html.ToString().Length < 60_000);
    }

    [Theory]
    [InlineData("6h", "6h")]
    [InlineData("all", "all")]
    [InlineData("2026-11-23T10:00:00Z/2026-11-23T12:00:00Z", "2026-11-23T10:00:00Z/2026-11-23T12:00:00Z")]
    public void A_span_of_the_strip_says_the_same_when_read_back(string text, string same) =>
        Assert.Equal(same, StripSpan.Parse(text)!.ToString());

    [Theory]
    [InlineData("1s")]
    [InlineData("-6h")]
    [InlineData("9000d")]
    [InlineData("2026-11-23T12:00:00Z/2026-11-23T10:00:00Z")]
    [InlineData("-3h/now")]
    [InlineData("soon")]
    public void A_span_that_makes_no_sense_is_none(string text) => Assert.Null(StripSpan.Parse(text));

    [Fact]
    public void Long_bodies_are_cut_with_a_sign_and_markup_is_escaped()
    {
        var pieces = Pieces("", Record("<b>" + new string('x', 50)), 10);
        Assert.Equal("<b>xxxxxxx…", string.Concat(pieces.Select(p => p.Text)));
        using var html = new StringWriter();
        BodyText.Markup(pieces).WriteTo(html, System.Text.Encodings.Web.HtmlEncoder.Default);
        Assert.StartsWith("&lt;b&gt;", html.ToString());
    }

    [Fact]
    public void The_strip_always_holds_the_focus()
    {
        foreach (var (from, length) in new[] { (-30, 30), (-180, 180), (-2_880, 30), (-100_000, 60), (-10, 1), (60, 60) })
        {
            var start = Now + (from * Instants.Minute);
            foreach (
                var span in new[] { null, StripSpan.Of(Instants.Hour), StripSpan.Of(2 * Instants.Day), StripSpan.Parse("all") }
            )
            {
                var address = new SearchAddress
                {
                    Focus = new TimeRange(Moment.At(start), Moment.At(start + (length * Instants.Minute))),
                    Span = span,
                };
                var (focus, strip) = (address.Focus.Resolve(Now), address.StripWindow(Now, Now - Instants.Day));
                Assert.True(strip.From <= focus.From && strip.To >= focus.To, $"{from} {length} {span}");
            }
        }
    }

    [Fact]
    public void A_focus_near_now_keeps_now_on_the_strip() =>
        Assert.True(
            new SearchAddress { Focus = TimeRange.Last(Instants.Hour) }
                .StripWindow(Now, Now - Instants.Day)
                .Contains(Now)
        );

    [Theory]
    [InlineData("trace", 1)]
    [InlineData("info", 3)]
    [InlineData("error", 5)]
    [InlineData("fatal", 6)]
    public void Slats_are_filled_as_high_as_the_level(string level, int filled)
    {
        using var html = new StringWriter();
        Glyphs.Severity(Severity.FromText(level)).WriteTo(html, System.Text.Encodings.Web.HtmlEncoder.Default);
        // Each slat is one move of the pen; those that are not filled stand in the path that is off.
        var paths = html.ToString().Split("class=\"off\"");
        Assert.Equal((filled, 6 - filled), (paths[0].Count(c => c == 'M'), paths[1].Count(c => c == 'M')));
    }
}
