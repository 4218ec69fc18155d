using System.Net;
using System.Net.Http.Headers;
using System.Text.RegularExpressions;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Identity;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Web.Tests;

/// <summary>A real server on a free port with an empty folder, and clients for it.</summary>
public sealed partial class RunningServer : IAsyncDisposable
{
    public const string Password = "a long enough password";

    private readonly DataFolder _folder;

    private RunningServer(WebApplication app, DataFolder folder, string path) => (App, _folder, Path) = (app, folder, path);

    public WebApplication App { get; }
    public string Path { get; }
    public FakeTimeProvider Clock { get; private init; } = null!;
    public string Address => Get<ServerState>().Address;

    public T Get<T>()
        where T : notnull => App.Services.GetRequiredService<T>();

    /// <param name="networks">Networks beside the public ones that may be reached from here; this machine where none is
    /// given.</param>
    public static Task<RunningServer> Start(Action<WebApplicationBuilder>? more = null, params IPNetwork[] networks) =>
        StartWith(path => Options(path, networks), more);

    /// <summary>Options of a server on free ports.</summary>
    public static ServerOptions Options(string path, params IPNetwork[] networks) =>
        new()
        {
            Data = path,
            Port = 0,
            GrpcPort = 0,
            SyslogPort = 0,
            ReserveBytes = 0,
            Reach = networks.Length > 0 ? networks : [IPNetwork.Parse("127.0.0.0/8")],
            Scripts = System.IO.Path.Combine(path, "scripts"),
        };

    /// <summary>A server with other options.</summary>
    public static async Task<RunningServer> StartWith(
        Func<string, ServerOptions> options,
        Action<WebApplicationBuilder>? more = null
    )
    {
        var path = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
        var folder = DataFolder.TryOpen(path)!;
        // Cookies are judged by the client's real clock, so the made-up one starts at the real time.
        var clock = new FakeTimeProvider(DateTimeOffset.UtcNow);
        var app = KumikoServer.Build(options(path), folder, builder =>
        {
            builder.Services.AddSingleton<TimeProvider>(clock);
            // Each test makes people of its own, whose passwords nobody guesses at.
            builder.Services.Configure<PasswordHasherOptions>(o => o.IterationCount = 100);
            more?.Invoke(builder);
        });
        await app.StartAsync();
        return new RunningServer(app, folder, path) { Clock = clock };
    }

    /// <summary>Done when so many records have been committed since the server began.</summary>
    public Task Arrived(long records)
    {
        var done = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        var store = Get<RecordStore>();
        void Look()
        {
            if (store.Count >= records)
                done.TrySetResult();
        }
        store.Committed += (_, _) => Look();
        Look();
        return done.Task.WaitAsync(TimeSpan.FromSeconds(30));
    }

    /// <summary>All records, the oldest first.</summary>
    public IReadOnlyList<Kumiko.Core.Records.LogRecord> Records()
    {
        using var snapshot = Get<RecordStore>().Current;
        return
        [
            .. snapshot.OldestFirst(
                new Kumiko.Core.Frames.Window(long.MinValue, long.MaxValue),
                BatchTest.All,
                null,
                CancellationToken.None
            ),
        ];
    }

    public async Task<HttpClient> Program(TokenPurpose purpose)
    {
        var client = new HttpClient { BaseAddress = new Uri(Address) };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Bearer",
            await Get<TokenStore>().Create("quay", purpose)
        );
        return client;
    }

    /// <summary>A browser without anybody signed in.</summary>
    public HttpClient Stranger() =>
        new(new HttpClientHandler { AllowAutoRedirect = false, CookieContainer = new CookieContainer() })
        {
            BaseAddress = new Uri(Address),
        };

    /// <summary>A browser with somebody signed in.</summary>
    public async Task<HttpClient> Person(Role role = Role.Analyst)
    {
        var email = $"{Guid.NewGuid():N}@skerryline.example";
        await Get<PeopleStore>()
            .Add("Ines Halloran", email, role, Get<IPasswordHasher<Person>>().HashPassword(new Person(), Password));
        var client = Stranger();
        var answer = await Post(client, "/signin", ("email", email), ("password", Password));
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        return client;
    }

    /// <summary>Fills in and sends the form of a page, with its antiforgery token.</summary>
    public static async Task<HttpResponseMessage> Post(HttpClient client, string url, params (string Name, string Value)[] fields)
    {
        var answer = await client.GetAsync(url.Split("?handler")[0]);
        // What is not there has no form; any page of the signed-in does.
        var page = answer.IsSuccessStatusCode ? await answer.Content.ReadAsStringAsync() : await client.GetStringAsync("/alerts");
        var token = AntiforgeryToken().Match(page).Groups[1].Value;
        if (token.Length == 0)
            token = AntiforgeryToken().Match(await client.GetStringAsync("/me")).Groups[1].Value;
        return await client.PostAsync(
            url,
            new FormUrlEncodedContent([
                .. fields.Select(f => KeyValuePair.Create(f.Name, f.Value)),
                KeyValuePair.Create("__RequestVerificationToken", token),
            ])
        );
    }

    [GeneratedRegex("name=\"__RequestVerificationToken\"[^>]*value=\"([^\"]+)\"")]
    private static partial Regex AntiforgeryToken();

    public async ValueTask DisposeAsync()
    {
        await App.StopAsync();
        await App.DisposeAsync();
        _folder.Dispose();
        Directory.Delete(Path, true);
    }
}
