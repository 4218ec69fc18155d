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

    /// <summary>Its records.</summary>
    public static string Search(string source) =>
        new SearchAddress { Query = QueryEdits.With("", "source", Value.Of(source), false).Text }.Url();
}
