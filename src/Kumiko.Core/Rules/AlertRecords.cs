using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Which records are behind an alert.</summary>
public static class AlertRecords
{
    private static readonly string[] Places = ["service", "host", "source"];

    /// <summary>The stretch that the check that started it looked at.</summary>
    public static Window Focus(Alert alert)
    {
        var definition = alert.Definition;
        var end = alert.Started - definition.Delay;
        // What happens stands at the record itself.
        return definition.Quantity.IsFigure
            ? new Window(end - definition.InTheLast, end)
            : new Window(alert.Started - definition.InTheLast, alert.Started + 1);
    }

    /// <summary>The query for the records of an alert's keys; null where the rule looks at no records.</summary>
    public static string? Query(Alert alert) =>
        alert.Definition.Quantity.Rows is { } query ? With(query, alert.Definition.Keys, alert.Keys) : null;

    /// <summary>A query with the conditions of some keys.</summary>
    public static string With(string query, IReadOnlyList<string> names, IReadOnlyList<string> keys)
    {
        for (var i = 0; i < Math.Min(names.Count, keys.Count); i++)
            if (keys[i].Length > 0 && QueryParser.Parse(query).Query.Stages.Count == 0)
                query = QueryEdits.With(query, names[i], Value.Of(keys[i]), excluded: false).Text;
        return query;
    }

    /// <summary>Names of the keys of an alert: the rule's own, or those that its query groups by.</summary>
    public static IReadOnlyList<string> KeyNames(RuleDefinition definition) =>
        definition.Keys.Count > 0 ? definition.Keys : definition.Quantity.OwnKeys ?? [];

    /// <summary>Services, hosts and sources that a rule, and one of its keys, speak of.</summary>
    public static IReadOnlyList<string> Sources(RuleDefinition definition, IReadOnlyList<string> keys)
    {
        var found = new List<string>();
        var names = KeyNames(definition);
        for (var i = 0; i < Math.Min(names.Count, keys.Count); i++)
            if (keys[i].Length > 0 && Places.Contains(names[i]))
                found.Add(keys[i]);
        if (definition.Quantity.OnlyService is { Length: > 0 } service)
            found.Add(service);
        if (definition.Quantity.Rows is { } query && QueryParser.Parse(query).Query.Match is { } match)
            foreach (var part in match is And and ? and.Items : (IEnumerable<Expr>)[match])
                switch (part)
                {
                    case Compare { Op: CompareOp.Equal, Left: Field { Name: var name }, Right: Literal literal }
                        when Places.Contains(name):
                        found.Add(literal.Text);
                        break;
                    case InList { Left: Field { Name: var name } } list when Places.Contains(name):
                        found.AddRange(list.Items.Select(i => i.Text));
                        break;
                }
        return [.. found.Distinct(StringComparer.Ordinal)];
    }
}
