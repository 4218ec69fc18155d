using Kumiko.Core.Accounts;
using Kumiko.Core.Intake;
using Kumiko.Core.Records;
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
    private static readonly TimeSpan SmallestGap = TimeSpan.FromSeconds(30);

    /// <summary>Builds the application and fills in history; it is not started yet.</summary>
    /// <param name="more">Adds or replaces services, for tests.</param>
    public static async Task<WebApplication> Build(DemoOptions options, DataFolder folder, Action<WebApplicationBuilder>? more = null)
    {
        var truth = new Truth(folder.Path);
        var mailbox = new Mailbox(folder.Path);
        var sink = new SmtpSink(mailbox);
        var server = new ServerOptions
        {
            Data = options.Data,
            Port = options.Port,
            Smtp = sink.Address,
            MailFrom = "kumiko@skerryline.example",
            Offered = people => [.. people.All().Where(p => SkerryLine.People.Any(s => s.Email == p.Email)).OrderBy(p => Array.FindIndex(SkerryLine.People, s => s.Email == p.Email))],
            MoreSections = [new Section("Release desk", "/demo/desk"), new Section("Mailbox", "/demo/mailbox")],
        };
        var app = KumikoServer.Build(server, folder, builder =>
        {
            builder.Services.AddSingleton(options).AddSingleton(truth).AddSingleton(mailbox).AddSingleton(new Simulator(options.Seed));
            builder.Services.AddSingleton<IHostedService>(sink).AddHostedService<LiveSender>();
            builder.Services.AddMvc().AddApplicationPart(typeof(DemoHost).Assembly);
            more?.Invoke(builder);
        });
        await AddPeople(app.Services.GetRequiredService<PeopleStore>());
        await FillHistory(app.Services, options, truth);
        return app;
    }

    private static async Task AddPeople(PeopleStore people)
    {
        foreach (var (name, email, role) in SkerryLine.People) await people.Add(name, email, role, null);
    }

    /// <summary>Writes what is missing between the last record (or the beginning of history) and the present.</summary>
    private static async Task FillHistory(IServiceProvider services, DemoOptions options, Truth truth)
    {
        var now = services.GetRequiredService<TimeProvider>().GetUtcNow();
        var store = services.GetRequiredService<RecordStore>();
        var begin = Simulator.Floor(now - options.History);
        var last = store.Current.NewestFirst(new Core.Frames.Window(0, Instants.FromDateTime(now)), BatchTest.All, null, CancellationToken.None).FirstOrDefault();
        if (last is null && PastPlay(now) is { } start) truth.SendFirmware(start, start.AddHours(1), 0.22);
        else if (last is not null && Instants.ToDateTime(last.Time) is var known && known > begin) begin = known.AddMilliseconds(1);
        options.LiveFrom = now;
        if (now - begin < SmallestGap) { options.LiveFrom = begin; return; }
        var intake = services.GetRequiredService<NdjsonIntake>();
        var simulator = services.GetRequiredService<Simulator>();
        // A few hours at a time keep memory flat.
        for (var from = begin; from < now; from = from.AddHours(6))
        {
            using var lines = new MemoryStream();
            simulator.Write(lines, from, from.AddHours(6) < now ? from.AddHours(6) : now, truth.Plays);
            lines.Position = 0;
            await intake.Take(lines, "skerry-line", null, long.MaxValue, null, CancellationToken.None);
        }
    }

    /// <summary>
    /// When disturbance 1 was played in history: in yesterday's evening peak, or in the morning's where the
    /// evening lies too near the clock time that today is compared with.
    /// </summary>
    private static DateTimeOffset? PastPlay(DateTimeOffset now)
    {
        var today = new DateTimeOffset(now.UtcDateTime.Date, TimeSpan.Zero);
        DateTimeOffset[] starts = [today.Add(new TimeSpan(6, 48, 0)), today.AddDays(-1).Add(new TimeSpan(17, 51, 0))];
        return starts.Cast<DateTimeOffset?>().FirstOrDefault(s => (now - s!.Value).TotalHours is >= 6 and <= 22);
    }
}
