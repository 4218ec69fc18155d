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
    private static readonly string[] To = ["to", "after", "new", "version"];
    private static readonly string[] Who = ["who", "by", "author", "user", "actor"];
    private static readonly string[] Kind = ["kind"];

    private static readonly string[] Kinds = ["deploy", "flag", "config", "restart"];

    /// <param name="sender">Tells senders apart: what one calls its event is not what another calls so.</param>
    /// <param name="source">The source whose token sent it.</param>
    /// <param name="reason">Set where the answer is null.</param>
    public static Change? Read(ChangeEvent from, string sender, string source, long now, out string? reason)
    {
        var place = Text(from, Place) ?? from.Subject ?? "";
        var change = new Change(
            $"{sender} {from.Source}#{from.Id}",
            from.Time ?? now,
            Text(from, What) ?? Text(from, Kind) ?? from.Type,
            place,
            Text(from, From) ?? "",
            Text(from, To) ?? "",
            Text(from, Who) ?? from.Source
        )
        {
            Kind = Text(from, Kind) ?? KindOf(from.Type),
            Source = source,
            EventId = from.Id,
            EventSource = from.Source,
        };
        // A clock from the year 1 has no place among nanoseconds.
        reason = from.Time is null && from.HasWrongTime ? "The time lies outside the years 1678 to 2261." : change.Problem();
        return reason is null ? change : null;
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
        type.Split('.', '/', '-', '_').FirstOrDefault(w => Kinds.Any(k => w.StartsWith(k, StringComparison.OrdinalIgnoreCase)))
            is { } word
            ? Kinds.First(k => word.StartsWith(k, StringComparison.OrdinalIgnoreCase))
            : "";
}
