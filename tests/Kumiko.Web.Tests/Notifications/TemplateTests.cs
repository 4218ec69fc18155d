using System.Text.Encodings.Web;
using Kumiko.Core.Delivery;
using Kumiko.Web.Delivery;
using Kumiko.Web.Delivery.Channels;
using Kumiko.Web.Delivery.Messages;
using static Kumiko.Web.Tests.Notifications.NotificationFixtures;

namespace Kumiko.Web.Tests.Notifications;

public class TemplateTests
{
    private static (string? Text, string? Fault) Render(string template, string where = "Tarnhead") =>
        MessageTemplate.Render(template, Fields(where), Fluid.NullEncoder.Default);

    [Theory]
    [InlineData("{{ level | upcase }}: {{ where }}", "CRITICAL: Tarnhead")]
    [InlineData("{{ keys.terminal }}/{{ keys.none }}{{ nothing }}", "Tarnhead/")]
    [InlineData("{% for l in labels %}#{{ l }}{% endfor %}", "#gates")]
    [InlineData("{% if level == 'critical' %}!{% endif %}", "!")]
    [InlineData("{% for i in (1..3) %}{{ i }}{% endfor %}", "123")]
    public void Fields_stand_where_they_are_named(string template, string text) => Assert.Equal((text, null), Render(template));

    [Theory]
    [InlineData("{{ level")]
    [InlineData("{% if level %}")]
    [InlineData("{% nonsense %}")]
    [InlineData("{% for i in (1..100000000) %}x{% endfor %}")]
    [InlineData("{% for a in (1..1000) %}{% for b in (1..1000) %}x{% endfor %}{% endfor %}")]
    [InlineData("{% assign n = 100000000 %}{% if level %}{% for i in (1..n) %}x{% endfor %}{% endif %}")]
    [InlineData("{% assign r = (1..100000000) %}x")]
    [InlineData(
        "{% case level %}{% when 'critical' %}{% unless nothing %}{% tablerow i in (1..100000000) %}x{% endtablerow %}{% endunless %}{% endcase %}"
    )]
    [InlineData("{% for l in labels %}{% else %}{% for i in (-999999999..1) %}x{% endfor %}{% endfor %}")]
    [InlineData("{% assign a = 'xxxxxxxxxxxxxxxx' %}{% for i in (1..15) %}{% assign a = a | append: a %}{% endfor %}{{ a }}")]
    [InlineData("   {{ nothing }}  ")]
    [InlineData("{% assign a = 'xxxxxxxx' %}{% for i in (1..60) %}{% assign a = a | append: a %}{% endfor %}done")]
    [InlineData("{% capture a %}x{% endcapture %}{{ a }}")]
    [InlineData("{% include 'x' %}")]
    public void What_is_broken_endless_or_empty_is_said(string template)
    {
        var (text, fault) = Render(template);
        Assert.Null(text);
        Assert.NotEmpty(fault!);
    }

    [Fact]
    public void Filters_that_multiply_texts_are_not_there()
    {
        // A filter that is unknown leaves the text as it is.
        Assert.Equal(("a", null), Render("{{ 'a' | replace: 'a', 'aaaa' | replace: 'a', 'aaaa' }}"));
        Assert.NotNull(Render(new string('x', Channel.LongestTemplate + 1)).Fault);
    }

    [Fact]
    public void A_broken_template_gives_way_to_the_usual_text_which_says_so()
    {
        var composed = new MessageComposer().Compose(new MailSettings(["a@b.example"]), "{{ level", Fields(), null, "Quay duty");
        Assert.NotNull(composed.Fault);
        var mail = (MailPayload)composed.Payload;
        Assert.Contains("47 in 10 min", mail.Text);
        Assert.Contains("The template of the channel “Quay duty” is broken", mail.Text);
        foreach (
            var settings in new ChannelSettings[]
            {
                new WebhookSettings("https://x.example", []),
                new SyslogSettings("x", 1, "udp"),
                new TrapSettings("x", 1),
                new ScriptSettings("a.sh", ["{{ level"]),
            }
        )
            Assert.Contains("is broken", new MessageComposer().Compose(settings, "{% if", Fields(), null, "x").Payload.ToJson());
    }

    [Fact]
    public void A_webhooks_template_is_json_whatever_the_fields_hold()
    {
        var hostile = Fields("\",\"admin\":true,\"x\":\"\\\n</script>");
        var composed = new MessageComposer().Compose(
            new WebhookSettings("https://x.example", []),
            "{ \"text\": \"{{ sentence }}\" }",
            hostile,
            null
        );
        Assert.Null(composed.Fault);
        using var json = System.Text.Json.JsonDocument.Parse(((WebhookPayload)composed.Payload).Body);
        Assert.Equal("text", Assert.Single(json.RootElement.EnumerateObject()).Name);
        Assert.Contains(
            "does not come to JSON",
            new MessageComposer()
                .Compose(new WebhookSettings("https://x.example", []), "text: {{ sentence }}", Fields(), null)
                .Fault
        );
    }

    [Fact]
    public void A_payload_reads_back_and_an_old_one_is_a_mail()
    {
        foreach (
            var settings in new ChannelSettings[]
            {
                new MailSettings(["a@b.example"]),
                new WebhookSettings("https://x.example", []),
                new SyslogSettings("x", 1, "udp"),
                new TrapSettings("x", 1),
                new ScriptSettings("a.sh", ["{{ level }}"]),
            }
        )
        {
            var payload = new MessageComposer().Compose(settings, "", Fields(Markup), null).Payload;
            Assert.Equal(payload.ToJson(), Payload.FromJson(payload.ToJson()).ToJson());
            Assert.NotEmpty(payload.Describe());
        }
        Assert.Equal(new MailPayload("s", "t", "h", null), Payload.FromJson("{\"subject\":\"s\",\"text\":\"t\",\"html\":\"h\"}"));
    }

    [Theory]
    [InlineData("a\r\nb", "a  b")]
    [InlineData("a\u0000\u001b[31mb", "a  [31mb")]
    [InlineData("a\u202eb\u200bc", "a b c")]
    [InlineData("a\u2028b", "a b")]
    [InlineData("Café – ok", "Café – ok")]
    public void Lines_stay_lines(string text, string line) => Assert.Equal(line, PlainText.Line(text));
}
