using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Query;

/// <summary>What is put together as a tree is what the same edit of the text would be.</summary>
public sealed class QueryTreesTests
{
    private static Kumiko.Core.Language.Query Parsed(string text)
    {
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok, text);
        return parsed.Query;
    }

    [Theory]
    [InlineData("")]
    [InlineData("refused")]
    [InlineData("refused or barred")]
    [InlineData("(refused or barred)")]
    [InlineData("refused and gate > 3")]
    [InlineData("terminal = Orra")]
    [InlineData("refused and terminal = Orra")]
    [InlineData("not refused | where gate > 3 | group count() by host")]
    [InlineData("from spans duration > 1s | where gate > 3")]
    public void A_condition_is_added_as_it_is_to_the_text(string text)
    {
        var condition = new Compare(new Field("terminal"), CompareOp.Equal, new Literal("Orra", false));
        var edited = QueryEdits.With(text, "terminal", Value.Of("Orra"), excluded: false).Text;
        Assert.Equal(QueryPrinter.Print(Parsed(edited)), QueryPrinter.Print(Parsed(text).And(condition)));
        Assert.Equal(QueryPrinter.Print(Parsed(edited)), QueryPrinter.Print(Parsed(text).And(condition).And(condition)));
    }

    [Theory]
    [InlineData("")]
    [InlineData("refused")]
    [InlineData("refused | where gate > 3 | where wait > 1s | group count() by host | where count() > 3")]
    [InlineData("| set half = wait / 2 | where half > 1s")]
    public void The_records_are_those_of_the_text_without_what_follows_them(string text) =>
        Assert.Equal(QueryPrinter.Print(Parsed(QueryEdits.RecordsOnly(text))), QueryPrinter.Print(Parsed(text).Records()));

    [Theory]
    [InlineData("refused", "refused\n| group count() by host per 5m")]
    [InlineData("from spans", "from spans\n| group count() by host per 5m")]
    public void Rows_are_counted(string text, string expected) =>
        Assert.Equal(expected, QueryPrinter.Print(Parsed(text).Counted([new Field("host")], "5m")));
}
