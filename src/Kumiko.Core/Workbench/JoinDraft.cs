using Kumiko.Core.Language;

namespace Kumiko.Core.Workbench;

/// <summary>A named part of a query: a query of its own, or a constant.</summary>
/// <param name="IsConstant">Whether <paramref name="Text"/> is one value.</param>
public sealed record JoinPart(string Name, string Text, bool IsConstant);

/// <summary>A query taken apart into the parts that it binds and the question over them, and put together again.</summary>
/// <param name="Question">What follows the bound parts.</param>
public sealed record JoinDraft(IReadOnlyList<JoinPart> Parts, string Question)
{
    public const int MostParts = 12;

    /// <summary>Reads a query. One that cannot be parsed is all question.</summary>
    public static JoinDraft Read(string text)
    {
        var parsed = QueryParser.Parse(text);
        if (!parsed.Ok || parsed.Query.With.Count == 0)
            return new JoinDraft([], text.Trim());
        var parts = parsed
            .Query.With.Select(b =>
                b.Query is null
                    ? new JoinPart(b.Name, QueryPrinter.Print(b.Literal!), true)
                    : new JoinPart(b.Name, Inside(text, b.Span), false)
            )
            .ToList();
        return new JoinDraft(parts, text[Math.Clamp(parsed.Query.With[^1].Span.End, 0, text.Length)..].Trim());
    }

    private static string Inside(string text, TextSpan span)
    {
        var (open, close) = (text.IndexOf('(', span.Start), text.LastIndexOf(')', Math.Min(span.End, text.Length) - 1));
        return close > open ? text[(open + 1)..close].Trim() : "";
    }

    /// <summary>The query.</summary>
    public string Text =>
        Parts.Count == 0
            ? Question
            : $"with {string.Join(",\n     ", Parts.Select(p => $"{Keywords.Name(p.Name, match: false)} = {(p.IsConstant ? p.Text : $"({p.Text})")}"))}\n{Question}";

    /// <summary>A part with what it is made of: the query that answers it alone.</summary>
    public string Alone(JoinPart part) => (this with { Parts = [.. Parts.TakeWhile(p => p != part)], Question = part.Text }).Text;
}
