using Kumiko.Charts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Web.Rendering.Notifications;

/// <summary>Why nobody was told of an alert, in sentences that say what can be changed.</summary>
/// <param name="Sentences">At least one.</param>
/// <param name="Routes">The routes that nearly held, to be opened.</param>
public sealed record WhyNobody(IReadOnlyList<string> Sentences, IReadOnlyList<Route> Routes)
{
    private const int MostRoutes = 6;

    /// <param name="alert">One of which nobody was told.</param>
    /// <param name="book">Routes and channels as they are now.</param>
    /// <param name="isWaiting">Whether who is told is not settled yet.</param>
    /// <param name="rule">Its rule; null where it was removed.</param>
    public static WhyNobody Of(Alert alert, Rule? rule, RouteBook book, bool isWaiting, DateTimeZone zone)
    {
        if (isWaiting)
            return new(["It is being told just now."], []);
        var facts = AlertFacts.Of(alert, alert.Level);
        var sentences = new List<string>
        {
            rule switch
            {
                null => "Its rule was removed.",
                { MailTo.Length: > 0 } => $"The rule has mail sent to {rule.MailTo} now, and did not when this alert began.",
                _ => "The rule names no address of its own: write one under “Mail to”.",
            },
        };
        if (book.Routes.Count == 0)
            return new([.. sentences, "There is no route yet: make one that leads this alert to a channel."], []);
        var hits = book.For(facts, alert.Started);
        foreach (var route in book.Routes.Take(MostRoutes))
            sentences.Add($"The route “{route.Name}” {Reason(route, facts, alert, book, hits, zone)}.");
        if (book.Routes.Count > MostRoutes)
            sentences.Add($"So it is with {Format.Count(book.Routes.Count - MostRoutes, "more route", "more routes")}.");
        return new(sentences, [.. book.Routes.Where(r => r.Definition.Match.Meets(facts)).Take(MostRoutes)]);
    }

    private static string Reason(
        Route route,
        AlertFacts facts,
        Alert alert,
        RouteBook book,
        IReadOnlyList<RouteHit> hits,
        DateTimeZone zone
    )
    {
        if (hits.FirstOrDefault(h => h.Route.Id == route.Id) is { } hit)
            return hit.Channels.Count == 0
                ? "is for it, but its channels are paused or removed"
                : "would tell it today; it was made or changed after this alert began";
        if (route.IsPaused)
            return "is paused";
        var match = route.Definition.Match;
        if (match.Teams.Count > 0 && !match.Teams.Contains(facts.Team, StringComparer.OrdinalIgnoreCase))
            return $"is for the team {string.Join(" or ", match.Teams)}; this alert is {(facts.Team.Length > 0 ? "for " + facts.Team : "for no team")}";
        if (match.Labels.Count > 0 && !facts.Labels.Any(l => match.Labels.Contains(l, StringComparer.OrdinalIgnoreCase)))
            return $"is for the label {string.Join(" or ", match.Labels)}, which the rule does not have";
        if (match.Sources.Count > 0 && !facts.Sources.Any(s => match.Sources.Contains(s, StringComparer.OrdinalIgnoreCase)))
            return $"is for {string.Join(" or ", match.Sources)}, of which this alert does not speak";
        if (match.Rules.Count > 0 && !match.Rules.Contains(facts.Rule, StringComparer.OrdinalIgnoreCase))
            return "is for other rules";
        if (facts.Level < match.Least)
            return "takes critical alerts only, and this one was a warning";
        return $"does not hold at {Format.Moment(alert.Started, zone)}: it has other hours or days";
    }
}
