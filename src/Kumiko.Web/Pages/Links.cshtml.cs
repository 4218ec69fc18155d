using Kumiko.Core.Searches;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Kumiko.Web.Pages;

/// <summary>Where the values of fields lead outside.</summary>
public sealed class LinksModel(FieldLinkStore links, Viewer viewer) : PageModel
{
    public IReadOnlyList<FieldLink> Links { get; private set; } = [];

    /// <summary>What was typed, to be mended; empty at first.</summary>
    public FieldLink Typed { get; private set; } = new();
    public string? Problem { get; private set; }
    public bool MayKeep => viewer.MayKeep;

    public bool MayRemove(FieldLink link) => link.Author == viewer.Id || viewer.MayKeep;

    public void OnGet(string? field) => (Links, Typed) = (links.For(viewer.Id), new FieldLink { Field = field ?? "" });

    public async Task<IActionResult> OnPostAsync(string? field, string? title, string? address, bool shared)
    {
        if (shared && !viewer.MayKeep)
            return StatusCode(403);
        Typed = new FieldLink
        {
            Field = (field ?? "").Trim(),
            Title = (title ?? "").Trim(),
            Address = (address ?? "").Trim(),
            Shared = shared,
            Author = viewer.Id,
        };
        Problem = Typed.Problem();
        if (Problem is not null)
        {
            Links = links.For(viewer.Id);
            return Page();
        }
        await links.Keep(Typed);
        return Redirect("/links");
    }

    public async Task<IActionResult> OnPostRemoveAsync(long id) =>
        await links.Remove(id, viewer.Id, viewer.MayKeep) ? Redirect("/links") : NotFound();
}
