namespace Kumiko.Core.Language;

/// <summary>Something that a person can correct: its place and a sentence.</summary>
/// <param name="Span">What to underline.</param>
/// <param name="Message">Short, plain, and says what to do.</param>
public sealed record SyntaxError(TextSpan Span, string Message)
{
    /// <summary>What stands in its place when it is right; null where only a person can tell.</summary>
    public string? Mend { get; init; }

    /// <summary>Line and column of the place, counted from 1.</summary>
    public (int Line, int Column) Position(string text)
    {
        var line = 1;
        var start = 0;
        var end = Math.Min(Span.Start, text.Length);
        for (var i = 0; i < end; i++)
            if (text[i] == '\n')
            {
                line++;
                start = i + 1;
            }
        return (line, end - start + 1);
    }

    public string Describe(string text)
    {
        var (line, column) = Position(text);
        return FormattableString.Invariant($"Line {line}, column {column}: {Message}");
    }
}

/// <summary>Advice that does not stop the query.</summary>
public sealed record Hint(TextSpan Span, string Message);

/// <summary>The tree, as far as it could be read, with what is wrong and what is odd.</summary>
public sealed record ParseResult(string Text, Query Query, IReadOnlyList<SyntaxError> Errors, IReadOnlyList<Hint> Hints)
{
    /// <summary>All records.</summary>
    public static readonly ParseResult Empty = Of(Query.All);

    /// <summary>A query that was put together, not written.</summary>
    public static ParseResult Of(Query query) => new(QueryPrinter.Print(query), query, [], []);

    public bool Ok => Errors.Count == 0;

    /// <summary>The text with all that is wrong put right; null where something needs a person, or nothing is wrong.</summary>
    public string? Mended
    {
        get
        {
            if (Errors.Count == 0 || Errors.Any(e => e.Mend is null))
                return null;
            var text = Text;
            foreach (var error in Errors.OrderByDescending(e => e.Span.Start))
                text = text[..error.Span.Start] + error.Mend + text[error.Span.End..];
            return text;
        }
    }
}
