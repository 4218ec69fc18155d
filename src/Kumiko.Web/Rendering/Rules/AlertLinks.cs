using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>Where the records behind an alert are read.</summary>
public static class AlertLinks
{
    /// <summary>The records of the alert's key that its window held; null where it is not made of records.</summary>
    /// <param name="from">The check from which on, without what it looks back at.</param>
    public static SearchAddress? Search(Alert alert, long from, long? to)
    {
        var definition = alert.Definition;
        if (AlertRecords.Query(alert) is not { } query)
            return null;
        // What happens stands at the record itself.
        var end = to is { } until
            ? Moment.At(until - definition.Delay + (definition.Quantity.IsFigure ? 0 : Instants.Second))
            : Moment.Now;
        return new SearchAddress
        {
            Query = query,
            Focus = new TimeRange(Moment.At(from - definition.Delay - definition.InTheLast), end),
        };
    }
}
