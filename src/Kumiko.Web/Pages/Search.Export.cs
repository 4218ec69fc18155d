using Kumiko.Core.Export;
using Kumiko.Core.Query;
using Kumiko.Web.Api;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>The whole answer as a file, and how far that is.</summary>
public sealed partial class SearchModel
{
    /// <param name="export">An id under which the page asks how far it is; none where it does not.</param>
    public async Task<IActionResult> OnGetExportAsync(string? format, string? export)
    {
        Prepare();
        if (!Parsed.Ok || ExportFormats.Find(format) is not { } known)
            return BadRequest();
        var noted = exports.Begin(viewer.Id, export, known.Title);
        using var stopped = noted.Token.Register(HttpContext.Abort);
        using var run = new Run(Run.Question, Run.Snapshot.Share(), runs.Sources);
        try
        {
            await using var answer = await run.Stream();
            _ = Total(noted);
            var isDamaged = records.DamageIn(run.Question.Window).Count > 0;
            var name = (Run.ReadsRecords ? "records" : "rows") + (isDamaged ? "-incomplete" : "");
            Response.ContentType = known.MediaType;
            Response.Headers.ContentDisposition = $"attachment; filename=\"{name}.{known.Name}\"";
            var problem = await SentAnswer.Send(
                answer,
                known,
                () => records.DamageIn(run.Question.Window),
                HttpContext,
                noted.Tell
            );
            noted.End(problem is null ? ExportState.Done : ExportState.Failed, problem);
        }
        catch (Core.Evaluation.QueryRefusedException e) when (!Response.HasStarted)
        {
            noted.End(ExportState.Failed, e.Message);
            throw;
        }
        catch (OperationCanceledException)
        {
            noted.End(ExportState.Stopped);
        }
        // Whatever it was: the page must not wait for it for ever.
        catch (Exception e)
        {
            noted.End(ExportState.Failed, e.Message);
            throw;
        }
        return new EmptyResult();
    }

    /// <summary>How many rows there will be, by the counts of the page's own run.</summary>
    private async Task Total(RunningExport export)
    {
        try
        {
            if (!Run.IsGrouped)
                export.Total = (await Run.Counts()).Records;
        }
        // An export goes on without it.
        catch (Core.Evaluation.QueryRefusedException) { }
    }

    /// <summary>How far an export is.</summary>
    public IActionResult OnGetExported(string? export) =>
        exports.Find(viewer.Id, export) is { } found
            ? new JsonResult(
                new
                {
                    state = found.State.ToString().ToLowerInvariant(),
                    share = found.Share,
                    words = found.Words,
                }
            )
            : NotFound();

    public IActionResult OnPostStopExport(string? export)
    {
        if (exports.Find(viewer.Id, export) is not { } found)
            return NotFound();
        found.Stop();
        return new JsonResult(new { });
    }
}
