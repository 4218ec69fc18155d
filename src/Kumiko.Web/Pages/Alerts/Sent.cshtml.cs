using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>Everything that was sent, is on its way, or was given up.</summary>
public sealed class SentModel(
    SendingStore sendings,
    ChannelStore channels,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public const int Most = 200;

    public IReadOnlyList<Sending> All { get; private set; } = [];
    public IReadOnlyList<Channel> Channels { get; private set; } = [];
    public IReadOnlyList<(string Channel, long Count, string Why)> Waiting { get; private set; } = [];
    public SendingFilter Filter { get; private set; } = new();

    public Task<IActionResult> OnGetAsync(string? when, string? state, long? channel, string? text)
    {
        Filter = new SendingFilter(state is "sent" or "waiting" or "failed" ? state : "", channel, (text ?? "").Trim());
        (All, Channels, Waiting) = (sendings.All(Filter, Most), channels.All(), sendings.WaitingByChannel());
        return Show(
            "/alerts/sent",
            when,
            ("state", Filter.State),
            ("channel", channel?.ToString(System.Globalization.CultureInfo.InvariantCulture) ?? ""),
            ("text", Filter.Text)
        );
    }

    public static string StateWord(Sending sending) =>
        sending.State switch
        {
            SendingState.Sent => "sent",
            SendingState.GivenUp => "given up",
            _ => sending.Attempts == 0 ? "on its way" : "trying again",
        };
}
