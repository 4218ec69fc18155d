using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;

namespace Kumiko.Core.Workbench;

/// <summary>An expression over other series.</summary>
/// <param name="Parts">Names of series in it, each once, in order.</param>
public sealed record SeriesFormula(Expr Expr, IReadOnlyList<string> Parts)
{
    private const string Before = "| set f = ";

    /// <summary>Reads a text as a formula. It is one when it is an expression that names at least one series; else it is a
    /// query.</summary>
    /// <param name="names">Names of all series.</param>
    /// <param name="problem">What is wrong with it although it is a formula; null for nothing.</param>
    /// <returns>Null where the text is no formula.</returns>
    public static SeriesFormula? Read(string text, IReadOnlyCollection<string> names, out string? problem)
    {
        problem = null;
        if (
            text.Contains('|')
            || QueryParser.Parse(Before + text)
                is not { Ok: true, Query: { Match: null, Stages: [SetFields { Items: [{ Expr: var expr }] }] } }
        )
            return null;
        var fields = QueryChecker.Parts(expr).Prepend(expr).SelectMany(Fields).Distinct(StringComparer.Ordinal).ToList();
        if (!fields.Exists(names.Contains))
            return null;
        if (fields.Find(f => !names.Contains(f)) is { } unknown)
            problem =
                $"There is no series {unknown}."
                + (Keywords.Nearest(unknown, names) is { } near ? $" Did you mean {near}?" : " Add one of this name.");
        return new SeriesFormula(expr, fields);
    }

    /// <summary>A formula's text with a series called otherwise; any other text as it is.</summary>
    public static string Renamed(string text, string from, string to)
    {
        if (Read(text, [from], out _) is null && Read(text, [from, to], out _) is null)
            return text;
        var parsed = QueryParser.Parse(Before + text);
        var places = Named(((SetFields)parsed.Query.Stages[0]).Items[0].Expr)
            .Where(f => f.Name == from && f.Span.Length > 0)
            .Select(f => f.Span)
            .OrderByDescending(s => s.Start);
        foreach (var place in places)
            text = text[..(place.Start - Before.Length)] + to + text[(place.End - Before.Length)..];
        return text;
    }

    private static IEnumerable<Field> Named(Expr expr) =>
        expr is Field field ? [field] : QueryChecker.Parts(expr).SelectMany(Named);

    private static IEnumerable<string> Fields(Expr expr) =>
        expr is Field field ? [field.Name] : QueryChecker.Parts(expr).SelectMany(Fields);
}
