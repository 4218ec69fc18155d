using Kumiko.Charts;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>The parts of the page that are fetched by themselves.</summary>
public sealed partial class SearchModel
{
    /// <summary>More of one field's values than the list shows.</summary>
    private const int ValuesOfField = 12;

    /// <summary>Clocks of senders may be so far ahead.</summary>
    private const long AheadOfTime = Instants.Day;

    public async Task<IActionResult> OnGetFieldsAsync()
    {
        Prepare();
        return await Part("_Fields", async () => await FieldsOf());
    }

    /// <summary>One field: most frequent, rarest, moved; numbers as a histogram.</summary>
    public async Task<IActionResult> OnGetFieldAsync(string? name)
    {
        Prepare();
        return await Part("_Field", async () =>
            new FieldPart(name ?? "", await Run.Field(name ?? "", Baseline, ValuesOfField), Address, Zone, Baseline, Run)
        );
    }

    public async Task<IActionResult> OnGetCountsAsync()
    {
        Prepare();
        return await Part("_Counts", async () =>
        {
            // What is known by then is shown as at least so much, and asked for again.
            var counts = Run.Counts();
            await Task.WhenAny(counts, Task.Delay(CountsPatience));
            return new CountsPart(counts.IsCompleted || Run.CountsSoFar is not { } soFar ? await counts : soFar, Address, Run)
            {
                Usual = counts.IsCompleted && Run.ReadsRecords ? await Run.UsualCount(Baseline) : null,
            };
        });
    }

    /// <summary>What each condition takes, and how the answer came about.</summary>
    public async Task<IActionResult> OnGetHowAsync()
    {
        Prepare();
        return await Part("_How", async () =>
            new HowPart(await Run.Counts(), await Run.Explain(conditions: false), Address, Parsed.Query)
        );
    }

    public async Task<IActionResult> OnGetHintsAsync()
    {
        Prepare();
        return await Part("_Hints", async () => new HintsPart(await Run.Hints(), Address, Zone, Run.Question));
    }

    /// <summary>The strip alone, for another span of it.</summary>
    public async Task<IActionResult> OnGetStripAsync(bool live)
    {
        Prepare(live);
        return await Part("_Strip", async () => await strips.Build(Address, Run, viewer));
    }

    /// <summary>Reads on below a record.</summary>
    public async Task<IActionResult> OnGetRowsAsync(string? below)
    {
        Prepare();
        return await Part("_Rows", async () => await RowsOf(RecordId.Parse(below)));
    }

    /// <summary>Reads on above a record, to the end of the focus.</summary>
    public async Task<IActionResult> OnGetAboveAsync(string? id)
    {
        Prepare();
        if (RecordId.Parse(id) is not { } known)
            return NotFound();
        return await Part("_Rows", async () =>
        {
            var found = await Run.Above(known, Run.Question.Window, RowsAbove);
            return Made([.. found.Reverse()], null, null) with { MoreAbove = found.Count == RowsAbove };
        });
    }

    /// <summary>
    /// Records that came since, by the order in which they were committed, so that none is missed and none comes twice, whatever
    /// their times. Of a burst a share is shown, which is said.
    /// </summary>
    /// <param name="after">The sequence up to which the page knows all.</param>
    /// <param name="id">The record at the top of the page; those before it have their places below.</param>
    public async Task<IActionResult> OnGetNewerAsync(long after, string? id)
    {
        Prepare(live: true);
        if (!Parsed.Ok || Run.IsGrouped || !Run.ReadsOn)
            return new EmptyResult();
        return await Part("_Arrived", async () =>
        {
            var window = Run.Question.Window with { To = Run.Question.Now + AheadOfTime };
            var came = await Run.Arrived(after, window, RowsAtOnce);
            var top = RecordId.Parse(id) ?? default;
            return new ArrivedPart(
                came,
                Made([.. came.Shown.Where(r => r.Id > top)], null, null),
                // Each by itself: what stands above it is not known here.
                [.. came.Shown.Where(r => r.Id < top).Select(r => Made([r], null, null))]
            );
        });
    }

    public IActionResult OnGetRecord(string? id)
    {
        Prepare();
        if (RecordId.Parse(id) is not { } known || Run.Find(known) is not { } record)
            return NotFound();
        return Partial("_Record", Detail(record));
    }

    /// <summary>What can be done with what somebody points at.</summary>
    public IActionResult OnGetMenu(string? text, string? record, string? condition, long? start, long? end, bool mark)
    {
        Prepare();
        return Partial(
            "_Menu",
            (text, condition, start, end) switch
            {
                ({ } words, _, _, _) => PointMenus.OfText(Address, words, RecordId.Parse(record) is { } id ? Run.Find(id) : null),
                (_, _, { } first, { } last) when mark && last > first => PointMenus.OfMark(
                    Address,
                    condition,
                    first,
                    last,
                    Format.Stretch(first, last, Zone, Run.Question.Now)
                ),
                (_, { } written, _, _) => PointMenus.OfCondition(Address, written),
                (_, _, { } from, { } to) when to > from => PointMenus.OfTime(
                    Address,
                    from,
                    to,
                    Format.Stretch(from, to, Zone, Run.Question.Now)
                ),
                _ => new PointMenu("There is nothing to point at.", []),
            }
        );
    }

    /// <summary>The page with its group split by one more field, or with the highest of many.</summary>
    public IActionResult OnGetSplit(string? by, int? top)
    {
        Prepare();
        return Redirect(
            (
                Address with
                {
                    Query = QueryEdits.SplitBy(Address.Query, (by ?? "").Trim(), top is > 0 and <= 500 ? top : null),
                    Tab = Tab.Line,
                    At = null,
                }
            ).Url()
        );
    }

    /// <summary>The chart as a picture.</summary>
    public async Task<IActionResult> OnGetPictureAsync(string? @as, string? look)
    {
        Prepare();
        if (!Parsed.Ok || !Run.IsGrouped || @as is not ("svg" or "png"))
            return BadRequest();
        Frame = await Run.Frame();
        return await ChartFile.Of(
            Frame,
            Spec with
            {
                Title = ChartTitle,
            },
            View,
            @as,
            look == "lacquer" ? Theme.Lacquer : Theme.Paper,
            HttpContext.RequestAborted
        );
    }

    /// <summary>The query on one line, as what leaves the page must say what it is.</summary>
    private string ChartTitle =>
        Parsed.Text.ReplaceLineEndings(" ") is var text && text.Length > 160
            ? text[..160] + "…"
            : Parsed.Text.ReplaceLineEndings(" ");
}
