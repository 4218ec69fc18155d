using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Entities;

/// <summary>What records tell of the end of an instance.</summary>
internal static class EndReasons
{
    private static readonly string[] Fields =
    [
        "k8s.container.status.last_terminated_reason",
        "container.exit.reason",
        "k8s.event.reason",
        "process.exit.code",
        "container.exit.code",
    ];

    /// <summary>Events of a cluster that are ends.</summary>
    private static readonly HashSet<string> Events = new(StringComparer.OrdinalIgnoreCase)
    {
        "OOMKilled",
        "OOMKilling",
        "Killing",
        "Evicted",
        "Preempted",
        "Completed",
    };

    /// <summary>Rows that tell of an end, and its reason.</summary>
    public static IEnumerable<(int Row, string Reason)> In(RecordBlock block)
    {
        var telling = Array.ConvertAll(block.Shapes, shape => Array.FindIndex(shape.Names, n => Fields.Contains(n)) >= 0);
        if (!telling.Contains(true))
            yield break;
        for (var row = 0; row < block.Count; row++)
            if (telling[block.ShapeOf[row]] && Reason(block[row].Attributes) is { } reason)
                yield return (row, reason);
    }

    private static string? Reason(Attributes fields)
    {
        foreach (var name in Fields)
            if (fields.Get(name) is { IsMissing: false } value && value.ToText() is { Length: > 0 } text)
            {
                if (name == "k8s.event.reason")
                    return Events.Contains(text) ? text : null;
                return name.EndsWith("code", StringComparison.Ordinal) ? $"exit code {text}" : text;
            }
        return null;
    }

    /// <summary>The instance that ended: the one that the record names, else the one that wrote it.</summary>
    public static InstanceIdentity? InstanceOf(RecordBlock block, int row)
    {
        var (own, resource) = (block[row].Attributes, block.Resources[block.ResourceOf[row]]);
        if (InstanceIdentity.Of(new Resource(own)) is not { } named)
            return InstanceIdentity.Of(resource);
        return named with
        {
            Service = named.Service.Length > 0 ? named.Service : resource.Service.ToText(),
            Host = named.Host.Length > 0 ? named.Host : resource.Host.ToText(),
        };
    }
}
