using Kumiko.Core.Records;

namespace Kumiko.Core.Entities;

/// <summary>Which instance a resource is, by the names that OpenTelemetry's conventions give its parts.</summary>
/// <param name="Start">When it says that it began, UTC nanoseconds; null where it does not say.</param>
public sealed record InstanceIdentity(string Id, string Kind, string Service, string Host, long? Start)
{
    private static readonly (string Field, string Kind)[] Ids =
    [
        ("container.id", "container"),
        ("k8s.pod.name", "pod"),
        ("k8s.pod.uid", "pod"),
        ("service.instance.id", "instance"),
    ];

    private static readonly string[] Starts =
    [
        "process.creation.time",
        "process.start_time",
        "container.start_time",
        "k8s.container.start_time",
        "k8s.pod.start_time",
    ];

    /// <summary>Null for a resource that names no instance.</summary>
    public static InstanceIdentity? Of(Resource resource)
    {
        var fields = resource.Attributes;
        if (fields.Count == 0)
            return null;
        var (service, host) = (Cut(resource.Service), Cut(resource.Host));
        var start = Starts.Select(s => Time(fields.Get(s))).FirstOrDefault(t => t is not null);
        var named = fields.Get("service.instance.id");
        foreach (var (field, kind) in Ids)
            if (fields.Get(field) is { IsMissing: false } id && id.ToText() is { Length: > 0 and <= Longest } text)
                // What it calls itself is better known than the number of its container.
                return new InstanceIdentity(kind != "pod" && !named.IsMissing ? Cut(named) : text, kind, service, host, start);
        return fields.Get("process.pid") is { IsMissing: false } pid
            ? new InstanceIdentity($"{(host.Length > 0 ? host : service)}:{Cut(pid)}", "process", service, host, start)
            : null;
    }

    /// <summary>Longer names are no names, and would be held for each.</summary>
    public const int Longest = 500;

    private static string Cut(Value name) => name.ToText() is { Length: > Longest } text ? text[..Longest] : name.ToText();

    private static long? Time(Value value) =>
        value.Kind switch
        {
            ValueKind.Time => value.AsLong,
            ValueKind.Text => Instants.TryParse(value.AsText, out var time) ? time : null,
            ValueKind.Integer => Instants.TryFromEpoch(value.AsLong, out var time) ? time : null,
            _ => null,
        };
}
