using Kumiko.Core.Language;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>A metric as the catalogue lists it.</summary>
/// <param name="Kind">gauge, sum, counter, histogram or summary; several where senders do not agree.</param>
/// <param name="Unit">As UCUM spells it; several where senders do not agree.</param>
/// <param name="LastTime">When its last sample was, UTC nanoseconds; 0 where none is known.</param>
public sealed record MetricEntry(
    string Name,
    string Kind,
    string Unit,
    string Description,
    int Series,
    IReadOnlyList<string> Sources,
    long LastTime,
    double LastValue
)
{
    /// <summary>Whether every word stands somewhere in its name, description, unit or source.</summary>
    public bool Has(string words) =>
        words
            .Split(' ', StringSplitOptions.RemoveEmptyEntries)
            .All(w =>
                Name.Contains(w, StringComparison.OrdinalIgnoreCase)
                || Description.Contains(w, StringComparison.OrdinalIgnoreCase)
                || Unit.Contains(w, StringComparison.OrdinalIgnoreCase)
                || Kind.Contains(w, StringComparison.OrdinalIgnoreCase)
                || Sources.Any(s => s.Contains(w, StringComparison.OrdinalIgnoreCase))
            );
}

/// <summary>An attribute of a metric with its values.</summary>
/// <param name="Values">The most frequent, with the number of series that have them.</param>
/// <param name="Distinct">How many different values there are.</param>
public sealed record MetricAttribute(string Name, IReadOnlyList<(string Value, int Series)> Values, int Distinct);

/// <summary>What is known of one metric.</summary>
public sealed record MetricDetails(string Name, IReadOnlyList<MetricAttribute> Attributes);

/// <summary>What is measured: a view of the series of a store.</summary>
public sealed class MetricCatalogue(MetricStore store)
{
    private const int MostValues = 12;
    private const int FewestParts = 2;
    private const int MostParts = 10;

    /// <summary>All metrics by name.</summary>
    public IReadOnlyList<MetricEntry> All() =>
        [
            .. store
                .States(store.Book.All())
                .GroupBy(s => s.Series.Name, StringComparer.Ordinal)
                .OrderBy(g => g.Key, StringComparer.Ordinal)
                .Select(g =>
                {
                    var last = g.MaxBy(s => s.Time)!;
                    string Joined(Func<MetricSeries, string> of) =>
                        string.Join(
                            ", ",
                            g.Select(s => of(s.Series)).Where(t => t.Length > 0).Distinct().Order(StringComparer.Ordinal).Take(3)
                        );
                    return new MetricEntry(
                        g.Key,
                        Joined(s => s.Field("kind").ToText()),
                        Joined(s => s.Unit),
                        g.Select(s => s.Series.Description).FirstOrDefault(d => d.Length > 0) ?? "",
                        g.Count(),
                        [.. g.Select(s => s.Series.Source).Distinct().Order(StringComparer.Ordinal)],
                        last.Time,
                        last.Value
                    );
                }),
        ];

    /// <summary>One metric with its attributes; null where there is none of this name.</summary>
    public MetricDetails? Details(string name)
    {
        var series = store.Book.All().Where(s => s.Name == name).ToList();
        if (series.Count == 0)
            return null;
        return new MetricDetails(
            name,
            [
                .. series
                    .SelectMany(s => s.FieldNames)
                    .Distinct()
                    .Select(field =>
                    {
                        var values = series
                            .Select(s => s.Field(field))
                            .Where(v => !v.IsMissing)
                            .GroupBy(v => v.ToText(), StringComparer.Ordinal)
                            .OrderByDescending(g => g.Count())
                            .ThenBy(g => g.Key, StringComparer.Ordinal)
                            .ToList();
                        return new MetricAttribute(
                            field,
                            [.. values.Take(MostValues).Select(v => (v.Key, v.Count()))],
                            values.Count
                        );
                    })
                    .OrderBy(a => a.Name, StringComparer.Ordinal),
            ]
        );
    }

    /// <summary>A query that draws a metric as its kind calls for, by the attribute that parts it into a few.</summary>
    public string QueryFor(string name) =>
        All().FirstOrDefault(e => e.Name == name) is { } entry ? QueryFor(entry, Details(name)) : "";

    /// <inheritdoc cref="QueryFor(string)"/>
    public static string QueryFor(MetricEntry entry, MetricDetails? details)
    {
        var figure = entry.Kind switch
        {
            "counter" => "per_second(value) as rate",
            "histogram" => "p50(value) as half, p95(value) as slow",
            _ => "avg(value) as mean",
        };
        var by = details
            ?.Attributes.Where(a => a.Distinct is >= FewestParts and <= MostParts)
            .OrderBy(a =>
            {
                if (a.Name is "service")
                    return 0;
                if (a.Name is "host")
                    return 2;
                return 1;
            })
            .ThenByDescending(a => a.Distinct)
            .FirstOrDefault()
            ?.Name;
        var match = QueryPrinter.PrintMatch(
            new Compare(new Field("name"), CompareOp.Equal, Literals.For(Records.Value.Of(entry.Name)))
        );
        return $"from metrics {match}\n| group {figure}{(by is null ? "" : " by " + QueryPrinter.Print(new Field(by)))} per auto";
    }
}
