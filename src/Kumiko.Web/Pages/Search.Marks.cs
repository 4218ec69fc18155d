using Kumiko.Core.Records;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>A mark with the number of records that hold it.</summary>
public sealed record MarkCount(TermMark Mark, long Records);

/// <summary>The marks of a view, counted.</summary>
public sealed record MarksPart(IReadOnlyList<MarkCount> Marks, SearchAddress Address, Core.Query.Run Run);

/// <summary>Terms that are set off in colours.</summary>
public sealed partial class SearchModel
{
    /// <summary>How many records of the answer hold each mark.</summary>
    public async Task<IActionResult> OnGetMarksAsync()
    {
        Prepare();
        return await Part("_Marks", async () =>
        {
            var counts = new List<MarkCount>();
            foreach (var mark in Address.Marks)
                counts.Add(new MarkCount(mark, (await Run.Holding(mark.Text).Matches(Run.Question.Window)).Count));
            return new MarksPart(counts, Address, Run);
        });
    }

    /// <summary>The next record below or above one that holds a text, as the page has them.</summary>
    public async Task<IActionResult> OnGetMarkAsync(string? text, string? id, bool back)
    {
        Prepare();
        if (text is not { Length: > 0 and <= TermMark.Longest } || RecordId.Parse(id) is not { } from || !Run.ReadsOn)
            return new JsonResult(new { });
        using var reading = Run.Attach(HttpContext.RequestAborted);
        var holding = Run.Holding(text);
        // What is below is older, or newer where the oldest comes first.
        var found =
            back == Address.OldestFirst ? await holding.Records(from, 1) : await holding.Above(from, Run.Question.Window, 1);
        return new JsonResult(found is [var next] ? new { url = (Address with { At = next.Id }).Url() } : new { url = "" });
    }
}
