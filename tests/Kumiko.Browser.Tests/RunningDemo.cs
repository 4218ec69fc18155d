using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Storage;
using Kumiko.Demo;
using Kumiko.Demo.StandIns;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Browser.Tests;

/// <summary>The demonstration on a free port, with a clock that the tests move.</summary>
public sealed class RunningDemo : IAsyncLifetime
{
    private readonly string _path = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private DataFolder _folder = null!;
    private WebApplication _app = null!;

    // Cookies are judged by the browser's real clock, so the made-up one starts at the real time.
    public FakeTimeProvider Clock { get; } = new(DateTimeOffset.UtcNow);

    public string Address => _app.Services.GetRequiredService<ServerState>().Address;

    public Truth Truth => _app.Services.GetRequiredService<Truth>();

    public async ValueTask InitializeAsync()
    {
        _folder = DataFolder.TryOpen(_path)!;
        _app = await DemoHost.Build(
            new DemoOptions
            {
                Data = _path,
                Port = 0,
                History = TimeSpan.FromHours(30),
                Ahead = TimeSpan.FromHours(30),
                PlaysByItself = false,
                HasRules = false,
                Offset = TimeSpan.Zero,
            },
            _folder,
            b => b.Services.AddSingleton<TimeProvider>(Clock)
        );
        await _app.StartAsync();
    }

    public T Get<T>()
        where T : notnull => _app.Services.GetRequiredService<T>();

    /// <summary>Takes all rules away, so that what they would tell does not meet other tests.</summary>
    public async Task ForgetRules()
    {
        var rules = Get<Kumiko.Core.Rules.RuleStore>();
        foreach (var rule in rules.Rules())
            await rules.Remove(rule.Id, true, "the test");
        foreach (var objective in Get<Kumiko.Core.Rules.ObjectiveStore>().All())
            await Get<Kumiko.Core.Rules.ObjectiveStore>().Remove(objective.Id, true);
    }

    /// <summary>The ferry line's channels, calendar and routes.</summary>
    public Task AddTelling() =>
        Get<NotificationDesk>().Add(Get<PeopleStore>().FindByEmail("ines@skerryline.example")!.Id, default);

    /// <summary>Takes channels, routes, calendars and quiet times away.</summary>
    public async Task ForgetTelling()
    {
        var book = Get<RouteStore>().Book();
        foreach (var route in book.Routes)
            await Get<RouteStore>().RemoveRoute(route.Id, true);
        foreach (var calendar in book.Calendars)
            await Get<RouteStore>().RemoveCalendar(calendar.Id, true);
        foreach (var quiet in book.QuietTimes)
            await Get<RouteStore>().RemoveQuiet(quiet.Id, true);
        foreach (var channel in book.Channels)
            await Get<ChannelStore>().Remove(channel.Id, true);
    }

    /// <summary>Takes in records of a sender of the test's own.</summary>
    public async Task Send(params string[] lines)
    {
        using var client = new HttpClient { BaseAddress = new Uri(Address) };
        client.DefaultRequestHeaders.Authorization = new(
            "Bearer",
            await _app
                .Services.GetRequiredService<Kumiko.Core.Accounts.TokenStore>()
                .Create("quay", Kumiko.Core.Accounts.TokenPurpose.Intake)
        );
        (await client.PostAsync("/intake/records", new StringContent(string.Join('\n', lines)))).EnsureSuccessStatusCode();
        Clock.Advance(TimeSpan.FromSeconds(1));
    }

    public async ValueTask DisposeAsync()
    {
        while (Chromium.Idle.TryTake(out var idle))
            idle.Dispose();
        await _app.StopAsync();
        await _app.DisposeAsync();
        _folder.Dispose();
        Directory.Delete(_path, true);
    }
}

/// <summary>Tests of asking share one demonstration and run one after the other, beside those of watching: a browser alone leaves
/// a third of two processors idle.</summary>
[CollectionDefinition("asking")]
public sealed class AskingCollection : ICollectionFixture<RunningDemo>;

/// <summary>Tests of rules, messages, senders and charts share another one.</summary>
[CollectionDefinition("watching")]
public sealed class WatchingCollection : ICollectionFixture<RunningDemo>;
