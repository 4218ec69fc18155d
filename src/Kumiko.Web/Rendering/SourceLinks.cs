using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Web.Rendering;

/// <summary>Addresses of what has to do with a source.</summary>
public static class SourceLinks
{
    /// <summary>Its own page.</summary>
    public static string Of(string source) =>
        "/sources/of/" + Uri.EscapeDataString(source).Replace("%2F", "/", StringComparison.Ordinal);

    /// <summary>How its lines are read.</summary>
    public static string Lines(string source) =>
        "/sources/lines/" + Uri.EscapeDataString(source).Replace("%2F", "/", StringComparison.Ordinal);

    /// <summary>Its records.</summary>
    /// <param name="of">The times they are of; the usual stretch where it is null.</param>
    public static string Search(string source, Core.Frames.Window? of = null)
    {
        var address = new SearchAddress { Query = QueryEdits.With("", "source", Value.Of(source), false).Text };
        return (of is { } stretch ? address with { Focus = new(Moment.At(stretch.From), Moment.At(stretch.To)) } : address).Url();
    }
}
