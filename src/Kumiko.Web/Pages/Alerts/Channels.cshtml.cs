using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Web.Delivery;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>Ways to tell somebody, with what came of the last message.</summary>
public sealed class ChannelsModel(
    ChannelStore channels,
    SendingStore sendings,
    SecretKeeper secrets,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<(Channel Channel, Sending? Last)> All { get; private set; } = [];
    public long? Removed { get; private set; }

    public Task<IActionResult> OnGetAsync(string? when, long? removed)
    {
        Removed = removed;
        All = [.. channels.All().Select(c => (c, sendings.All(new SendingFilter(Channel: c.Id), 1).FirstOrDefault()))];
        return Show("/alerts/channels", when);
    }

    public bool CanOpen(Channel channel) => secrets.CanOpen(channel.Secret);

    public Task<IActionResult> OnPostPauseAsync(long id, bool paused) =>
        Change(() => channels.Pause(id, paused), "/alerts/channels");

    public Task<IActionResult> OnPostRemoveAsync(long id) =>
        Change(() => channels.Remove(id, true), FormattableString.Invariant($"/alerts/channels?removed={id}"));

    public Task<IActionResult> OnPostRestoreAsync(long id) => Change(() => channels.Remove(id, false), "/alerts/channels");

    private async Task<IActionResult> Change(Func<Task<int>> change, string then)
    {
        if (!MayRun)
            return StatusCode(403);
        await change();
        return Redirect(then);
    }
}
