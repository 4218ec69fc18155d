using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Delivery;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Kumiko.Web.Rendering.Rules;

namespace Kumiko.Web.Tests;

public sealed class DeliveryTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    private static readonly long At = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 17, 54, 0, TimeSpan.Zero));

    private const string Query = "refused and terminal = Tarnhead";

    private static readonly Rule Refusals = new() { Id = 3, Name = "gate refusals <b>", Definition = new RuleDefinition { Quantity = new CountOf(Query), Wrong = new Beyond(false, 20, 40), LookBack = 2 * Instants.Minute, Zone = "Europe/Dublin" }, Runbook = "## First\n1. Ring the quay\n2. Wait" };

    private static Message Written(TurnKind kind, AlertLevel level, long value) =>
        new AlertMailWriter(new ServerOptions { Data = "", PublicAddress = "http://127.0.0.1:1" }, new RuleWords(_ => null, _ => null)).Write(Refusals, new Alert { Id = 7, Started = At, Worst = 61, Definition = Refusals.Definition }, new Turn(kind, At, level, value), "ines@skerryline.example");

    [Fact]
    public void A_mail_says_what_how_much_and_since_when_with_a_link_to_the_records()
    {
        var mail = Written(TurnKind.Started, AlertLevel.Critical, 61);
        Assert.Equal("Critical: gate refusals <b>", mail.Subject);
        Assert.Contains("61 in 2 min; critical above 40.", mail.Text);
        Assert.Contains("17:54", mail.Text);
        Assert.Contains("First: Ring the quay", mail.Text);
        Assert.Contains("&lt;b&gt;", mail.Html);
        Assert.DoesNotContain("<b>", mail.Html);
        var link = mail.Text.Split('\n').Single(l => l.StartsWith("Search:", StringComparison.Ordinal))[8..].Trim();
        var query = System.Web.HttpUtility.ParseQueryString(new Uri(link).Query);
        var address = SearchAddress.Parse(n => query[n], At, []);
        Assert.Equal(Query, address.Query);
        Assert.Equal((At - (2 * Instants.Minute), At), (address.Focus.Resolve(0).From, address.Focus.Resolve(0).To));
    }

    [Theory]
    [InlineData(TurnKind.Rose, AlertLevel.Critical, "Now critical:")]
    [InlineData(TurnKind.Ended, AlertLevel.Critical, "Ended:")]
    [InlineData(TurnKind.Started, AlertLevel.Warning, "Warning:")]
    public void Each_turn_has_its_headline(TurnKind kind, AlertLevel level, string subject) => Assert.StartsWith(subject, Written(kind, level, 25).Subject);

    [Fact]
    public async Task Mail_travels_over_smtp_into_the_mailbox_once()
    {
        var mailbox = new Mailbox(_folder);
        using var sink = new SmtpSink(mailbox);
        await sink.StartAsync(CancellationToken.None);
        var sender = new SmtpSender(new ServerOptions { Data = "", Smtp = sink.Address, MailFrom = "kumiko@skerryline.example" });
        var message = new Waiting { Key = "alert-7-started", Recipient = "ines@skerryline.example", Subject = "Critical: façade\r\nBcc: x", Text = ".starts with a dot\n" + new string('é', 2_000), Html = "<p>x</p>", Created = At };
        await sender.Send(message, CancellationToken.None);
        await sender.Send(message, CancellationToken.None);
        var mail = Assert.Single(mailbox.Mails);
        Assert.StartsWith("Critical: façade", mail.Subject);
        Assert.StartsWith(".starts with a dot", mail.Text);
        Assert.Contains("ines@skerryline.example", mail.To);
        Assert.Single(new Mailbox(_folder).Mails);
        await sink.StopAsync(CancellationToken.None);
    }

    [Fact]
    public void An_address_says_the_same_when_read_back()
    {
        var address = new SearchAddress { Query = "a = \"é & #\"\n| limit 5", Focus = new TimeRange(Moment.Ago(Instants.Hour), Moment.Now), Baseline = BaselineChoice.Before, Span = StripSpan.Of(Instants.Day), Marks = [new TermMark("a\"b & c", 3), new TermMark("void", 0)], OldestFirst = true, Wrap = true, Zone = "Europe/Dublin", Tab = Tab.Line, Form = Charts.ChartForm.StackedColumn, Each = "terminal", Columns = ["x", "y.z"], At = new RecordId(5, 6) };
        var query = System.Web.HttpUtility.ParseQueryString(address.Url().Split('?')[1]);
        var notices = new List<string>();
        var back = SearchAddress.Parse(n => query[n], At, notices);
        Assert.Empty(notices);
        Assert.Equal(address.Url(), back.Url());
        Assert.Equal("/search", new SearchAddress().Url());
    }
}
