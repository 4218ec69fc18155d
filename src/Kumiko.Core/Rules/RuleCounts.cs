using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Storage;
using NodaTime;

namespace Kumiko.Core.Rules;

/// <summary>The values of a rule at many checks, by the query path that pages use.</summary>
public static class RuleCounts
{
    /// <param name="checks">Instants in rising order.</param>
    /// <returns>For each check the number of matching records in [check − look-back, check).</returns>
    /// <exception cref="QueryRefusedException">The query cannot be read or asks too much; the message says why.</exception>
    public static async Task<long[]> At(Rule rule, IReadOnlyList<long> checks, Snapshot snapshot)
    {
        if (checks.Count == 0) return [];
        var parsed = QueryParser.Parse(rule.Query);
        if (!parsed.Ok) throw new QueryRefusedException($"{parsed.Errors[0].Describe(rule.Query)}");
        var window = new Window(checks[0] - rule.LookBack, checks[^1]);
        var zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(rule.Zone) ?? DateTimeZone.Utc;
        using var run = new Run(new Question("rule", parsed, window, checks[^1], zone, Limits.Default), snapshot);
        var times = (await run.Matches(window)).Times();
        return [.. checks.Select(check => (long)(LowerBound(times, check) - LowerBound(times, check - rule.LookBack)))];
    }

    private static int LowerBound(long[] times, long time)
    {
        var (low, high) = (0, times.Length);
        while (low < high)
        {
            var middle = (low + high) >>> 1;
            if (times[middle] < time) low = middle + 1; else high = middle;
        }
        return low;
    }
}

/// <param name="From">The first check at which it would have been true.</param>
/// <param name="To">The first check at which it would have ended; null while still true.</param>
public sealed record TrialEpisode(long From, long? To, AlertLevel Level, long Highest);

/// <summary>What a rule would have done over a stretch of history.</summary>
public sealed record Trial(Window Window, IReadOnlyList<(long At, long Value)> Values, IReadOnlyList<TrialEpisode> Episodes)
{
    public static async Task<Trial> Of(Rule rule, Window window, Snapshot snapshot)
    {
        var checks = new List<long>();
        for (var at = window.To; at > window.From; at -= rule.Interval) checks.Add(at);
        checks.Reverse();
        var values = await RuleCounts.At(rule, checks, snapshot);
        var episodes = new List<TrialEpisode>();
        var episode = new Episode(rule);
        for (var i = 0; i < checks.Count; i++)
        {
            var turn = episode.Judge(checks[i], values[i]);
            if (turn?.Kind == TurnKind.Started) episodes.Add(new TrialEpisode(checks[i], null, turn.Level, values[i]));
            else if (turn?.Kind == TurnKind.Ended) episodes[^1] = episodes[^1] with { To = checks[i] };
            if (episode.Level != AlertLevel.None) episodes[^1] = episodes[^1] with { Level = episode.Level, Highest = episode.Highest };
        }
        return new Trial(window, [.. checks.Zip(values)], episodes);
    }
}
