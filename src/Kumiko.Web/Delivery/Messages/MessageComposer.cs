using System.Text.Encodings.Web;
using Kumiko.Core.Delivery;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Web.Delivery.Channels;

namespace Kumiko.Web.Delivery.Messages;

/// <summary>A message for one kind of channel.</summary>
/// <param name="Fault">What is wrong with the channel's template; null where it was used, or there is none.</param>
public sealed record Composed(string Subject, Payload Payload, string? Fault);

/// <summary>Puts messages together: the usual text of each kind of channel, or its template. A broken template gives way to the
/// usual text, which says so.</summary>
public sealed class MessageComposer
{
    private static readonly TextEncoder Plain = Fluid.NullEncoder.Default;

    /// <param name="told">The alert and its brief, for a message of one alert.</param>
    public Composed Compose(
        ChannelSettings settings,
        string template,
        MessageFields fields,
        (Alert Alert, Brief Brief)? told,
        string channel = ""
    )
    {
        string? text = null;
        string? fault = null;
        if (template.Trim().Length > 0)
        {
            (text, fault) = MessageTemplate.Render(
                template,
                fields,
                settings is WebhookSettings ? JavaScriptEncoder.UnsafeRelaxedJsonEscaping : Plain
            );
            if (settings is WebhookSettings && text is not null && !IsJson(text))
                (text, fault) = (null, "It does not come to JSON.");
            if (fault is not null)
                fields = fields with
                {
                    Remark =
                        $"{fields.Remark} The template of the channel{(channel.Length > 0 ? $" “{channel}”" : "")} is broken, so this is the usual text: {fault}".Trim(),
                };
        }
        Payload payload = settings switch
        {
            MailSettings => text is null
                ? BriefMail.Write(fields, told)
                : new MailPayload(fields.Subject, PlainText.Lines(text), "", null),
            WebhookSettings => new WebhookPayload(text ?? fields.ToJson(), "application/json"),
            SyslogSettings => Syslog(fields, text),
            TrapSettings => new TrapPayload(
                fields.Event,
                fields.Level switch
                {
                    "critical" => 2,
                    "warning" => 1,
                    _ => 0,
                },
                fields.Rule,
                fields.Where,
                text ?? Short(fields),
                fields.Link
            ),
            ScriptSettings script => Script(script, fields, text, ref fault),
            _ => throw new ArgumentOutOfRangeException(nameof(settings)),
        };
        return new Composed(fields.Subject, payload, fault);
    }

    private static string Short(MessageFields fields) =>
        fields.Remark.Length > 0 ? $"{fields.Sentence} {fields.Remark}" : fields.Sentence;

    private static SyslogPayload Syslog(MessageFields fields, string? text) =>
        new(
            fields.Level switch
            {
                "critical" => 2,
                "warning" => 4,
                _ when fields.Event is "result" or "test" => 6,
                _ => 5,
            },
            fields.Event,
            new Dictionary<string, string>
            {
                ["rule"] = fields.Rule,
                ["where"] = fields.Where,
                ["level"] = fields.Level,
                ["link"] = fields.Link,
            },
            text ?? $"{fields.Subject}. {Short(fields)}"
        );

    private static ScriptPayload Script(ScriptSettings script, MessageFields fields, string? text, ref string? fault)
    {
        var arguments = new List<string>();
        foreach (var argument in script.Arguments)
        {
            var (rendered, wrong) = argument.Contains('{', StringComparison.Ordinal)
                ? MessageTemplate.Render(argument, fields, Plain)
                : (argument, null);
            // A field that is empty is an empty argument; only what cannot be read is a fault.
            if (rendered is null && wrong is not "It comes to nothing.")
                fault ??= $"The argument {argument} is broken: {wrong}";
            arguments.Add(PlainText.Line(rendered ?? ""));
        }
        string E(string value) => PlainText.Line(value, 4_000);
        return new ScriptPayload(
            arguments,
            new Dictionary<string, string>
            {
                ["KUMIKO_EVENT"] = fields.Event,
                ["KUMIKO_LEVEL"] = fields.Level,
                ["KUMIKO_RULE"] = E(fields.Rule),
                ["KUMIKO_WHERE"] = E(fields.Where),
                ["KUMIKO_TEXT"] = E(text ?? Short(fields)),
                ["KUMIKO_LINK"] = fields.Link,
            },
            fields.ToJson()
        );
    }

    private static bool IsJson(string text)
    {
        try
        {
            using var document = System.Text.Json.JsonDocument.Parse(text);
            return true;
        }
        catch (System.Text.Json.JsonException)
        {
            return false;
        }
    }
}
