using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Query;
using Kumiko.Core.Sources;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Sources.Imports;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>Files that are followed under one path: how they are read.</summary>
public sealed class FollowModel(
    FollowStore follows,
    Follower follower,
    PathGate gate,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public FollowWish Wish { get; private set; } = null!;
    public FormatForm? Form { get; private set; }
    public string? Problem { get; private set; }
    public bool Saved { get; private set; }

    public async Task<IActionResult> OnGetAsync(long id, string? when, bool saved)
    {
        if (follows.Find(id) is not { } wish)
            return NotFound();
        (Wish, Saved) = (wish, saved);
        Begin();
        Look(wish.Settings is { } settings ? Asked(settings) : null);
        return await Show(FormattableString.Invariant($"/sources/follow/{id}"), when);
    }

    /// <summary>What the form says of settings: what was told by the lines is told again.</summary>
    private static FormatSettings Asked(FormatSettings settings) =>
        settings.IsCorrected ? settings : new FormatSettings(settings.Format) { Zone = settings.Zone };

    private void Look(FormatSettings? given)
    {
        var path = PathPattern.Find(Wish.Path).FirstOrDefault(gate.Allows);
        if (path is null)
        {
            if (given is not null)
                Form = new FormatForm(given, null);
            return;
        }
        try
        {
            var preview = ImportPlan.Preview(ImportPlan.FileOf(path), given, given is not null, Wish.Source, Now);
            Form = new FormatForm(given ?? new FormatSettings(preview.Guess.Settings.Format), preview);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Problem = e.Message;
        }
    }

    public async Task<IActionResult> OnPostPreviewAsync(long id)
    {
        if (follows.Find(id) is not { } wish)
            return NotFound();
        Wish = wish;
        Begin();
        Look(FormatForm.Read(await Request.ReadFormAsync()));
        return Form is null ? NotFound() : Partial("_FilePreview", (Form, Zone));
    }

    public async Task<IActionResult> OnPostSaveAsync(long id)
    {
        if (!MayRun)
            return StatusCode(403);
        if (follows.Find(id) is not { } wish)
            return NotFound();
        Wish = wish;
        Begin();
        var given = FormatForm.Read(await Request.ReadFormAsync());
        Look(given);
        Problem ??= Form?.Problem;
        if (Problem is not null)
            return await Show(FormattableString.Invariant($"/sources/follow/{id}"), null);
        await follows.Save(id, (Form?.Preview?.Guess.Settings ?? given) with { IsCorrected = true, IsLive = true });
        follower.Reread(id);
        return Redirect(FormattableString.Invariant($"/sources/follow/{id}?saved=true"));
    }

    public async Task<IActionResult> OnPostRemoveAsync(long id)
    {
        if (!MayRun)
            return StatusCode(403);
        await follows.Remove(id);
        return Redirect("/sources/files");
    }
}
