using Kumiko.Charts;
using Kumiko.Web.Pages;

namespace Kumiko.Web.Rendering;

/// <summary>The row of a series that is edited.</summary>
public sealed record SeriesFormPart(BoardSeries Series, ChartsModel Page);

/// <summary>What a form on the page of charts sends along so that its answer knows the chart.</summary>
public static class ChartHidden
{
    /// <param name="act">The change that the form makes; null for a form of another handler.</param>
    public static IEnumerable<(string Name, string Value)> Of(
        ChartAddress address,
        string? act,
        params (string Name, string Value)[] more
    )
    {
        foreach (var pair in (address.View with { Kept = [] }).Pairs())
            yield return pair;
        yield return ("c", address.Board.ToJson());
        if (address.Moment is { } moment)
            yield return ("moment", Core.Query.Moment.At(moment).ToString());
        if (act is not null)
        {
            yield return ("handler", "Edit");
            yield return ("act", act);
        }
        foreach (var pair in more)
            yield return pair;
    }
}
