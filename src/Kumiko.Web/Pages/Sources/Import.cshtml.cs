using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Storage;
using Kumiko.Web.Api;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>One import: how its files will be read, how far it is, what became of it.</summary>
public sealed class ImportModel(
    ImportStore imports,
    ImportRuns importRuns,
    SourceBook book,
    RecordStore records,
    DataFolder folder,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const int ShownRefused = 50;

    public Import Import { get; private set; } = null!;
    public FormatForm? Form { get; private set; }
    public ImportProgress? Progress { get; private set; }
    public IReadOnlyList<string> Notices { get; private set; } = [];
    public IReadOnlyList<ImportLine> Refused { get; private set; } = [];
    public string? Problem { get; private set; }

    /// <summary>Its records, over all the time they are of.</summary>
    public string RecordsUrl => SourceLinks.Search(Import.Source, records.StretchOf(Import.Id));

    public static string StateWords(ImportState state) =>
        state switch
        {
            ImportState.Draft => "looked at",
            ImportState.Running => "running",
            ImportState.Done => "done",
            ImportState.Stopped => "stopped",
            ImportState.Broken => "broken off",
            _ => "taken out",
        };

    private bool Find(long id)
    {
        if (imports.Find(id) is not { } import)
            return false;
        Import = import;
        return true;
    }

    public async Task<IActionResult> OnGetAsync(long id, string? when)
    {
        if (!Find(id))
            return NotFound();
        Begin();
        if (Import.State == ImportState.Draft)
            Look(Form?.Given ?? Import.Settings, isDecided: Form is not null || Import.Settings is not null);
        else
            Tell();
        return await Show(FormattableString.Invariant($"/sources/import/{id}"), when);
    }

    private void Tell()
    {
        Progress = importRuns.Progress(Import.Id);
        if (Progress is null)
            Refused = [.. RefusedLines.Of(importRuns.RefusedReasons(Import.Id), ShownRefused)];
    }

    /// <summary>Reads the beginning of the first file, as said or as it seems.</summary>
    private void Look(FormatSettings? given, bool isDecided)
    {
        if (Import.Files.Count == 0)
        {
            Problem = "No file arrived.";
            return;
        }
        try
        {
            var preview = ImportPlan.Preview(Import.Files[0], given, isDecided, Import.Source, Now);
            var settings = preview.Guess.Settings;
            Form = new FormatForm(given ?? new FormatSettings(settings.Format), preview);
            Notices =
            [
                .. Import.Files.SelectMany(f => ImportEndpoint.Before(f, imports, Import.Id)),
                .. ImportPlan.Others(Import.Files, settings, Now),
            ];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Problem = e.Message;
        }
    }

    public IActionResult OnGetState(long id)
    {
        if (!Find(id))
            return NotFound();
        Begin();
        Tell();
        return Partial("_ImportState", this);
    }

    /// <summary>What comes of the form as it is now.</summary>
    public async Task<IActionResult> OnPostPreviewAsync(long id)
    {
        if (!Find(id) || Import.State != ImportState.Draft)
            return NotFound();
        Begin();
        Look(FormatForm.Read(await Request.ReadFormAsync()), isDecided: true);
        return Form is null ? NotFound() : Partial("_FilePreview", (Form, Zone));
    }

    public async Task<IActionResult> OnPostStartAsync(long id, string? source)
    {
        if (!MayKeep)
            return StatusCode(403);
        if (!Find(id))
            return NotFound();
        if (Import.State != ImportState.Draft)
            return RedirectToOwn(id);
        Begin();
        Import = Import with { Source = (source ?? "").Trim() };
        Look(FormatForm.Read(await Request.ReadFormAsync()), isDecided: true);
        Problem ??= Form?.Problem;
        if (Import.Source.Length is 0 or > 100 || Import.Source.Any(char.IsControl))
            Problem ??= "Name the source with 1 to 100 characters.";
        Problem ??= Disk.Problem(folder.Path, Import.Bytes / 2);
        if (Problem is not null)
            return await Show(FormattableString.Invariant($"/sources/import/{id}"), null);
        var started = Import with
        {
            Settings = Form!.Preview!.Guess.Settings with { IsCorrected = true },
            State = ImportState.Running,
            Started = Now,
        };
        await imports.Save(started);
        if (book.Find(started.Source) is not { Protocol.Length: > 0 })
            book.Recognise(started.Source, "imported files", started.Title);
        _ = importRuns.Start(started);
        return RedirectToOwn(id);
    }

    private RedirectResult RedirectToOwn(long id) => Redirect(FormattableString.Invariant($"/sources/import/{id}"));

    public async Task<IActionResult> OnPostForgetAsync(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        if (Find(id) && Import.State == ImportState.Draft)
        {
            importRuns.Clean(Import);
            await imports.Forget(id);
        }
        return Redirect("/sources/files");
    }

    public IActionResult OnPostStop(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        importRuns.Stop(id);
        return RedirectToOwn(id);
    }

    public async Task<IActionResult> OnPostTakeOutAsync(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        if (Find(id) && Import.IsIn)
        {
            await importRuns.TakeOut(Import);
            importRuns.Clean(Import);
        }
        return RedirectToOwn(id);
    }

    /// <summary>Whether it was not read to its end, and its files are still there.</summary>
    public bool MayTryAgain =>
        Import.State is ImportState.Stopped or ImportState.Broken
        && Import.Files.Count > 0
        && Import.Files.All(f => System.IO.File.Exists(f.Path));

    /// <summary>Takes out what is in, and looks at the same files again.</summary>
    public async Task<IActionResult> OnPostAgainAsync(long id)
    {
        if (!MayKeep)
            return StatusCode(403);
        if (!Find(id) || !MayTryAgain)
            return RedirectToOwn(id);
        await importRuns.TakeOut(Import);
        var again = await imports.Create(Import.Source, Import.Files, Import.Settings, Viewer.Name);
        // The files are the new one's now.
        await imports.Save(
            Import with
            {
                State = ImportState.TakenOut,
                Files = [.. Import.Files.Select(f => f with { IsOurs = false })],
            }
        );
        return RedirectToOwn(again);
    }

    public IActionResult OnGetReasons(long id) => Download(importRuns.RefusedReasons(id), "text/csv", "csv", id);

    public IActionResult OnGetLines(long id) => Download(importRuns.RefusedLines(id), "application/octet-stream", "log", id);

    private IActionResult Download(string path, string type, string ending, long id) =>
        System.IO.File.Exists(path)
            ? PhysicalFile(Path.GetFullPath(path), type, FormattableString.Invariant($"refused-{id}.{ending}"))
            : NotFound();
}
