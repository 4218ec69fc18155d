using System.Net.Sockets;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;
using Microsoft.Extensions.Logging;
using Polly;
using Polly.Retry;

namespace Kumiko.Web.Delivery;

/// <summary>
/// Sends what is due. Each channel has a line of its own, so that a slow or dead one holds up no other. What it cannot do now
/// waits
/// longer each time, and outlives the process.
/// </summary>
public sealed class Dispatcher(
    SendingStore sendings,
    ChannelStore channels,
    RuleStore rules,
    FieldReader fields,
    MessageComposer composer,
    SecretKeeper secrets,
    MailSender mail,
    WebhookSender webhook,
    SyslogSender syslog,
    TrapSender trap,
    ScriptSender script,
    TimeProvider clock,
    ILogger<Dispatcher> log
)
{
    private const int AtOnce = 50;

    private readonly Dictionary<long, Task> _running = [];

    // What went wrong for a moment is tried again at once; what lasts is left to the outbox. The network is real, and so is this
    // clock.
    private readonly ResiliencePipeline<SendAnswer> _patient = new ResiliencePipelineBuilder<SendAnswer>()
        .AddRetry(
            new RetryStrategyOptions<SendAnswer>
            {
                MaxRetryAttempts = 2,
                Delay = TimeSpan.FromMilliseconds(200),
                BackoffType = DelayBackoffType.Exponential,
                UseJitter = true,
                ShouldHandle = new PredicateBuilder<SendAnswer>().Handle<SendFailedException>(e =>
                    !e.IsFinal && e.InnerException is SocketException or IOException or HttpRequestException
                ),
            }
        )
        .Build();

    /// <summary>Starts what is due on each line that is free; the tasks of the lines.</summary>
    public IReadOnlyCollection<Task> Start(CancellationToken cancel)
    {
        lock (_running)
        {
            foreach (var line in sendings.Due(Now(), AtOnce).GroupBy(s => s.Channel ?? 0))
            {
                if (_running.TryGetValue(line.Key, out var running) && !running.IsCompleted)
                    continue;
                _running[line.Key] = Task.Run(() => SendLine([.. line.Select(s => s.Id)], cancel), cancel);
            }
            return [.. _running.Values];
        }
    }

    /// <summary>Nobody waits for a line, so what fails in it is written down here.</summary>
    private async Task SendLine(List<long> line, CancellationToken cancel)
    {
        try
        {
            await SendAll(line, cancel);
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            log.LogError(e, "Messages that are due could not be sent; trying again.");
        }
    }

    private async Task SendAll(List<long> line, CancellationToken cancel)
    {
        foreach (var id in line)
        {
            cancel.ThrowIfCancellationRequested();
            // An earlier line may have sent it since it was seen to be due.
            if (sendings.Find(id) is not { State: SendingState.Waiting } sending || sending.Due > Now())
                continue;
            try
            {
                // A channel that does not take one takes no other now.
                if (!await Send(sending, cancel))
                    return;
            }
            catch (Exception e) when (!cancel.IsCancellationRequested)
            {
                log.LogError(e, "Message {Id} could not be sent.", sending.Id);
                await sendings.Failed(
                    sending,
                    "Kumiko could not put it together: " + PlainText.Line(e.Message, 300),
                    "",
                    isFinal: false,
                    Now()
                );
            }
        }
    }

    /// <summary>Sends one message; false where the channel cannot be reached.</summary>
    private async Task<bool> Send(Sending sending, CancellationToken cancel)
    {
        var channel = sending.Channel is { } id ? channels.Find(id) : null;
        if (sending.Channel is not null && channel is null or { IsPaused: true })
        {
            await sendings.Failed(
                sending,
                channel is null ? "The channel was removed." : "The channel is paused.",
                "",
                isFinal: true,
                Now()
            );
            return true;
        }
        ChannelSettings settings = channel?.Settings ?? new MailSettings([sending.Recipient]);
        if (settings is MailSettings { Host: "" } && !mail.IsSetUp)
        {
            await sendings.PutOff(sending.Id, Now() + Instants.Minute, "No mail server is set up. Start Kumiko with --smtp.");
            return false;
        }
        if (channel is not null && !secrets.CanOpen(channel.Secret))
        {
            log.LogWarning(
                "Messages wait for the channel {Channel}: its secret cannot be read.",
                PlainText.Line(channel.Name, 100)
            );
            await sendings.PutOff(sending.Id, Now() + Instants.Minute, SecretKeeper.Unreadable);
            return false;
        }
        var payload = sending.Payload is { } json ? Payload.FromJson(json) : await Compose(sending, channel, settings);
        try
        {
            var secret = channel is null ? "" : secrets.Open(channel.Secret);
            var outgoing = new Outgoing(
                sending.Key,
                sending.Attempts + 1,
                sending.Created,
                sending.Recipient,
                settings,
                secret,
                payload
            );
            var answer = await _patient.ExecuteAsync(async stop => await SenderOf(settings).Send(outgoing, stop), cancel);
            await sendings.Sent(sending.Id, Now(), answer.Answered);
            return true;
        }
        catch (SendFailedException e)
        {
            log.LogWarning("Message {Id} was not taken: {Reason}", sending.Id, PlainText.Line(e.Message, 300));
            await sendings.Failed(sending, e.Message, e.Answered, e.IsFinal, Now());
            return e.IsFinal;
        }
    }

    private async Task<Payload> Compose(Sending sending, Channel? channel, ChannelSettings settings)
    {
        var content = sendings.Content(sending, rules);
        var of = fields.Of(content, settings is MailSettings ? sending.Recipient : channel?.Name ?? sending.Recipient);
        if (sending.Kind != "result" && FullUntil(sending, channel) is { } until)
        {
            var zone = content.Notifications.Select(t => t.Rule?.Definition.TimeZone).FirstOrDefault(z => z is not null)
                ?? NodaTime.DateTimeZone.Utc;
            of = of with
            {
                Remark =
                    $"The limit of this channel is reached. What comes now is told together from {Charts.Format.Clock(until, zone)} on.",
            };
        }
        var composed = composer.Compose(settings, channel?.Template ?? "", of, ToldOf(content), channel?.Name ?? "");
        await sendings.Composed(
            sending.Id,
            composed.Subject,
            composed.Payload.ToJson(),
            composed.Fault is null ? "" : "The template is broken: " + composed.Fault
        );
        return composed.Payload;
    }

    /// <summary>When further messages can go, where this one was the last of its time.</summary>
    private long? FullUntil(Sending sending, Channel? channel)
    {
        var quiet = channel?.Quiet ?? ChannelQuiet.Default;
        return QuietPlan.FullUntil(quiet, sendings.Recent(sending, sending.Created - quiet.Per), sending.Created);
    }

    internal static (Alert, Brief)? ToldOf(SendingContent content) =>
        content.Total == 1 && content.Notifications is [{ Alert: { } alert }] && Brief.FromJson(alert.Brief) is { } brief
            ? (alert, brief)
            : null;

    /// <summary>Sends a test at once and notes it in the history.</summary>
    public async Task<(string Sent, string Answered, string? Problem)> Test(
        Channel channel,
        string recipient,
        string person,
        CancellationToken cancel
    )
    {
        var composed = composer.Compose(
            channel.Settings,
            channel.Template,
            fields.Test(channel.Name, person),
            null,
            channel.Name
        );
        try
        {
            var answer = await SenderOf(channel.Settings)
                .Send(
                    new Outgoing(
                        Guid.CreateVersion7().ToString("N"),
                        1,
                        Now(),
                        recipient,
                        channel.Settings,
                        secrets.Open(channel.Secret),
                        composed.Payload
                    ),
                    cancel
                );
            await sendings.Tested(
                channel.Id,
                recipient,
                composed.Subject,
                composed.Payload.ToJson(),
                answer.Answered,
                null,
                person
            );
            return (
                answer.Sent,
                answer.Answered,
                composed.Fault is null ? null : "It was taken, but its template is broken: " + composed.Fault
            );
        }
        catch (SendFailedException e)
        {
            await sendings.Tested(
                channel.Id,
                recipient,
                composed.Subject,
                composed.Payload.ToJson(),
                e.Answered,
                e.Message,
                person
            );
            return (e.Sent.Length > 0 ? e.Sent : composed.Payload.Describe(), e.Answered, e.Message);
        }
    }

    private IChannelSender SenderOf(ChannelSettings settings) =>
        settings switch
        {
            MailSettings => mail,
            WebhookSettings => webhook,
            SyslogSettings => syslog,
            TrapSettings => trap,
            ScriptSettings => script,
            _ => throw new ArgumentOutOfRangeException(nameof(settings)),
        };

    private long Now() => Instants.FromDateTime(clock.GetUtcNow());
}
