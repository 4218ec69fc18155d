using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Delivery;
using Kumiko.Core.Entities;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.RowSets;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Core.Searches;
using Kumiko.Core.Sources;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Spans;
using Kumiko.Core.Spans.Figures;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Tables;
using Kumiko.Web.Accounts;
using Kumiko.Web.Api;
using Kumiko.Web.Background;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;
using Kumiko.Web.Receivers;
using Kumiko.Web.Receivers.Otlp;
using Kumiko.Web.Receivers.Scraping;
using Kumiko.Web.Receivers.Syslog;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Server.Kestrel.Core;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.DependencyInjection.Extensions;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Web.Hosting;

/// <summary>The web application, put together.</summary>
public static class KumikoServer
{
    /// <summary>The longest request line: a query of 16 KB, three bytes a character, and the rest of an address.</summary>
    private const int LongestRequestLine = 64 * 1024;

    private const int LeastThreads = 16;

    /// <param name="folder">Held by the caller until the application has stopped.</param>
    /// <param name="more">Adds or replaces services before the application is built.</param>
    public static WebApplication Build(ServerOptions options, DataFolder folder, Action<WebApplicationBuilder>? more = null)
    {
        var builder = WebApplication.CreateSlimBuilder(
            new WebApplicationOptions
            {
                EnvironmentName = Environments.Production,
                ApplicationName = typeof(KumikoServer).Assembly.GetName().Name,
            }
        );
        var ports = new ListeningPorts();
        builder.WebHost.UseKestrel(kestrel =>
        {
            kestrel.Listen(options.Listen, options.Port, web => (ports.Web = web).Secured(options.Tls));
            // Without TLS the two versions of HTTP cannot be told apart in time, so gRPC has a port of its own.
            if (options.GrpcPort is { } grpcPort)
                kestrel.Listen(options.Listen, grpcPort, grpc =>
                    (ports.Grpc = grpc.Secured(options.Tls)).Protocols = HttpProtocols.Http2
                );
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestLineSize = LongestRequestLine;
            kestrel.Limits.MaxRequestHeadersTotalSize = LongestRequestLine + (32 * 1024);
        });
        builder
            .Logging.ClearProviders()
            .AddSimpleConsole(o => o.SingleLine = true)
            .SetMinimumLevel(LogLevel.Warning)
            // Keys lie in the data folder under its own permissions, and forms are never cached; both are meant so.
            .AddFilter("Microsoft.AspNetCore.DataProtection", LogLevel.Error)
            .AddFilter("Microsoft.AspNetCore.Antiforgery", LogLevel.Error);
        AddServices(builder.Services, options, folder);
        more?.Invoke(builder);
        var app = builder.Build();
        OpenStores(app.Services, options, folder);
        Configure(app);
        // Long looks through the store take whole threads; answers that are ready must not wait for one of theirs.
        ThreadPool.SetMinThreads(LeastThreads, LeastThreads);
        app.Lifetime.ApplicationStarted.Register(() => Announce(app, ports, options, folder));
        return app;
    }

    private static void AddServices(IServiceCollection services, ServerOptions options, DataFolder folder)
    {
        services.AddSingleton(options).AddSingleton<ServerState>().AddSingleton(folder);
        services.TryAddSingleton(TimeProvider.System);
        services.AddSingleton(s => new RecordStore(
            folder.Records,
            s.GetRequiredService<TimeProvider>(),
            new RecordStoreOptions(
                options.Retention,
                Background: !options.IsReadOnly,
                ReserveBytes: options.IsReadOnly ? 0 : options.ReserveBytes
            )
            {
                IsReadOnly = options.IsReadOnly,
            }
        ));
        services.AddSingleton(s => new AppDatabase(folder.Kept, s.GetRequiredService<TimeProvider>(), options.IsReadOnly));
        services
            .AddSingleton<PeopleStore>()
            .AddSingleton<TokenStore>()
            .AddSingleton<RuleStore>()
            .AddSingleton<SearchStore>()
            .AddSingleton<PatternNoteStore>()
            .AddSingleton<FieldLinkStore>()
            .AddSingleton<ExportBoard>()
            .AddSingleton<ChangeStore>();
        services
            .AddSingleton(new LookupTables(folder.Tables))
            .AddSingleton(s =>
                RowSetList.Sources(
                    new RowStores(
                        s.GetRequiredService<RecordStore>(),
                        s.GetRequiredService<MetricStore>(),
                        s.GetRequiredService<RuleStore>(),
                        s.GetRequiredService<ChangeStore>(),
                        s.GetRequiredService<FailureRules>(),
                        s.GetRequiredService<InstanceBook>(),
                        s.GetRequiredService<LookupTables>()
                    )
                ) with
                {
                    Memory = s.GetRequiredService<MemoryBudget>(),
                }
            );
        services
            .AddSingleton(MemoryBudget.OfMachine())
            .AddSingleton(s => new WorkGate(options.Work, s.GetRequiredService<TimeProvider>()))
            .AddSingleton<RunRegistry>()
            .AddSingleton<LineIntake>();
        AddFiles(services, folder);
        AddRules(services);
        AddTelling(services, options);
        services.AddSingleton(s => new MetricStore(
            s.GetRequiredService<RecordStore>(),
            s.GetRequiredService<TimeProvider>(),
            new MetricOptions(SamplesAge: options.Retention.Age, LevelsAge: options.KeepLevels ?? options.Retention.Age)
            {
                Background = !options.IsReadOnly,
            }
        ));
        services.AddSingleton<MetricCatalogue>();
        services
            .AddSingleton<SpanStore>()
            .AddSingleton<FailureStore>()
            .AddSingleton<InstanceStore>()
            .AddSingleton(s => new InstanceBook(
                s.GetRequiredService<RecordStore>(),
                s.GetRequiredService<MetricStore>(),
                s.GetRequiredService<InstanceStore>(),
                s.GetRequiredService<ChangeStore>(),
                s.GetRequiredService<TimeProvider>(),
                isBackground: !options.IsReadOnly
            ))
            .AddSingleton<FailureRules>()
            .AddSingleton(s => new SpanFigures(
                s.GetRequiredService<RecordStore>(),
                s.GetRequiredService<MetricStore>(),
                s.GetRequiredService<FailureRules>(),
                s.GetRequiredService<TimeProvider>(),
                isBackground: !options.IsReadOnly
            ))
            .AddSingleton<SourceBook>()
            .AddSingleton<SourceDays>()
            .AddSingleton<RateGates>()
            .AddSingleton<UploadSlots>()
            .AddSingleton<IntakeGate>()
            .AddSingleton<OtlpReceiver>()
            .AddSingleton<SyslogSenders>()
            .AddSingleton<ScrapeStore>()
            .AddSingleton<Scraper>();
        services.AddGrpc(grpc => grpc.MaxReceiveMessageSize = OtlpReceiver.MostBytes);
        services.AddSingleton(s => new RuleWords(
            id => s.GetRequiredService<RuleStore>().Find(id)?.Name,
            id => s.GetRequiredService<ObjectiveStore>().Find(id)?.Name
        ));
        services.AddSingleton<BearerTokens>().AddSingleton<StripBuilder>().AddSingleton<BoardReader>().AddSingleton<Assets>();
        services
            .AddSingleton<IPasswordHasher<Person>, PasswordHasher<Person>>()
            .Configure<PasswordHasherOptions>(o => o.IterationCount = Passwords.Rounds);
        services
            .AddSingleton<LinkStore>()
            .AddSingleton<SessionStore>()
            .AddSingleton<SignInTries>()
            .AddSingleton<Passwords>()
            .AddSingleton<SessionCookies>()
            .AddSingleton<InvitationMail>();
        services
            .AddHostedService<SyslogListener>()
            .AddHostedService(s => s.GetRequiredService<Scraper>())
            .AddHostedService<SourceService>()
            .AddHostedService<KeepingService>()
            .AddHostedService<RuleService>()
            .AddHostedService<NotificationService>()
            .AddHostedService<MemoryService>();
        services.AddHttpContextAccessor().AddScoped<Viewer>().AddSingleton<ToldProblems>();

        services.AddDataProtection().PersistKeysToFileSystem(new DirectoryInfo(folder.Keys)).SetApplicationName("Kumiko");
        services
            .AddAuthentication(CookieAuthenticationDefaults.AuthenticationScheme)
            .AddCookie(cookie =>
            {
                cookie.Cookie.Name = "kumiko";
                cookie.Cookie.SameSite = SameSiteMode.Lax;
                cookie.LoginPath = "/signin";
                // Whoever may not is told so; signing in again would change nothing.
                cookie.Events.OnRedirectToAccessDenied = context =>
                {
                    context.Response.StatusCode = StatusCodes.Status403Forbidden;
                    return Task.CompletedTask;
                };
                cookie.ReturnUrlParameter = "then";
                // The session in the store says when it is over; the cookie lasts as long as any can.
                cookie.ExpireTimeSpan = TimeSpan.FromDays(SessionStore.LastsFor / (double)Instants.Day);
                cookie.SlidingExpiration = false;
                cookie.Events.OnValidatePrincipal = context =>
                    context.HttpContext.RequestServices.GetRequiredService<SessionCookies>().Validate(context);
            });
        services
            .AddAuthorizationBuilder()
            .SetFallbackPolicy(new AuthorizationPolicyBuilder().RequireAuthenticatedUser().Build())
            .AddPolicy(Policies.Keep, p => p.RequireRole(nameof(Role.Analyst), nameof(Role.Administrator)))
            .AddPolicy(Policies.Run, p => p.RequireRole(nameof(Role.Administrator)));
        services.AddAntiforgery(a =>
        {
            a.Cookie.Name = "kumiko-form";
            a.Cookie.SameSite = SameSiteMode.Strict;
        });
        services.AddRazorPages(pages =>
        {
            pages.Conventions.AddPageRoute("/Rules/Edit", "/rules/new");
            pages.Conventions.AddPageRoute("/Objectives/One", "/objectives/new");
            pages.Conventions.AddPageRoute("/Alerts/Channel", "/alerts/channels/new");
            pages.Conventions.AddPageRoute("/Alerts/Route", "/alerts/routes/new");
            pages.Conventions.AddPageRoute("/Alerts/Calendar", "/alerts/calendars/new");
        });
        services.AddResponseCompression(c => c.EnableForHttps = false);
    }

    private static void AddFiles(IServiceCollection services, DataFolder folder)
    {
        services
            .AddSingleton<ImportStore>()
            .AddSingleton<SourceFormats>()
            .AddSingleton<FollowStore>()
            .AddSingleton<Follower>()
            .AddSingleton(s => new PathGate(s.GetRequiredService<ServerOptions>().ImportFrom))
            .AddSingleton<UploadTurns>();
        services.AddSingleton(s => new ImportRuns(
            s.GetRequiredService<RecordStore>(),
            s.GetRequiredService<ImportStore>(),
            s.GetRequiredService<LineIntake>(),
            s.GetRequiredService<TimeProvider>(),
            folder.Imports
        ));
        services.AddHostedService<FollowService>();
    }

    private static void AddRules(IServiceCollection services)
    {
        services
            .AddSingleton<ObjectiveStore>()
            .AddSingleton<ObjectiveReader>()
            .AddSingleton<RuleReader>()
            .AddSingleton<FollowUpReader>()
            .AddSingleton<RecordRules>()
            .AddSingleton<RuleLoad>();
        services.AddSingleton(s => new RuleValueReader(
            s.GetRequiredService<QuerySources>(),
            s.GetRequiredService<ObjectiveStore>().Find
        ));
        services.AddSingleton(s => new RuleChecker(
            s.GetRequiredService<RuleStore>(),
            s.GetRequiredService<RecordStore>(),
            s.GetRequiredService<RuleReader>(),
            s.GetRequiredService<TimeProvider>()
        ));
        services.AddSingleton<LimitProposal>();
        services.AddSingleton(s => new RuleTrial(
            s.GetRequiredService<RuleReader>(),
            s.GetRequiredService<QuerySources>(),
            id => s.GetRequiredService<RuleStore>().Find(id)?.Definition,
            s.GetRequiredService<IKnownDisturbances>()
        ));
        services.TryAddSingleton<IKnownDisturbances, NoDisturbances>();
    }

    private static void AddTelling(IServiceCollection services, ServerOptions options)
    {
        services
            .AddSingleton(s => s.GetRequiredService<RuleStore>().Alerts)
            .AddSingleton(s => new BaselineFinder(s.GetRequiredService<AlertStore>().CountIn));
        services
            .AddSingleton<AlertValueReader>()
            .AddSingleton<DifferenceReader>()
            .AddSingleton<BriefReader>()
            .AddSingleton<IResultSink, ResultMetrics>();
        services
            .AddSingleton<NotificationStore>()
            .AddSingleton<ChannelStore>()
            .AddSingleton<RouteStore>()
            .AddSingleton<SendingStore>()
            .AddSingleton<DeliveryPlanStore>()
            .AddSingleton<NotificationPlanner>();
        services
            .AddSingleton(new NetworkGuard(options.Reach))
            .AddSingleton<MailSender>()
            .AddSingleton<WebhookSender>()
            .AddSingleton<SyslogSender>()
            .AddSingleton<TrapSender>()
            .AddSingleton<ScriptSender>();
        services
            .AddSingleton<SecretKeeper>()
            .AddSingleton<BriefShow>()
            .AddSingleton<SignedLinks>()
            .AddSingleton<FieldReader>()
            .AddSingleton<MessageComposer>()
            .AddSingleton<Dispatcher>();
    }

    private static void Configure(WebApplication app)
    {
        var options = app.Services.GetRequiredService<ServerOptions>();
        if (options.Proxies is { } proxies)
            app.UseForwardedHeaders(BehindProxy.Trusting(proxies));
        app.UseMiddleware<KnownHosts>();
        app.UseExceptionHandler("/problem");
        app.UseStatusCodePagesWithReExecute("/problem", "?code={0}");
        app.UseMiddleware<SecurityHeaders>();
        app.UseCookiePolicy(SecureCookies.Policy);
        app.UseMiddleware<RefusedAnswers>();
        app.UseResponseCompression();
        app.UseRouting();
        app.UseAuthentication();
        app.UseAuthorization();
        app.MapRazorPages();
        app.MapGet("/", () => Results.Redirect("/search"));
        app.MapGet("/assets/{**path}", (string path, Assets assets, HttpContext http) => assets.Serve(path, http))
            .AllowAnonymous();
        app.MapGet("/alerts/channels/mib", () =>
            Results.Stream(
                typeof(TrapSender).Assembly.GetManifestResourceStream("KUMIKO-MIB.txt")!,
                "text/plain",
                "KUMIKO-MIB.txt"
            )
        );
        app.MapGet("/healthz", () => Results.Text("well")).AllowAnonymous();
        IntakeEndpoint.Map(app);
        app.UseMiddleware<OtlpGrpcGate>();
        ChangeEndpoint.Map(app);
        OtlpHttp.Map(app);
        app.MapGrpcService<OtlpLogsService>().AllowAnonymous();
        app.MapGrpcService<OtlpMetricsService>().AllowAnonymous();
        app.MapGrpcService<OtlpTraceService>().AllowAnonymous();
        QueryEndpoint.Map(app);
        ControlEndpoint.Map(app);
    }

    /// <summary>Opens the files. On a full disk what was kept free for it is given up, and where that does not help, all is
    /// opened read only.</summary>
    /// <exception cref="DiskFullException">Not even reading is possible.</exception>
    private static void OpenStores(IServiceProvider services, ServerOptions options, DataFolder folder)
    {
        try
        {
            Open();
        }
        catch (Exception e) when (IsFull(e))
        {
            if (folder.GiveUpReserve())
            {
                try
                {
                    Open();
                    return;
                }
                catch (Exception again) when (IsFull(again))
                { /* others took the room */
                }
            }
            options.IsReadOnly = true;
            Open();
        }

        void Open()
        {
            var log = services.GetRequiredService<ILogger<RecordStore>>();
            void Tell(Exception e) => log.LogError(e, "Somebody who was told of a commit failed; what was committed stays.");
            services.GetRequiredService<RecordStore>().Faulted += Tell;
            services.GetRequiredService<AppDatabase>().Database.Writer.Faulted += Tell;
        }

        static bool IsFull(Exception e) =>
            e is DiskFullException
            || (e is Microsoft.Data.Sqlite.SqliteException sqlite && DiskFullException.IsFull(sqlite))
            || (e is IOException && e.HResult is 28);
    }

    private static void Announce(WebApplication app, ListeningPorts ports, ServerOptions options, DataFolder folder)
    {
        var state = app.Services.GetRequiredService<ServerState>();
        // Whoever listens on all addresses is reached on this machine by its own.
        IPAddress here;
        if (options.Listen.Equals(IPAddress.Any))
            here = IPAddress.Loopback;
        else if (options.Listen.Equals(IPAddress.IPv6Any))
            here = IPAddress.IPv6Loopback;
        else
            here = options.Listen;
        state.Address = (options.Tls is null ? "http://" : "https://") + new IPEndPoint(here, ports.Web!.IPEndPoint!.Port);
        state.GrpcPort = ports.Grpc?.IPEndPoint?.Port;
        options.PublicAddress ??= state.Address;
        try
        {
            folder.Announce(new ServerAddress(state.Address, state.ControlToken, options.Tls?.Fingerprint));
        }
        catch (IOException e)
        {
            app.Services.GetRequiredService<ILogger<ServerState>>()
                .LogWarning(
                    "Commands on this machine cannot find this server, as its address could not be written: {Reason}",
                    e.Message
                );
        }
        state.MakeKnown();
    }
}

/// <summary>Where the server listens; ports are known once it has started.</summary>
internal sealed class ListeningPorts
{
    public ListenOptions? Web { get; set; }
    public ListenOptions? Grpc { get; set; }
}

/// <summary>Names of what a person must be allowed to do.</summary>
public static class Policies
{
    /// <summary>To make and change what is kept: searches, charts, rules, routes.</summary>
    public const string Keep = "keep";

    /// <summary>To run Kumiko: tokens, channels, scripts, scraped targets, people.</summary>
    public const string Run = "run";
}
