using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>Files that were taken in at once, and files that are read as they grow.</summary>
public sealed class FilesModel(
    ImportStore imports,
    ImportRuns importRuns,
    FollowStore follows,
    Follower follower,
    PathGate gate,
    UploadTurns turns,
    DataFolder folder,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    private const string Path = "/sources/files";
    private const int Shown = 30;
    private const int MostFiles = 100;
    private const int LongestName = 200;

    public const long MostBytes = 8L << 30;

    public IReadOnlyList<Import> Imports { get; private set; } = [];
    public IReadOnlyList<FollowWish> Follows { get; private set; } = [];
    public string? Problem { get; private set; }

    /// <summary>What was typed and could not be taken.</summary>
    public string Typed { get; private set; } = "";
    public string Followed { get; private set; } = "";
    public string Source { get; private set; } = "";

    /// <summary>The folder whose files may be read where they are.</summary>
    public string? Root => gate.Root;

    private IReadOnlyList<FollowedFile> _files = [];

    public IReadOnlyList<FollowedFile> FilesOf(long follow) =>
        [.. _files.Where(f => f.Follow == follow && f.Place?.Ended is null)];

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Imports = imports.Latest(Shown);
        (Follows, _files) = (follows.All(), follower.Files());
        return Show(Path, when);
    }

    public IActionResult OnGetFollowed()
    {
        Begin();
        (Follows, _files) = (follows.All(), follower.Files());
        return Partial("_Followed", this);
    }

    /// <summary>Takes one file as the body of the request, into a draft.</summary>
    /// <param name="import">The draft that it joins; 0 begins one.</param>
    public async Task<IActionResult> OnPostUploadAsync(string? name, long import)
    {
        if (!MayKeep)
            return StatusCode(403);
        if (Request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size)
            size.MaxRequestBodySize = MostBytes;
        using var turn = turns.Take(Viewer.Name);
        if (turn is null)
            return Refused(409, "You have another upload under way. Wait for it, or stop it.");
        if (Request.ContentLength is > MostBytes)
            return Refused(413, $"A file can have {Charts.Format.Size(MostBytes)}. Pack it, or give its path on the server.");
        if (Disk.Problem(folder.Path, Request.ContentLength ?? 0) is { } full)
            return Refused(507, full);
        var draft = import == 0 ? null : imports.Find(import);
        if (import != 0 && draft is not { State: ImportState.Draft })
            return Refused(404, "This import has begun or is gone. Begin another.");
        if (draft?.Files.Count >= MostFiles)
            return Refused(413, $"An import can have {MostFiles} files. Begin another for the rest.");
        var shown = System.IO.Path.GetFileName(name ?? "") is { Length: > 0 and <= LongestName } given ? given : "file";
        draft ??= imports.Find(await imports.Create(SourceOf(shown), [], null, Viewer.Name))!;
        try
        {
            var file = await UploadedFile.Take(
                Request.Body,
                importRuns.FolderOf(draft.Id),
                shown,
                folder.Path,
                HttpContext.RequestAborted
            );
            await imports.Save(draft with { Files = [.. draft.Files, file] });
        }
        catch (IOException e)
        {
            return Refused(507, e.Message);
        }
        return new JsonResult(new { id = draft.Id });
    }

    private static JsonResult Refused(int status, string sentence) => new(new { error = sentence }) { StatusCode = status };

    /// <summary>A name for the source, from that of the file.</summary>
    private static string SourceOf(string file)
    {
        var name = file.Split('.')[0];
        return name.Length == 0 ? "files" : name;
    }

    /// <summary>Looks at files that lie on the server.</summary>
    public async Task<IActionResult> OnPostPathAsync(string? path)
    {
        if (!MayRun)
            return StatusCode(403);
        Typed = (path ?? "").Trim();
        var found = System.IO.Path.IsPathFullyQualified(Typed) && gate.MayAllow(Typed) ? PathPattern.Find(Typed) : [];
        var allowed = found.Where(gate.Allows).Take(MostFiles).ToList();
        if (allowed.Count == 0)
        {
            Problem = $"There is no file {Typed} under {gate.Root ?? "any folder"}, or it may not be read.";
            return await OnGetAsync(null);
        }
        try
        {
            var files = allowed.Select(f => ImportPlan.FileOf(f)).ToList();
            var id = await imports.Create(SourceOf(files[0].Name), files, null, Viewer.Name);
            return Redirect(FormattableString.Invariant($"/sources/import/{id}"));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Problem = e.Message;
            return await OnGetAsync(null);
        }
    }

    public async Task<IActionResult> OnPostFollowAsync(string? path, string? source)
    {
        if (!MayRun)
            return StatusCode(403);
        (Followed, Source) = ((path ?? "").Trim(), (source ?? "").Trim());
        var wish = new FollowWish(0, Followed, Source, null, Viewer.Name, Now);
        Problem = wish.Problem()
            ?? (gate.MayAllow(Followed) ? null : $"Only files under {gate.Root ?? "no folder"} may be read.");
        if (Problem is null && await follows.Add(wish) == 0)
            Problem = "This path is followed already.";
        return Problem is null ? Redirect(Path) : await OnGetAsync(null);
    }
}
