using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Query;
using Kumiko.Core.Sources;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>How lines of a source are read that come over HTTP without their format.</summary>
public sealed class LinesModel(SourceFormats formats, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public string Name { get; private set; } = "";
    public FormatForm? Form { get; private set; }

    /// <summary>How they are read now.</summary>
    public FormatSettings? Known { get; private set; }
    public string? Problem { get; private set; }
    public bool Saved { get; private set; }

    private bool Find(string? name)
    {
        Name = name ?? "";
        Known = formats.Find(Name);
        return Known is not null;
    }

    public async Task<IActionResult> OnGetAsync(string? name, string? when, bool saved)
    {
        Saved = saved;
        Begin();
        if (Find(name))
            Look(Known!.IsCorrected ? Known : new FormatSettings(Known.Format) { Zone = Known.Zone });
        return await Show(SourceLinks.Lines(Name), when);
    }

    private void Look(FormatSettings given)
    {
        FilePreview? preview = null;
        try
        {
            if (formats.Sample(Name) is { Length: > 0 } sample)
                preview = FilePreview.Of(sample, given with { IsLive = true }, true, Name, Now);
        }
        catch (IOException e)
        {
            Problem = e.Message;
        }
        Form = new FormatForm(given, preview);
    }

    public async Task<IActionResult> OnPostPreviewAsync(string? name)
    {
        if (!Find(name))
            return NotFound();
        Begin();
        Look(FormatForm.Read(await Request.ReadFormAsync()));
        return Partial("_FilePreview", (Form!, Zone));
    }

    public async Task<IActionResult> OnPostSaveAsync(string? name)
    {
        if (!MayRun)
            return StatusCode(403);
        if (!Find(name))
            return NotFound();
        Begin();
        var given = FormatForm.Read(await Request.ReadFormAsync());
        Look(given);
        Problem ??= Form?.Problem;
        if (Problem is not null)
            return await Show(SourceLinks.Lines(Name), null);
        await formats.Correct(Name, (Form?.Preview?.Guess.Settings ?? given) with { IsLive = true });
        return Redirect(SourceLinks.Lines(Name) + "?saved=true");
    }

    public async Task<IActionResult> OnPostForgetAsync(string? name)
    {
        if (!MayRun)
            return StatusCode(403);
        await formats.Forget(name ?? "");
        return Redirect(SourceLinks.Of(name ?? ""));
    }
}
