using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Demo.World;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Hosting;

namespace Kumiko.Demo.StandIns;

/// <summary>The ferry line's channels, its sailing calendar, and its routes: quay duty from the first to the last sailing,
/// otherwise the harbour office, on storm days both.</summary>
public sealed class NotificationDesk(
    ChannelStore channels,
    RouteStore routes,
    SecretKeeper secrets,
    HookInboxes hooks,
    TrapReceiver traps,
    ServerOptions options,
    ServerState state,
    Truth truth,
    LineZone zone
)
{
    public const string Calendar = "Sailings";
    public const string Storm = "storm";
    public const string QuayMail = "quay@skerryline.example";
    public const string OfficeMail = "office@skerryline.example";

    private const int StormNumber = 6;

    public async Task Add(long author, CancellationToken cancel)
    {
        await state.Known.WaitAsync(cancel);
        WriteScript();
        // The storms of the days before; of today somebody says so.
        var today = zone.Now.Date;
        Task<long> Channel(
            string name,
            ChannelSettings settings,
            string secret = "",
            string template = "",
            ChannelQuiet? quiet = null
        ) =>
            channels.Add(
                new Channel
                {
                    Name = name,
                    Settings = settings,
                    Secret = secrets.Lock(secret),
                    Template = template,
                    Quiet = quiet ?? ChannelQuiet.Default,
                    Author = author,
                }
            );
        var signed = new WebhookSecret(HookInbox.Secret, []).ToText();
        var quay = await Channel("Quay duty", new MailSettings([QuayMail]));
        var office = await Channel("Harbour office", new MailSettings([OfficeMail]));
        var chat = await Channel(
            "Chat room",
            new WebhookSettings(state.Address + hooks.Chat.Address, []),
            signed,
            "{ \"text\": \"{{ subject }} – {{ sentence }}\", \"link\": \"{{ link }}\" }",
            ChannelQuiet.Default with
            {
                Most = 20,
            }
        );
        var pager = await Channel("On-call pager", new WebhookSettings(state.Address + hooks.Pager.Address, []), signed);
        var trap = await Channel("Control desk", new TrapSettings("127.0.0.1", traps.Port), "skerry");
        var horn = await Channel("Harbour horn", new ScriptSettings("horn.sh", ["{{ level }}", "{{ where }}"]));
        var sailings = await routes.AddCalendar(
            Calendar,
            new DutyCalendar
            {
                Zone = zone.Id,
                Hours =
                [
                    new CheckHours(
                        [1, 2, 3, 4, 5, 6, 7],
                        SkerryLine.Timetable.Min(s => s.Departs),
                        SkerryLine.Timetable.Max(s => s.Departs)
                    ),
                ],
                Days =
                [
                    new CalendarDay("2026-12-25", true, "no sailing", true),
                    .. truth
                        .Entries.Where(e => e.Disturbance == StormNumber && zone.At(e.Start).Date < today)
                        .Select(e => new CalendarDay(
                            NodaTime.Text.LocalDatePattern.Iso.Format(NodaTime.LocalDate.FromDateTime(zone.At(e.Start).DateTime)),
                            false,
                            Storm,
                            false
                        ))
                        .Distinct(),
                ],
            }
        );
        var quayside = new AlertMatch { Teams = ["Quayside"] };
        await routes.AddRoute(
            "Quay duty while ships sail",
            new RouteDefinition
            {
                Match = quayside,
                Times = new RouteTimes
                {
                    Calendar = sailings,
                    Side = CalendarSide.Inside,
                    AlsoOn = Storm,
                },
                Channels = [quay, chat],
                Steps = [new EscalationStep(10 * Instants.Minute, [pager])],
            }
        );
        await routes.AddRoute(
            "Harbour office otherwise",
            new RouteDefinition
            {
                Match = quayside,
                Times = new RouteTimes
                {
                    Calendar = sailings,
                    Side = CalendarSide.Outside,
                    AlsoOn = Storm,
                },
                Channels = [office],
            }
        );
        await routes.AddRoute(
            "Booking",
            new RouteDefinition
            {
                Match = new AlertMatch { Teams = ["Booking"] },
                Channels = [chat],
                Steps = [new EscalationStep(15 * Instants.Minute, [pager])],
            }
        );
        await routes.AddRoute(
            "Fleet",
            new RouteDefinition
            {
                Match = new AlertMatch { Teams = ["Fleet"] },
                Channels = [trap, chat],
            }
        );
        await routes.AddRoute(
            "The horn for the gates",
            new RouteDefinition
            {
                Match = new AlertMatch { Labels = ["gates"], Least = AlertLevel.Critical },
                Channels = [horn],
                TellsEnd = false,
            }
        );
    }

    /// <summary>Leads the channels to the stand-ins again, whose addresses differ from start to start.</summary>
    public async Task Renew(CancellationToken cancel)
    {
        await state.Known.WaitAsync(cancel);
        WriteScript();
        foreach (var channel in channels.All())
        {
            ChannelSettings? moved = channel.Settings switch
            {
                WebhookSettings hook
                    when new[] { hooks.Chat, hooks.Pager }.FirstOrDefault(h =>
                        hook.Url.EndsWith(h.Address, StringComparison.Ordinal)
                    )
                        is { } of => hook with
                {
                    Url = state.Address + of.Address,
                },
                TrapSettings { Host: "127.0.0.1" } trap => trap with { Port = traps.Port },
                _ => null,
            };
            if (moved is not null && moved != channel.Settings)
                await channels.Change(channel with { Settings = moved });
        }
    }

    private void WriteScript()
    {
        if (options.Scripts is not { } folder)
            return;
        Directory.CreateDirectory(folder);
        var path = Path.Combine(folder, "horn.sh");
        File.WriteAllText(
            path,
            "#!/bin/sh\n# Sounds the harbour horn: once for a warning, three times when it is critical.\ncase \"$1\" in\n  critical) echo \"Horn: long, long, long. $2\" ;;\n  *) echo \"Horn: short. $2\" ;;\nesac\n"
        );
        if (!OperatingSystem.IsWindows())
            File.SetUnixFileMode(path, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
    }
}
