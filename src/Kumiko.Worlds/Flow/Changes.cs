using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Flow;

/// <summary>Something that somebody did, harmless or not.</summary>
/// <param name="Id">The same whenever it is told.</param>
/// <param name="Share">Of requests that have it; null where all do.</param>
public sealed record Changed(
    string Id,
    DateTimeOffset At,
    string Kind,
    string What,
    string Where,
    string From,
    string To,
    string Who,
    string Service,
    IReadOnlyList<string> Hosts,
    double? Share = null
)
{
    /// <summary>What the steps of one roll-out have in common.</summary>
    public string RollOut { get; init; } = "";
}

/// <summary>What people change in a world: releases that do no harm, flags that are raised in steps, and what begins
/// and ends disturbances.</summary>
public static class Changes
{
    private static readonly string[] Releasers = ["Oluchi Brandt", "Oluchi Brandt", "Mirek Dane"];

    /// <summary>Changes of a stretch of time, in its order.</summary>
    public static IReadOnlyList<Changed> Between(
        Simulation world,
        DateTimeOffset from,
        DateTimeOffset until,
        IReadOnlyList<Play> plays
    )
    {
        var all = new List<Changed>();
        foreach (var service in world.Instances.Services.Where(s => s.ReleaseEvery > 0))
            all.AddRange(Releases(world, service, from, until));
        foreach (var flag in world.Topology.Flags)
            all.AddRange(Steps(world, flag));
        foreach (var play in plays)
            all.AddRange(Of(play));
        return [.. all.Where(c => c.At >= from && c.At < until).OrderBy(c => c.At)];
    }

    private static IEnumerable<Changed> Releases(Simulation world, Service service, DateTimeOffset from, DateTimeOffset until)
    {
        for (var at = until; ; )
        {
            var (number, released) = world.Instances.Releases(service, at);
            if (released < from)
                yield break;
            var who = Chance.Of(world.Seed, "who " + service.Name).Of(number);
            yield return new Changed(
                FormattableString.Invariant($"release-{service.Name}-{number}"),
                released,
                "deploy",
                service.Name,
                service.Name,
                Instances.VersionOf(service, (int)number - 1),
                Instances.VersionOf(service, (int)number),
                Releasers[(int)(who.Bits(0) % (ulong)Releasers.Length)],
                service.Name,
                [.. service.Hosts.Select(h => h.Name)]
            );
            at = released.AddMinutes(-1);
        }
    }

    private static IEnumerable<Changed> Steps(Simulation world, Flag flag)
    {
        var before = 0.0;
        foreach (var step in flag.Steps)
        {
            if (world.EndOfHistory == DateTimeOffset.MaxValue)
                yield break;
            yield return new Changed(
                FormattableString.Invariant($"flag-{flag.Key}-{step.Share}"),
                world.EndOfHistory.AddDays(-step.DaysAgo),
                "flag",
                "flag " + flag.Key,
                flag.Service,
                Percent(before),
                Percent(step.Share),
                "Tomas Verrall",
                flag.Service,
                [],
                step.Share
            )
            {
                RollOut = "flag " + flag.Key,
            };
            before = step.Share;
        }
    }

    private static string Percent(double share) =>
        share == 0 ? "off" : (share * 100).ToString("0.#", System.Globalization.CultureInfo.InvariantCulture) + " %";

    /// <summary>How a disturbance begins and how it is undone; nothing where nobody did anything.</summary>
    public static IEnumerable<Changed> Of(Play play)
    {
        var of = play.Of;
        if (of.Kind.Length == 0)
            yield break;
        var rollOut = FormattableString.Invariant($"{of.Number}-{play.Start.UtcTicks}");
        yield return new Changed(
            "change-" + rollOut,
            play.Start,
            of.Kind,
            of.What,
            of.Where,
            of.From,
            of.To,
            of.Who,
            of.Service,
            of.Hosts
        )
        {
            RollOut = rollOut,
        };
        if (play.End is { } end)
            yield return new Changed(
                "undo-" + rollOut,
                end,
                of.Kind,
                of.Undone ?? of.What + " rolled back",
                of.Where,
                of.To,
                of.From,
                of.UndoneBy.Length > 0 ? of.UndoneBy : of.Who,
                of.Service,
                of.Hosts
            )
            {
                RollOut = rollOut,
            };
    }
}
