using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Demo.StandIns;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Demo;

/// <summary>Kumiko with the made-up ferry line and its stand-ins.</summary>
public static class DemoHost
{
    /// <summary>Builds the application and fills in history; it is not started yet.</summary>
    /// <param name="more">Adds or replaces services, for tests.</param>
    public static async Task<WebApplication> Build(
        DemoOptions options,
        DataFolder folder,
        Action<WebApplicationBuilder>? more = null
    )
    {
        var truth = new Truth(folder.Path);
        var mailbox = new Mailbox(folder.Path);
        var sink = new SmtpSink(mailbox);
        var hooks = HookInboxes.In(folder.Path);
        var server = new ServerOptions
        {
            Data = options.Data,
            Port = options.Port,
            GrpcPort = options.GrpcPort,
            SyslogPort = options.SyslogPort,
            Smtp = sink.Address,
            MailFrom = "kumiko@skerryline.example",
            // The stand-ins live on this machine.
            Reach = [IPNetwork.Parse("127.0.0.0/8")],
            Scripts = Path.Combine(folder.Path, "scripts"),
            ImportFrom = FileSender.FolderIn(folder.Path),
            Offered = people =>
                [
                    .. people
                        .All()
                        .Where(p => SkerryLine.People.Any(s => s.Email == p.Email))
                        .OrderBy(p => Array.FindIndex(SkerryLine.People, s => s.Email == p.Email)),
                ],
            MoreSections =
            [
                new Section("Release desk", "/demo/desk"),
                new Section("Mailbox", "/demo/mailbox"),
                new Section("Chat room", "/demo/chat"),
                new Section("Pager", "/demo/pager"),
                new Section("Traps", "/demo/traps"),
                new Section("Gallery", "/demo/gallery"),
            ],
        };
        var app = KumikoServer.Build(server, folder, builder =>
        {
            builder
                .Services.AddSingleton(options)
                .AddSingleton(s => new LineZone(folder.Path, options.Offset, s.GetRequiredService<TimeProvider>()))
                .AddSingleton(truth)
                .AddSingleton(mailbox)
                .AddSingleton(s => new Simulator(options.Seed, options.Scale, s.GetRequiredService<LineZone>().Began))
                .AddSingleton<HistoryFiller>()
                .AddSingleton<FileSender>()
                .AddSingleton<Senders>();
            builder
                .Services.AddSingleton(hooks)
                .AddSingleton<TrapReceiver>()
                .AddHostedService(s => s.GetRequiredService<TrapReceiver>())
                .AddSingleton<NotificationDesk>();
            builder
                .Services.AddSingleton<IHostedService>(sink)
                .AddHostedService<LiveSender>()
                .AddHostedService<ReleaseDesk>()
                .AddHostedService<TruthWriter>()
                .AddHostedService(s => s.GetRequiredService<HistoryFiller>());
            builder.Services.AddSingleton<IKnownDisturbances, WrittenDisturbances>();
            if (options.HasRules)
                builder.Services.AddHostedService<RuleDesk>();
            builder.Services.AddMvc().AddApplicationPart(typeof(DemoHost).Assembly);
            more?.Invoke(builder);
        });
        WatchMetrics.Map(app);
        foreach (var hook in new[] { hooks.Chat, hooks.Pager })
            hook.Map(app, app.Services.GetRequiredService<TimeProvider>());
        await AddPeople(app.Services.GetRequiredService<PeopleStore>(), app.Services.GetRequiredService<LineZone>());
        await app.Services.GetRequiredService<HistoryFiller>().Begin();
        return app;
    }

    private static async Task AddPeople(PeopleStore people, LineZone zone)
    {
        foreach (var (name, email, role) in SkerryLine.People)
            // Where the line's clocks differ from those of the browser, people see the line's.
            if (await people.Add(name, email, role, null) is { } person && zone.Offset != TimeSpan.Zero)
                await people.SetZone(person.Id, zone.Id);
    }
}
