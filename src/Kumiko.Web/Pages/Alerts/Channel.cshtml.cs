using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Notifications;
using Kumiko.Web.Rendering.Rules;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Alerts;

/// <summary>A channel's message about a real alert.</summary>
/// <param name="Text">Null where there is no alert.</param>
public sealed record PreviewPart(string? Text, string Of, string? Fault);

/// <summary>One channel: where it leads, how it keeps floods away, what its messages say; with a test and a preview.</summary>
[Authorize(Policy = Policies.Run)]
public sealed class ChannelModel(
    ChannelStore channels,
    RuleStore rules,
    Dispatcher dispatcher,
    FieldReader fields,
    MessageComposer composer,
    SecretKeeper secrets,
    ScriptSender scripts,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public Channel? Existing { get; private set; }
    public ChannelForm Form { get; private set; } = new();
    public IReadOnlyList<string> Faults { get; private set; } = [];
    public IReadOnlyList<string> Scripts => scripts.Files();
    public (string Sent, string Answered, string? Problem)? Tested { get; private set; }
    public PreviewPart Preview { get; private set; } = new(null, "", null);
    public bool HasSecret => Existing is { Secret.Length: > 0 };
    public IReadOnlyList<string> HeaderNames => Existing?.Settings is WebhookSettings hook ? hook.Headers : [];
    public string Path => Existing is { } of ? FormattableString.Invariant($"/alerts/channels/{of.Id}") : "/alerts/channels/new";

    public string? SecretName =>
        Form.Kind switch
        {
            "webhook" => new WebhookSettings("", []).SecretName,
            "trap" => new TrapSettings("", 0).SecretName,
            "syslog" or "script" => null,
            _ => new MailSettings([]).SecretName,
        };

    public string Placeholder =>
        Form.Kind == "webhook" ? "{ \"text\": \"{{ sentence }}\" }" : "{{ level }}: {{ sentence }}\n{{ first_step }}\n{{ link }}";

    public async Task<IActionResult> OnGetAsync(long? id, string? kind, string? when)
    {
        if (!Find(id))
            return NotFound();
        var known = ChannelForm.Kinds.Any(k => k.Kind == kind) ? kind : "mail";
        Form = Existing is { } channel ? ChannelForm.Of(channel) : new ChannelForm { Kind = known };
        return await ShowAll(when);
    }

    public async Task<IActionResult> OnPostAsync(long? id, [FromForm] ChannelForm form)
    {
        if (!Find(id))
            return NotFound();
        Form = form;
        var (channel, faults) = form.Read(Existing, Viewer.Id, secrets);
        if (faults.Count > 0)
        {
            Faults = faults;
            return await ShowAll(null);
        }
        var saved = Existing is null ? await channels.Add(channel) : channel.Id;
        if (Existing is not null)
            await channels.Change(channel);
        return Redirect(FormattableString.Invariant($"/alerts/channels/{saved}"));
    }

    public async Task<IActionResult> OnPostTestAsync(long id, string? recipient)
    {
        if (!Find(id))
            return NotFound();
        Form = ChannelForm.Of(Existing!);
        var to = Existing!.Settings.Recipients.Contains(recipient) ? recipient! : Existing.Settings.Recipients[0];
        Tested = await dispatcher.Test(Existing, to, Viewer.Name, HttpContext.RequestAborted);
        return await ShowAll(null);
    }

    /// <summary>The template as it stands in the form, on the latest alert.</summary>
    public IActionResult OnPostPreview(long? id, [FromForm] ChannelForm form)
    {
        if (!Find(id))
            return NotFound();
        return Partial("_Preview", PreviewOf(form));
    }

    private PreviewPart PreviewOf(ChannelForm form)
    {
        if (rules.Alerts.All(1) is not [{ } alert])
            return new PreviewPart(null, "", null);
        var (channel, _) = form.Read(Existing, Viewer.Id, secrets);
        var notification = new Notification
        {
            Kind = NotificationKind.Started,
            Rule = alert.Rule,
            Alert = alert.Id,
            At = alert.Started,
            Level = alert.Level,
            Value = alert.Value,
            Compared = alert.Compared,
        };
        var of = fields.Of(
            new NotificationOf(notification, rules.FindAny(alert.Rule), alert),
            channel.Settings.Recipients is [var first, ..] ? first : ""
        ) with
        {
            Acknowledge = "(a link that acknowledges once)",
        };
        var composed = composer.Compose(
            channel.Settings,
            channel.Template,
            of,
            Brief.FromJson(alert.Brief) is { } brief ? (alert, brief) : null,
            channel.Name
        );
        return new PreviewPart(composed.Payload.Describe(), BriefWords.Title(alert), composed.Fault);
    }

    private bool Find(long? id)
    {
        Begin();
        if (id is { } known)
            Existing = channels.Find(known);
        return id is null || Existing is not null;
    }

    private Task<IActionResult> ShowAll(string? when)
    {
        Preview = PreviewOf(Form);
        return Show(Path, when);
    }
}
