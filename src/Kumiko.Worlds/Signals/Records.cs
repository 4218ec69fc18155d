using System.Globalization;
using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Signals;

/// <summary>
/// What services write, in plain words: a record for each visit, for each call that failed, when they start, and before they are
/// ended. For one thread.
/// </summary>
public sealed class Records(Simulation world)
{
    private readonly Resources _resources = new(world);

    /// <summary>Records that begin in a minute, in the order in which they were made.</summary>
    public IEnumerable<LogRecord> Of(DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        foreach (var visit in world.Visits(minute, plays))
            if (visit.Host >= 0)
                foreach (var record in OfVisit(visit, minute, plays))
                    yield return record;
        foreach (var service in world.Instances.Services)
            for (var h = 0; h < service.Hosts.Count; h++)
                foreach (var record in OfProcess(service, h, minute, plays))
                    yield return record;
    }

    private IEnumerable<LogRecord> OfVisit(Visit visit, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var node = world.Graph.Nodes[visit.Node];
        var resource = _resources.ProcessOf(node.Of, visit.Host, minute, plays);
        foreach (var call in visit.Calls)
            if (call.Error.Length > 0)
            {
                var callee = world.Graph.Nodes[call.Callee].Of.Name;
                yield return Made(
                    call.End,
                    "warn",
                    call.Error == Walk.TimedOut
                        ? FormattableString.Invariant(
                            $"{callee} did not answer within {(call.End - call.Start) / 1_000_000} ms, try {call.Attempt}"
                        )
                        : FormattableString.Invariant($"{callee} answered {call.Error}, try {call.Attempt}"),
                    resource,
                    visit
                );
            }
        var took = visit.Milliseconds.ToString("0.0", CultureInfo.InvariantCulture);
        yield return visit switch
        {
            { Error.Length: > 0 } => Made(
                visit.End,
                "error",
                $"{node.Operation.Name} failed after {took} ms: {visit.Error}",
                resource,
                visit
            ),
            { IsRefused: true } => Made(visit.End, "info", $"{node.Operation.Name} turned down after {took} ms", resource, visit),
            _ => Made(visit.End, "info", $"{node.Operation.Name} done in {took} ms", resource, visit),
        };
    }

    private IEnumerable<LogRecord> OfProcess(Service service, int host, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        var instance = world.Instances.At(service, host, minute.AddMinutes(1), plays);
        if (instance.Start >= minute && instance.Start < minute.AddMinutes(1))
        {
            var started = _resources.ProcessOf(service, host, instance.Start, plays);
            var version = started.Attributes.Get("service.version").ToText();
            yield return Made(Instants.FromDateTime(instance.Start), "info", $"Started {service.Name} {version}", started, null);
        }
        // Only the last records before an end tell.
        if (world.Instances.EndsIn(service, host, minute, plays) is not { } end)
            yield break;
        var resource = _resources.ProcessOf(service, host, minute, plays);
        var limit = service.MemoryLimit.ToString("0", CultureInfo.InvariantCulture);
        yield return Made(
            Instants.FromDateTime(end.AddSeconds(-4)),
            "warn",
            $"memory is at {limit} of {limit} MiB, nothing left to let go",
            resource,
            null
        );
        yield return Made(Instants.FromDateTime(end), "error", $"ended: more than {limit} MiB of memory", resource, null);
    }

    private static LogRecord Made(long time, string level, string body, Resource resource, Visit? visit) =>
        new()
        {
            Time = time,
            Observed = time,
            SeverityNumber = Severity.FromText(level),
            SeverityText = level,
            Body = body,
            Resource = resource,
            TraceId = visit?.Trace.Id,
            SpanId = visit?.SpanId,
            Source = WorldFolder.Source,
        };
}
