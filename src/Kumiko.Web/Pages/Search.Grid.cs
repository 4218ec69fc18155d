using Kumiko.Core.Records;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>The answer as a table.</summary>
public sealed partial class SearchModel
{
    /// <summary>The table; null where the answer is read otherwise.</summary>
    public GridPart? Grid { get; private set; }

    /// <summary>The table, or the rows of it below a record.</summary>
    private async Task<GridPart> GridOf(RecordId? below)
    {
        if (Frame is not null)
            return GridPart.Of(Frame, Address, Run);
        var upwards = Address.OldestFirst && Run.ReadsOn;
        var found = upwards
            ? await Run.Above(below ?? new RecordId(Run.Question.Window.From - 1, long.MaxValue), Run.Question.Window, RowsAtOnce)
            : await Run.Records(below, Run.ReadsOn ? RowsAtOnce : GridPart.MostRows);
        var isFull = Run.ReadsOn && found.Count == RowsAtOnce;
        return GridPart.Of(found, Address, Run) with
        {
            MoreUrl = isFull ? Address.FragmentUrl(Run, "GridRows", ("below", found[^1].Id.ToString())) : null,
            End = isFull || found.Count == 0 ? null : "That is all.",
        };
    }

    public async Task<IActionResult> OnGetGridRowsAsync(string? below)
    {
        Prepare();
        if (RecordId.Parse(below) is not { } known || Run.IsGrouped)
            return NotFound();
        return await Part("_GridRows", async () => await GridOf(known));
    }
}
