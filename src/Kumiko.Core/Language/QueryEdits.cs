using Kumiko.Core.Records;

namespace Kumiko.Core.Language;

/// <summary>A query's text after an edit, and the place that changed, for the page to show.</summary>
public sealed record Edited(string Text, TextSpan Changed);

/// <summary>What pointing does to a query: each edit touches its own place and leaves the rest as it was typed.</summary>
public static class QueryEdits
{
    /// <summary>Adds a condition on a value to the match; the text stays as it is where it holds the condition already.</summary>
    public static Edited With(string text, string field, Value value, bool excluded)
    {
        var condition = new Compare(new Field(field), excluded ? CompareOp.NotEqual : CompareOp.Equal, Literals.For(value));
        return With(text, condition);
    }

    public static Edited With(string text, Expr condition)
    {
        var parsed = QueryParser.Parse(text);
        var printed = QueryPrinter.PrintMatch(condition);
        var match = parsed.Query.Match;
        if (!parsed.Ok) return new Edited(text, default);
        if (match is null)
        {
            var at = parsed.Query.MatchSpan.Start;
            var before = at > 0 ? " " : "";
            var after = at < text.Length && text[at] is '|' or '-' ? "\n" : "";
            return new Edited(text.Insert(at, before + printed + after), new TextSpan(at + before.Length, printed.Length));
        }
        if (match == condition || (match is And and && and.Items.Contains(condition))) return new Edited(text, default);
        var span = parsed.Query.MatchSpan;
        if (match is not Or || text[span.Start] == '(' && ClosesAt(text, span)) return new Edited(text.Insert(span.End, " and " + printed), new TextSpan(span.End, printed.Length + 5));
        var bracketed = $"{text[..span.Start]}({text[span.Start..span.End]}) and {printed}{text[span.End..]}";
        return new Edited(bracketed, new TextSpan(span.End + 2, printed.Length + 5));
    }

    /// <summary>The part of the text that chooses records: the match and the where stages before anything else.</summary>
    public static string RecordsOnly(string text)
    {
        var parsed = QueryParser.Parse(text);
        var first = parsed.Query.Stages.FirstOrDefault(s => s is not Where);
        if (first is null || !parsed.Ok) return text;
        var pipe = text.LastIndexOf('|', first.Span.Start);
        return text[..pipe].TrimEnd();
    }

    /// <summary>The text up to the end of a stage; 0 for the match.</summary>
    public static string CutAt(ParseResult parsed, int stage)
    {
        var query = parsed.Query;
        var end = stage == 0 ? query.MatchSpan.End : query.Stages[stage - 1].Span.End;
        return parsed.Text[..Math.Clamp(end, 0, parsed.Text.Length)].TrimEnd();
    }

    /// <summary>The records of the query, counted by a field.</summary>
    public static string CountBy(string text, string field)
    {
        var group = new Group(new Seq<Named>([new Named(new Call("count", new Seq<Expr>([])), null)]), new Seq<Named>([new Named(new Field(field), null)]), null);
        return (RecordsOnly(text).TrimEnd() + "\n| " + QueryPrinter.Print(group)).TrimStart();
    }

    /// <summary>The records of the query, counted over time.</summary>
    public static string CountOverTime(string text) =>
        (RecordsOnly(text).TrimEnd() + "\n| " + QueryPrinter.Print(new Group(new Seq<Named>([new Named(new Call("count", new Seq<Expr>([])), null)]), new Seq<Named>([]), "auto"))).TrimStart();

    private static bool ClosesAt(string text, TextSpan span)
    {
        // (a or b) as a whole; the parser has seen to it that brackets balance, quotes aside.
        var inner = QueryParser.Parse(text[(span.Start + 1)..(span.End - 1)]);
        return text[span.End - 1] == ')' && inner.Ok;
    }
}
