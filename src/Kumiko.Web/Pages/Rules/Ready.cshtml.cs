using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Rules;

/// <summary>Rules to begin with.</summary>
[Authorize(Policy = Policies.Keep)]
public sealed class ReadyModel(RuleWords words, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public Task<IActionResult> OnGetAsync(string? when) => Show("/rules/ready", when);

    public string Sentence(ReadyRule ready) => words.Sentence(ready.Definition, ready.Unit);
}
