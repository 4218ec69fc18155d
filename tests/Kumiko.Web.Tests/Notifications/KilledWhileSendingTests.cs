using System.Diagnostics;
using System.Threading.Channels;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Channel = Kumiko.Core.Delivery.Channel;

namespace Kumiko.Web.Tests.Notifications;

/// <summary>What waits to be sent outlives a process that is killed in the middle of sending it; the receiver knows the repeat by
/// its id.</summary>
public sealed class KilledWhileSendingTests : IDisposable
{
    private readonly string _data = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_data, true);

    private Process Run() =>
        Process.Start(
            new ProcessStartInfo(
                "dotnet",
                [
                    Path.Combine(AppContext.BaseDirectory, "Kumiko.Cli.dll"),
                    "run",
                    "--port",
                    "0",
                    "--grpc-port",
                    "-1",
                    "--syslog-port",
                    "-1",
                    "--reach",
                    "127.0.0.0/8",
                    "--data",
                    _data,
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;

    /// <summary>A rule that has a result to send at its first check.</summary>
    private async Task Prepare(string url)
    {
        using var folder = DataFolder.TryOpen(_data)!;
        using var database = new AppDatabase(folder.Kept);
        var person = await new PeopleStore(database, TimeProvider.System).Add(
            "Ines Halloran",
            "ines@skerryline.example",
            Role.Analyst,
            null
        );
        var channels = new ChannelStore(database, TimeProvider.System);
        var hook = await channels.Add(
            new Channel
            {
                Name = "hook",
                Settings = new WebhookSettings(url, []),
                Author = person!.Id,
            }
        );
        await new RouteStore(database, channels, TimeProvider.System).AddRoute("all", new RouteDefinition { Channels = [hook] });
        await new RuleStore(database, TimeProvider.System).Add(
            new Rule
            {
                Name = "silence",
                Definition = new RuleDefinition
                {
                    Quantity = new CountOf(""),
                    Condition = new Silent(AlertLevel.Critical, Instants.Day),
                    InTheLast = Instants.Minute,
                    CheckedEvery = Instants.Hour,
                },
                Author = person.Id,
            }
        );
    }

    [Fact]
    public async Task It_is_sent_again_with_the_same_id_and_the_same_words()
    {
        var received = System.Threading.Channels.Channel.CreateUnbounded<(string Key, string Body)>();
        var mayAnswer = new TaskCompletionSource();
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls("http://127.0.0.1:0");
        builder.Logging.ClearProviders();
        await using var hook = builder.Build();
        hook.MapPost("/", async (HttpContext http) =>
        {
            using var reader = new StreamReader(http.Request.Body);
            await received.Writer.WriteAsync((http.Request.Headers["Idempotency-Key"].ToString(), await reader.ReadToEndAsync()));
            await mayAnswer.Task;
        });
        await hook.StartAsync();
        await Prepare(hook.Urls.First() + "/");
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(60));

        using var first = Run();
        var sent = await received.Reader.ReadAsync(limit.Token);
        first.Kill();
        await first.WaitForExitAsync(limit.Token);
        mayAnswer.SetResult();

        using var second = Run();
        var again = await received.Reader.ReadAsync(limit.Token);
        Assert.Equal(sent, again);
        Assert.Contains("silence", again.Body);
        second.Kill();
        await second.WaitForExitAsync(limit.Token);
    }
}
