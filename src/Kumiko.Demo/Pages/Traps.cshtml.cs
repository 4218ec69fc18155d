using Kumiko.Core.Query;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;
using Kumiko.Web.Pages;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Demo.Pages;

public sealed class TrapsModel(TrapReceiver receiver, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<ReceivedTrap> Traps { get; private set; } = [];

    public Task<IActionResult> OnGetAsync(string? when)
    {
        Traps = receiver.Traps;
        return Show("/demo/traps", when);
    }
}
