using System.Text.RegularExpressions;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>What could be written where metrics are read: names, attributes and values of the series that are known, with how
/// many series have them.</summary>
public static partial class MetricCompletions
{
    private const int MostValues = 400;

    private static readonly (string Name, string Help)[] OfSamples =
    [
        ("value", "What was measured; of histograms the figures of all values that they counted."),
        ("time", "When a sample was taken."),
    ];

    private static readonly string[] OfAll = ["name", "unit", "kind", "source"];

    public static IEnumerable<Completion> Fields(CompletionPlace place, string before, MetricStore store)
    {
        var series = Series(before, store);
        string Written(string name) => place.Quoted ? name : Keywords.Name(name, place.Stage.Length == 0);
        return OfSamples
            .Select(f => new Completion(CompletionKind.Field, f.Name, f.Name, null, f.Help))
            .Concat(
                OfAll
                    .Concat(series.SelectMany(s => s.FieldNames))
                    .GroupBy(n => n)
                    .Select(g => new Completion(
                        CompletionKind.Field,
                        g.Key,
                        Written(g.Key),
                        null,
                        null,
                        OfAll.Contains(g.Key) ? series.Count : g.Count(),
                        series.Count
                    ))
            );
    }

    public static IEnumerable<Completion> Values(CompletionPlace place, string field, string before, MetricStore store) =>
        (field == "name" ? store.Book.All() : Series(before, store))
            .Select(s => (Series: s, Value: s.Field(field)))
            .Where(v => !v.Value.IsMissing)
            .GroupBy(v => v.Value.ToText(), StringComparer.Ordinal)
            .OrderByDescending(g => field == "name" ? 0 : g.Count())
            .ThenBy(g => g.Key, StringComparer.Ordinal)
            .Take(MostValues)
            .Select(g => new Completion(
                CompletionKind.Value,
                g.Key,
                place.Quoted ? Keywords.Quote(g.Key)[1..^1] : QueryPrinter.PrintMatch(Literals.For(g.First().Value)),
                null,
                field == "name" ? g.Select(v => v.Series.Description).FirstOrDefault(d => d.Length > 0) : null,
                g.Count()
            ));

    /// <summary>The series of the metric that the text names, as far as it does.</summary>
    private static IReadOnlyList<MetricSeries> Series(string before, MetricStore store)
    {
        var all = store.Book.All();
        var from = From().Matches(before)[^1].Index;
        if (Named().Match(before, from) is not { Success: true } named)
            return all;
        var name = named.Groups[1].Value.Trim('"', '\'');
        var wild = Evaluation.Wildcard.Parse(name);
        return all.Where(s => wild?.IsWhole(s.Name) ?? s.Name == name).ToList() is { Count: > 0 } found ? found : all;
    }

    [GeneratedRegex(@"\bfrom\s+([A-Za-z_]\w*)", RegexOptions.IgnoreCase)]
    private static partial Regex From();

    [GeneratedRegex(@"\bname\s*=\s*(""[^""]*""|'[^']*'|[^\s|)(,]+)\s")]
    private static partial Regex Named();
}
