using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query;

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
        if (!parsed.Ok)
            return new Edited(text, default);
        if (match is null)
        {
            var at = parsed.Query.MatchSpan.Start;
            var before = at > 0 ? " " : "";
            var after = at < text.Length && text[at] is '|' or '-' ? "\n" : "";
            return new Edited(text.Insert(at, before + printed + after), new TextSpan(at + before.Length, printed.Length));
        }
        if (match == condition || (match is And and && and.Items.Contains(condition)))
            return new Edited(text, default);
        var span = parsed.Query.MatchSpan;
        if (match is not Or || text[span.Start] == '(' && ClosesAt(text, span))
            return new Edited(text.Insert(span.End, " and " + printed), new TextSpan(span.End, printed.Length + 5));
        var bracketed = $"{text[..span.Start]}({text[span.Start..span.End]}) and {printed}{text[span.End..]}";
        return new Edited(bracketed, new TextSpan(span.End + 2, printed.Length + 5));
    }

    /// <summary>The part of the text that chooses records: the match and the where stages before anything else.</summary>
    public static string RecordsOnly(string text)
    {
        var parsed = QueryParser.Parse(text);
        var first = parsed.Query.Stages.FirstOrDefault(s => s is not Where);
        if (first is null || !parsed.Ok)
            return text;
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
        var group = new Group(
            new Seq<Named>([new Named(new Call("count", new Seq<Expr>([])), null)]),
            new Seq<Named>([new Named(new Field(field), null)]),
            null
        );
        return (RecordsOnly(text).TrimEnd() + "\n| " + QueryPrinter.Print(group)).TrimStart();
    }

    /// <summary>The records of the query, counted over time.</summary>
    public static string CountOverTime(string text) =>
        (
            RecordsOnly(text).TrimEnd()
            + "\n| "
            + QueryPrinter.Print(
                new Group(new Seq<Named>([new Named(new Call("count", new Seq<Expr>([])), null)]), new Seq<Named>([]), "auto")
            )
        ).TrimStart();

    /// <summary>The query with its group split by one more field; of many values the highest, the rest merged into one. Without a
    /// group, records are counted over time.</summary>
    /// <param name="field">Empty to leave the keys as they are.</param>
    /// <param name="highest">How many values; null for all.</param>
    public static string SplitBy(string text, string field, int? highest)
    {
        var parsed = QueryParser.Parse(text);
        if (!parsed.Ok)
            return text;
        if (!parsed.Query.Stages.Any(s => s is Group))
        {
            if (parsed.Query.Stages.Any(s => !s.IsRowByRow))
                return text;
            // What was cut out of a text stays before the count.
            parsed = QueryParser.Parse(
                (
                    text.TrimEnd()
                    + "\n| "
                    + QueryPrinter.Print(
                        new Group(
                            new Seq<Named>([new Named(new Call("count", new Seq<Expr>([])), null)]),
                            new Seq<Named>([]),
                            "auto"
                        )
                    )
                ).TrimStart()
            );
            text = parsed.Text;
        }
        var at = parsed.Query.Stages.ToList().FindIndex(s => s is Group);
        var group = (Group)parsed.Query.Stages[at];
        var next = at + 1 < parsed.Query.Stages.Count ? parsed.Query.Stages[at + 1] as Highest : null;
        if (field.Length > 0 && group.By.All(b => b.Name != field))
            group = group with { By = new Seq<Named>([.. group.By, new Named(new Field(field), null)]) };
        var printed = QueryPrinter.Print(group);
        var end = next?.Span.End ?? group.Span.End;
        if (highest is { } most && group.By.Count > 0)
        {
            var key = field.Length > 0 ? field : group.By[^1].Name;
            printed +=
                "\n| "
                + QueryPrinter.Print(
                    new Highest(
                        most,
                        new Field(key),
                        group.Aggregates[0] is { Alias: { } alias } ? new Field(alias) : group.Aggregates[0].Expr,
                        Rest: true
                    )
                );
        }
        else if (next is not null)
            printed += "\n| " + QueryPrinter.Print(next);
        while (end > group.Span.Start && char.IsWhiteSpace(text[end - 1]))
            end--;
        return text[..group.Span.Start] + printed + text[end..];
    }

    /// <summary>The query with its rows in the order of a field; an order that it ends with gives way.</summary>
    /// <param name="most">Of records only so many, as all of them could be too many to sort; null for all.</param>
    public static string OrderedBy(string text, string field, bool descending, int? most)
    {
        var parsed = QueryParser.Parse(text);
        if (!parsed.Ok)
            return text;
        var stages = parsed.Query.Stages;
        var kept = stages.Count;
        var limit = kept > 0 && stages[kept - 1] is Limit { By.Count: 0 } last ? last : null;
        if (kept > 1 && limit is not null && stages[kept - 2] is OrderBy)
            kept -= 2;
        else if (kept > 0 && stages[kept - 1] is OrderBy)
            (kept, limit) = (kept - 1, null);
        else
            limit = null;
        var ordered = new OrderBy(new Seq<OrderItem>([new OrderItem(new Field(field), descending)]));
        var before = kept == stages.Count ? text.TrimEnd() : CutAt(parsed, kept);
        var after = limit ?? (most is { } count ? new Limit(count, new Seq<Expr>([])) : null);
        return (
            before + "\n| " + QueryPrinter.Print(ordered) + (after is null ? "" : "\n| " + QueryPrinter.Print(after))
        ).TrimStart();
    }

    /// <summary>The field that the rows stand in the order of, and whether the highest comes first; null for none.</summary>
    public static (string Field, bool Descending)? OrderOf(Language.Query query)
    {
        var last = query.Stages.LastOrDefault(s => s is not Limit);
        return last is OrderBy { Items: [{ Expr: Field field } item] } ? (field.Name, item.Descending) : null;
    }

    private static bool ClosesAt(string text, TextSpan span)
    {
        // (a or b) as a whole; the parser has seen to it that brackets balance, quotes aside.
        var inner = QueryParser.Parse(text[(span.Start + 1)..(span.End - 1)]);
        return text[span.End - 1] == ')' && inner.Ok;
    }
}
