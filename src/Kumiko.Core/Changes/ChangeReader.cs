using System.Globalization;
using System.Text.Json;
using Kumiko.Core.Records;

namespace Kumiko.Core.Changes;

/// <summary>The parts of a CloudEvent (specification 1.0) that tell of a change.</summary>
/// <param name="Time">UTC nanoseconds; null where the event has none.</param>
/// <param name="Data">What the event carries, where that is JSON.</param>
public sealed record ChangeEvent(string Id, string Source, string Type, string? Subject, long? Time, JsonElement? Data)
{
    /// <summary>Whether the event has a time that cannot be kept.</summary>
    public bool HasWrongTime { get; init; }
}

/// <summary>Reads a change out of an event, whatever names its sender gave the parts.</summary>
public static class ChangeReader
{
    private static readonly string[] What = ["what", "name", "title", "summary"];
    private static readonly string[] Place = ["where", "place", "service", "target", "host"];
    private static readonly string[] From = ["from", "before", "old", "previous"];

    // Flags and versions also by the names that OpenTelemetry's conventions give them.
    private static readonly string[] To =
    [
        "to",
        "after",
        "new",
        "version",
        "feature_flag.result.variant",
        "feature_flag.variant",
        "feature_flag.result.value",
        "service.version",
    ];
    private static readonly string[] Who = ["who", "by", "author", "user", "actor"];
    private static readonly string[] Kind = ["kind"];
    private static readonly string[] Flag = ["feature_flag.key"];
    private static readonly string[] RollOut = ["roll_out", "rollout", "deployment.id", "deployment"];
    private static readonly string[] Share = ["share", "part", "percent"];
    private static readonly (EntityKind Kind, string[] Names)[] Scopes =
    [
        (EntityKind.Service, ["services", "service", "service.name"]),
        (EntityKind.Host, ["hosts", "host", "host.name"]),
        (EntityKind.Instance, ["instances", "instance", "service.instance.id", "k8s.pod.name", "container.id"]),
        (EntityKind.Place, ["places", "place", "zone", "region"]),
    ];

    private static readonly string[] Known = [.. Change.Kinds.Where(k => k != "other")];

    /// <param name="sender">Tells senders apart: what one calls its event is not what another calls so.</param>
    /// <param name="source">The source whose token sent it.</param>
    /// <param name="reason">Set where the answer is null.</param>
    public static Change? Read(ChangeEvent from, string sender, string source, long now, out string? reason)
    {
        var place = Text(from, Place) ?? from.Subject ?? "";
        var change = new Change(
            $"{sender} {from.Source}#{from.Id}",
            from.Time ?? now,
            Text(from, What) ?? Text(from, Flag) ?? Text(from, Kind) ?? from.Type,
            place,
            Text(from, From) ?? "",
            Text(from, To) ?? "",
            Text(from, Who) ?? from.Source
        )
        {
            Kind = Text(from, Kind) ?? (Text(from, Flag) is null ? KindOf(from.Type) : "flag"),
            Scope = ScopeOf(from),
            RollOut = Text(from, RollOut) ?? "",
            Share = ShareOf(Text(from, Share), Text(from, ["percent"]) is not null),
            Source = source,
            EventId = from.Id,
            EventSource = from.Source,
        };
        // A clock from the year 1 has no place among nanoseconds.
        reason = from.Time is null && from.HasWrongTime ? "The time lies outside the years 1678 to 2261." : change.Problem();
        return reason is null ? change : null;
    }

    /// <summary>What the event names as services, hosts, instances and places; null where it names none, as then its words tell
    /// it.</summary>
    private static ChangeScope? ScopeOf(ChangeEvent from)
    {
        var scope = ChangeScope.Nowhere;
        foreach (var (kind, names) in Scopes)
        foreach (var name in names.SelectMany(n => Texts(from, n)))
            scope = scope.With(kind, name);
        return scope.IsEmpty ? null : scope;
    }

    private static IEnumerable<string> Texts(ChangeEvent from, string name)
    {
        if (from.Data is not { ValueKind: JsonValueKind.Object } data || !data.TryGetProperty(name, out var value))
            return [];
        var items = value.ValueKind == JsonValueKind.Array ? value.EnumerateArray().Take(Change.MostNames + 1) : [value];
        return items.Where(i => i.ValueKind == JsonValueKind.String).Select(i => i.GetString()!.Trim()).Where(t => t.Length > 0);
    }

    /// <summary><c>0.125</c>, <c>12.5 %</c> or, of percent, <c>12.5</c>; null where it is not said, and not a number where it cannot
    /// be read.</summary>
    public static double? ShareOf(string? text, bool isPercent = false)
    {
        if (string.IsNullOrWhiteSpace(text))
            return null;
        var of = text.Trim();
        if (of.EndsWith('%'))
            (of, isPercent) = (of[..^1].TrimEnd(), true);
        return double.TryParse(of, NumberStyles.Float, CultureInfo.InvariantCulture, out var share)
            ? share / (isPercent ? 100 : 1)
            : double.NaN;
    }

    private static string? Text(ChangeEvent from, string[] names)
    {
        if (from.Data is not { ValueKind: JsonValueKind.Object } data)
            return null;
        foreach (var name in names)
            if (
                data.TryGetProperty(name, out var value)
                && value.ValueKind is JsonValueKind.String or JsonValueKind.Number or JsonValueKind.True or JsonValueKind.False
            )
                return value.ValueKind == JsonValueKind.String ? value.GetString() : value.GetRawText();
        return null;
    }

    /// <summary>Of a type such as <c>example.skerry.deploy.v1</c> the word that is a kind.</summary>
    private static string KindOf(string type) =>
        type.Split('.', '/', '-', '_').FirstOrDefault(w => Known.Any(k => w.StartsWith(k, StringComparison.OrdinalIgnoreCase)))
            is { } word
            ? Known.First(k => word.StartsWith(k, StringComparison.OrdinalIgnoreCase))
            : "";
}
