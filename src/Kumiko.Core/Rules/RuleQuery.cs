using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>A query of a rule and what it must be.</summary>
/// <param name="Name">What it is called in sentences.</param>
public sealed record RuleQuery(string Name, string Text)
{
    private const int Longest = 16_384;

    /// <summary>Whether it ends in figures of its own; else it leaves rows that are counted.</summary>
    public bool MakesFigures { get; init; }

    /// <summary>Whether it is asked of records as they come in.</summary>
    public bool IsOneByOne { get; init; }

    /// <summary>Whether windows of it can be put together of slices.</summary>
    public bool IsQuick =>
        QueryParser.Parse(Text) is { Ok: true, Query: var query } && SlidingQuery.Fits(MakesFigures ? query : query.Counted());

    public IEnumerable<string> Faults()
    {
        var parsed = QueryParser.Parse(Text);
        if (Text.Length > Longest)
            yield return $"{Name} has more than {Longest} characters.";
        else if (!parsed.Ok)
            yield return $"{Name}: {parsed.Errors[0].Describe(Text)}";
        else if (Parameters.WithoutValue(parsed.Query) is [{ Name: var open }, ..])
            yield return $"{Name}: :{open} is without a value. Write the value itself.";
        else if (parsed.Query.Stages.OfType<Group>().Any(g => g.Per is not null))
            yield return $"{Name}: a rule has steps of its own. Take “per” away; what each check looks at takes its place.";
        else if (
            IsOneByOne
            && (
                parsed.Query.From is { Set: not "logs" }
                || parsed.Query.With.Count > 0
                || parsed.Query.Stages.Any(s => s is Join or Union)
            )
        )
            yield return $"{Name}: only records come in one by one. Take “from”, “with” and joins away, or count instead.";
        else if (!MakesFigures && parsed.Query.Stages.Any(s => !(s.IsRowByRow || s is Join or Union)))
            yield return $"{Name}: what is counted are its rows, so it ends before group, order by or limit.";
        else if (MakesFigures && !parsed.Query.Stages.Any(s => s is Group))
            yield return $"{Name}: it needs a figure. End it with a group, such as group avg(wait).";
    }
}
