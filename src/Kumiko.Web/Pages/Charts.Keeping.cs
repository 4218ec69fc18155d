using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Query;
using Kumiko.Core.Searches;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>Charts kept under a name, and frozen as they are.</summary>
public sealed partial class ChartsModel
{
    public async Task<IActionResult> OnPostKeepAsync(
        string? name,
        string? note,
        string? tags,
        string? address,
        bool withTime,
        bool shared
    )
    {
        if (!viewer.MayKeep)
            return StatusCode(403);
        var (chart, problem) = Read(address);
        if (problem is not null)
            return Refused(chart, problem);
        var titled = chart with
        {
            Board = chart.Board with { Title = chart.Board.Title.Length > 0 ? chart.Board.Title : (name ?? "").Trim() },
        };
        var kept = new KeptSearch
        {
            Kind = KeptKind.Chart,
            Name = (name ?? "").Trim(),
            Note = (note ?? "").Trim(),
            Tags = KeptSearch.ReadTags(tags),
            Address = (
                withTime ? titled : titled with { View = titled.View with { Focus = SearchAddress.DefaultFocus, Span = null } }
            ).Url(""),
            Query = string.Join("\n", titled.Board.Series.Select(s => $"{s.Name}: {s.InWords}")),
            Shared = shared,
            Author = viewer.Id,
        };
        if (kept.Problem() is { } wrong)
            return Refused(chart, wrong);
        var id = await searches.Keep(kept);
        return Redirect(titled.Url(more: ("kept", id.ToString(CultureInfo.InvariantCulture))));
    }

    /// <summary>Keeps the picture and its figures as they are now, under a link of their own.</summary>
    public async Task<IActionResult> OnPostFreezeAsync(string? name, string? address)
    {
        if (!viewer.MayKeep)
            return StatusCode(403);
        var (chart, problem) = Read(address);
        if (problem is not null)
            return Refused(chart, problem);
        var answer = await boards.Read(chart, viewer.Name, Now, Zone, FrozenChart.Width, ChartHeight, HttpContext.RequestAborted);
        if (answer.Drawing is null)
            return Refused(chart, "There is nothing to freeze: no series is drawn.");
        string title;
        if ((name ?? "").Trim() is { Length: > 0 } given)
            title = given;
        else if (chart.Board.Title.Length > 0)
            title = chart.Board.Title;
        else
            title = string.Join(", ", chart.Board.Series.Select(s => s.Name));
        var legend = new BoardLegend(answer, chart.Board);
        var id = await searches.Freeze(
            new FrozenResult
            {
                Kind = KeptKind.Chart,
                Title = title.Length > KeptSearch.LongestName ? title[..KeptSearch.LongestName] : title,
                Address = (
                    chart with
                    {
                        View = chart.View with
                        {
                            Focus = new TimeRange(Moment.At(answer.Focus.From), Moment.At(answer.Focus.To)),
                        },
                    }
                ).Url(""),
                Words = Format.Stretch(answer.Focus.From, answer.Focus.To, Zone, Now) + ", " + Zone.Id,
                Rows = legend.Rows.Count,
                Author = viewer.Id,
            },
            FrozenChart.Write(answer.Drawing, chart.Board, legend)
        );
        return Redirect("/frozen/" + id);
    }

    private RedirectResult Refused(ChartAddress chart, string problem) =>
        Redirect(chart.Url(more: ("problem", problems.Keep(viewer.Id, problem))));

    private (ChartAddress Chart, string? Problem) Read(string? address)
    {
        Prepare();
        var values = Microsoft.AspNetCore.WebUtilities.QueryHelpers.ParseQuery(address ?? "");
        var notices = new List<string>();
        var chart = ChartAddress.Parse(name => values.TryGetValue(name, out var value) ? value.ToString() : null, Now, notices);
        Zone = viewer.Zone(chart.View.Zone);
        if (notices.Count > 0)
            return (chart, notices[0]);
        return (chart, chart.Board.Series.Count == 0 ? "There is no series to keep." : null);
    }
}
