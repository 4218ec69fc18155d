using System.Text.RegularExpressions;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query;

public enum CompletionKind
{
    Field,
    Value,
    Function,
    Stage,
    Set,
    Keyword,
}

/// <summary>Something that could be written.</summary>
/// <param name="Insert">What is written for it.</param>
/// <param name="Detail">A signature, or what it is.</param>
/// <param name="Count">Records of the focus that have it; null where that is not counted.</param>
/// <param name="Of">Records of the focus.</param>
public sealed record Completion(
    CompletionKind Kind,
    string Label,
    string Insert,
    string? Detail,
    string? Help,
    long? Count = null,
    long? Of = null
);

/// <summary>What could be written at a place of a query: from the language, and from the records of the focus.</summary>
public static partial class Completions
{
    private const int Most = 60;
    private const int MostValues = 400;

    /// <param name="run">A run of all records of the focus.</param>
    /// <param name="sets">What can be read besides them.</param>
    /// <param name="before">All text before the caret, which tells which set is read.</param>
    public static async Task<IReadOnlyList<Completion>> At(CompletionPlace place, Run run, RowSetBook sets, string before = "")
    {
        var asked = SetAsked(before) is { } name ? sets.Find(name) : null;
        var kind = StageKinds.Find(place.Stage);
        var found = new List<Completion>();
        if (place.Wanted.HasFlag(Wanted.Stage))
            found.AddRange(
                WordHelp.Stages.Select(s => new Completion(CompletionKind.Stage, s.Word, s.Word + " ", s.Title, s.Text))
            );
        if (place.Wanted.HasFlag(Wanted.Set))
            found.AddRange(
                sets.All.Select(s => new Completion(CompletionKind.Set, s.Name, s.Name, s.Title, null))
                    .Prepend(new Completion(CompletionKind.Set, RowSetNames.Logs, RowSetNames.Logs, "records of logs", null))
            );
        if (place.Wanted.HasFlag(Wanted.Value) && place.Field is { } field)
            found.AddRange(asked?.Values(place, field, before) ?? await Values(place, field, RunOf(asked, run)));
        if (place.Wanted.HasFlag(Wanted.Field))
            found.AddRange(
                asked?.Fields(place, before) is { } fields ? Above(place, fields) : await Fields(place, RunOf(asked, run))
            );
        if (place.Wanted.HasFlag(Wanted.Function))
            found.AddRange(
                Functions
                    .List.Where(f => !f.Aggregate || kind is { TakesAggregates: true })
                    .OrderBy(f => f.Aggregate != kind is { PrefersAggregates: true })
                    .Select(f => new Completion(
                        CompletionKind.Function,
                        f.Name,
                        f.Name + (f.Most == 0 ? "()" : "("),
                        f.Signature,
                        f.Help
                    ))
            );
        found.AddRange(
            place.Keywords.Select(k => new Completion(
                CompletionKind.Keyword,
                k,
                k + " ",
                WordHelp.For(k)?.Title,
                WordHelp.For(k)?.Text
            ))
        );
        return
        [
            .. found
                .Where(c => Fits(c.Label, place.Prefix) && c.Label != place.Prefix)
                .OrderBy(c => !c.Label.StartsWith(place.Prefix, StringComparison.OrdinalIgnoreCase))
                .Take(Most),
        ];
    }

    private static bool Fits(string label, string prefix) =>
        prefix.Length == 0 || label.Contains(prefix, StringComparison.OrdinalIgnoreCase);

    /// <summary>The set that the query which is being written reads; null where it names none.</summary>
    private static string? SetAsked(string before) =>
        From().Matches(before) is { Count: > 0 } matches ? matches[^1].Groups[1].Value.ToLowerInvariant() : null;

    [GeneratedRegex(@"\bfrom\s+([A-Za-z_]\w*)", RegexOptions.IgnoreCase)]
    private static partial Regex From();

    /// <summary>All rows of a set in the focus.</summary>
    private static Run RunOf(RowSet? set, Run run) => set is null ? run : run.Other("from " + set.Name);

    /// <summary>What stages above have made, and what the rows have unless a group hides it.</summary>
    private static IEnumerable<Completion> Above(CompletionPlace place, IEnumerable<Completion> fields)
    {
        var above = Computed(place.Before, out var grouped)
            .Select(name => new Completion(
                CompletionKind.Field,
                name,
                place.Quoted ? name : Keywords.Name(name, place.Stage.Length == 0),
                "computed above",
                null
            ));
        return grouped ? above : above.Concat(fields).DistinctBy(c => c.Label);
    }

    private static async Task<IEnumerable<Completion>> Fields(CompletionPlace place, Run run)
    {
        var match = place.Stage.Length == 0;
        string Written(string name) => place.Quoted ? name : Keywords.Name(name, match);
        var presence = await run.Presence();
        var known = presence.ToDictionary(p => p.Name, StringComparer.Ordinal);
        var common = WordHelp
            .Fields.Where(f => !known.ContainsKey(f.Word))
            .Select(f => new Completion(CompletionKind.Field, f.Word, f.Word, null, f.Text));
        var found = presence.Select(p => new Completion(
            CompletionKind.Field,
            p.Name,
            Written(p.Name),
            null,
            WordHelp.Fields.FirstOrDefault(f => f.Word == p.Name)?.Text,
            p.Present,
            p.Total
        ));
        return Above(place, run.ReadsRecords ? found.Concat(common) : found);
    }

    /// <summary>Names that stages above have made.</summary>
    /// <param name="grouped">Whether these are all the fields there are.</param>
    private static List<string> Computed(string before, out bool grouped)
    {
        var names = new List<string>();
        grouped = false;
        foreach (var stage in QueryParser.Parse(before).Query.Stages)
        {
            if (stage.HidesOthers)
                (names, grouped) = ([], true);
            names.AddRange(stage.Makes);
        }
        return names;
    }

    private static async Task<IEnumerable<Completion>> Values(CompletionPlace place, string field, Run run)
    {
        if (field == "level")
        {
            var levels = await run.Field("level", null, MostValues);
            return Severity
                .Names.Reverse()
                .Select(name => new Completion(
                    CompletionKind.Value,
                    name,
                    name,
                    null,
                    null,
                    levels?.Top.FirstOrDefault(v => v.Value.ToText() == name)?.Count ?? 0
                ));
        }
        if (field is "time" or "observed" or "body" || await run.Field(field, null, MostValues) is not { } summary)
            return [];
        return summary
            .Top.Where(v => v.Value.Kind is not (ValueKind.List or ValueKind.Object))
            .Select(v =>
            {
                var text = v.Value.ToText();
                var written = place.Quoted ? Keywords.Quote(text)[1..^1] : QueryPrinter.PrintMatch(Literals.For(v.Value));
                return new Completion(CompletionKind.Value, text, written, null, null, v.Count);
            });
    }
}
