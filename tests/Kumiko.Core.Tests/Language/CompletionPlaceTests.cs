using CsCheck;
using Kumiko.Core.Language;

namespace Kumiko.Core.Tests.Language;

public class CompletionPlaceTests
{
    // ¦ is the caret.
    private static CompletionPlace At(string marked) => CompletionPlace.At(marked.Replace("¦", ""), marked.IndexOf('¦'));

    [Theory]
    [InlineData("¦", Wanted.Field)]
    [InlineData("ter¦", Wanted.Field)]
    [InlineData("refused and ¦", Wanted.Field)]
    [InlineData("refused ¦", Wanted.Field)]
    [InlineData("terminal = ¦", Wanted.Value)]
    [InlineData("terminal = Tar¦", Wanted.Value)]
    [InlineData("terminal != \"Tar¦\"", Wanted.Value)]
    [InlineData("terminal in (Orra, ¦)", Wanted.Value)]
    [InlineData("not terminal not in (¦", Wanted.Value)]
    [InlineData("exists(¦", Wanted.Field)]
    [InlineData("\"seat al¦\"", Wanted.Nothing)]
    [InlineData("body ~ /se¦/", Wanted.Nothing)]
    [InlineData("refused -- a note ¦", Wanted.Nothing)]
    [InlineData("from ¦", Wanted.Set)]
    [InlineData("refused | ¦", Wanted.Stage)]
    [InlineData("refused\n| gr¦", Wanted.Stage)]
    [InlineData("| group ¦", Wanted.Field | Wanted.Function)]
    [InlineData("| group count() by ¦", Wanted.Field | Wanted.Function)]
    [InlineData("| where terminal = ¦", Wanted.Value)]
    [InlineData("| where \"a | b\" = x and ¦", Wanted.Field | Wanted.Function)]
    [InlineData("| join ¦", Wanted.Set)]
    [InlineData("| join waits on ¦", Wanted.Field)]
    [InlineData("| order by ¦", Wanted.Field)]
    public void Knows_what_can_stand_at_a_place(string marked, Wanted wanted) => Assert.Equal(wanted, At(marked).Wanted);

    [Theory]
    [InlineData("terminal = Tar¦nhead and x", "terminal", "Tar", "Tarnhead")]
    [InlineData("`odd name` in (a, b¦", "odd name", "b", "b")]
    [InlineData("host = \"gate t¦ 3\" x", "host", "gate t", "gate t 3")]
    [InlineData("level>=wa¦", "level", "wa", "wa")]
    public void The_word_being_written_is_what_is_replaced(string marked, string field, string prefix, string word)
    {
        var place = At(marked);
        Assert.Equal((field, prefix), (place.Field, place.Prefix));
        Assert.Equal(word, marked.Replace("¦", "").Substring(place.Span.Start, place.Span.Length));
    }

    [Fact]
    public void Keywords_fit_the_stage()
    {
        Assert.Contains("and", At("refused ¦").Keywords);
        Assert.DoesNotContain("and", At("¦").Keywords);
        Assert.Contains("per", At("| group count() ¦").Keywords);
        Assert.Contains("desc", At("| order by x ¦").Keywords);
        Assert.Empty(At("terminal = ¦").Keywords);
    }

    [Fact]
    public void Any_text_has_a_place_at_any_caret() =>
        Gen.Select(Gen.OneOf(QueryGen.Noise, QueryGen.Query.Select(QueryPrinter.Print)), Gen.Int[0, 400])
            .Sample(
                (text, caret) =>
                {
                    var place = CompletionPlace.At(text, caret);
                    var at = Math.Min(caret, text.Length);
                    Assert.True(place.Span.Start <= at && place.Span.End <= text.Length && place.Span.Start >= 0, text);
                    if (place.Wanted != Wanted.Nothing)
                        Assert.Equal(text[place.Span.Start..at], place.Prefix);
                },
                iter: Cases.Of(5_000)
            );

    [Fact]
    public void Every_stage_function_and_common_field_has_help()
    {
        Assert.Equal(Functions.List.Select(f => f.Help), Functions.List.Select(f => WordHelp.For(f.Name)!.Text));
        Assert.All(Core.Evaluation.RecordFields.BuiltIn, f => Assert.Equal(f, WordHelp.For(f)!.Word));
        Assert.Null(WordHelp.For("terminal"));
    }
}
