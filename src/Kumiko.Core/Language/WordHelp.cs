namespace Kumiko.Core.Language;

/// <summary>What a word of the language means, in a line.</summary>
/// <param name="Title">How it is written.</param>
public sealed record HelpText(string Word, string Title, string Text);

/// <summary>Help for the words of the language: stages, keywords, functions, fields that every record has.</summary>
public static class WordHelp
{
    /// <summary>The stages, in the order in which they are mostly used.</summary>
    public static IEnumerable<HelpText> Stages => StageKinds.All.Select(kind => new HelpText(kind.Word, kind.Title, kind.Help));

    private static readonly HelpText[] Keywords =
    [
        new("and", "a and b", "both hold; a blank between two conditions means the same"),
        new("or", "a or b", "one of them holds"),
        new("not", "not a", "it does not hold"),
        new("in", "field in (a, b) · field in 1..5", "one of several values, a range, or a network"),
        new("exists", "exists(field)", "records that have the field"),
        new("by", "group … by field", "one group for each value"),
        new("per", "group … per 5m", "one row for each step of time"),
        new("as", "… as name", "a name for a column, or the template of parse"),
        new("desc", "order by field desc", "the largest first"),
        new("asc", "order by field asc", "the smallest first"),
        new("from", "from set", "reads another set than log records"),
        new("with", "with name = (query)", "names a query to use below"),
        new("over", "over 1d", "reads another stretch of time than the focus"),
        new("earlier", "earlier 20m", "reads the same stretch that much earlier"),
        new("except", "select all except field", "all columns but these"),
        new("nearest", "join name nearest time within 20m", "the partner that is nearest in time"),
        new("on", "join name on field", "the key that both sides have"),
        new("rest", "highest … with rest", "all other groups as one"),
        new("each", "limit … for each field", "the first rows of each value"),
        new("only", "parse only …", "leaves out rows that do not fit"),
    ];

    /// <summary>Fields that every record can have.</summary>
    public static readonly IReadOnlyList<HelpText> Fields =
    [
        new("time", "time", "when it happened"),
        new("level", "level", "trace, debug, info, warn, error or fatal"),
        new("body", "body", "the text of the record"),
        new("service", "service", "what wrote it"),
        new("host", "host", "where it was written"),
        new("source", "source", "where it was collected from"),
        new("trace_id", "trace_id", "the trace it belongs to"),
        new("span_id", "span_id", "the operation it belongs to"),
        new("pattern", "pattern", "the constant text that it shares with others, by its id"),
        new("severity_text", "severity_text", "the level as its sender wrote it"),
        new("observed", "observed", "when it was taken in"),
    ];

    /// <summary>Help for a word; null for words that are not the language's.</summary>
    public static HelpText? For(string word) =>
        Stages.FirstOrDefault(h => Language.Keywords.Is(h.Word, word))
        ?? Keywords.FirstOrDefault(h => Language.Keywords.Is(h.Word, word))
        ?? (Functions.Find(word) is { } function ? new HelpText(function.Name, function.Signature, function.Help) : null)
        ?? Fields.FirstOrDefault(h => h.Word == word);
}
