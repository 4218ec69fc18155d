namespace Kumiko.Core.Delivery;

/// <summary>A route that an alert takes, with the channels that are there.</summary>
public sealed record RouteHit(Route Route, IReadOnlyList<Channel> Channels);

/// <summary>All that decides who is told of what, as it was at one moment.</summary>
public sealed record RouteBook(
    IReadOnlyList<Route> Routes,
    IReadOnlyList<NamedCalendar> Calendars,
    IReadOnlyList<Channel> Channels,
    IReadOnlyList<QuietTime> QuietTimes
)
{
    public DutyCalendar? Calendar(long? id) => Calendars.FirstOrDefault(c => c.Id == id)?.Calendar;

    public Channel? Channel(long? id) => Channels.FirstOrDefault(c => c.Id == id);

    public Route? Route(long? id) => Routes.FirstOrDefault(r => r.Id == id);

    /// <summary>The channels of some ids that are there and not paused.</summary>
    public IReadOnlyList<Channel> Among(IEnumerable<long> ids) =>
        [.. ids.Distinct().Select(id => Channel(id)).OfType<Channel>().Where(c => !c.IsPaused)];

    /// <summary>Whether a route holds at an instant, whatever the alert.</summary>
    public bool Holds(Route route, long at) =>
        !route.IsPaused && route.Definition.Times.Hold(at, Calendar(route.Definition.Times.Calendar));

    /// <summary>The routes that something takes at an instant.</summary>
    public IReadOnlyList<RouteHit> For(AlertFacts facts, long at) =>
        [
            .. Routes
                .Where(r => Holds(r, at) && r.Definition.Match.Meets(facts))
                .Select(r => new RouteHit(r, Among(r.Definition.Channels))),
        ];

    /// <summary>Of the quiet times that hold now, the one that ends last; null where there is none.</summary>
    public (QuietTime Quiet, long Until)? QuietFor(AlertFacts facts, long at) =>
        QuietTimes
            .Where(q => q.Definition.Match.Meets(facts))
            .Select(q => (q, Until: q.Definition.EndAfter(at)))
            .Where(q => q.Until is not null)
            .OrderByDescending(q => q.Until)
            .Select(q => ((QuietTime, long)?)(q.q, q.Until!.Value))
            .FirstOrDefault();
}
