using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Demo.StandIns;
using Kumiko.Web.Hosting;

namespace Kumiko.Web.Tests;

public sealed class BackgroundTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private Mailbox _mailbox = null!;
    private SmtpSink _sink = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _mailbox = new Mailbox(_server.Path);
        _sink = new SmtpSink(_mailbox);
        await _sink.StartAsync(default);
        _server.Get<ServerOptions>().Smtp = _sink.Address;
    }

    public async ValueTask DisposeAsync()
    {
        await _sink.StopAsync(default);
        _sink.Dispose();
        await _server.DisposeAsync();
    }

    private List<string> Subjects() => [.. _mailbox.Mails.Reverse().Select(m => m.Subject)];

    private long Now => Instants.FromDateTime(_server.Clock.GetUtcNow());

    private async Task AddRule()
    {
        var person = await _server.Get<PeopleStore>().Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        await _server
            .Get<RuleStore>()
            .Add(
                new Rule
                {
                    Name = "refusals",
                    Definition = new RuleDefinition
                    {
                        Quantity = new CountOf("refused"),
                        Condition = new Beyond(false, 1, null),
                        InTheLast = Instants.Minute,
                        CheckedEvery = 10 * Instants.Second,
                    },
                    MailTo = person!.Email,
                    Author = person.Id,
                }
            );
    }

    private async Task Refuse(int times)
    {
        using var intake = await _server.Program(TokenPurpose.Intake);
        await intake.PostAsync(
            "/intake/records",
            new StringContent(string.Concat(Enumerable.Repeat("{\"body\":\"ticket refused\"}\n", times)), Encoding.UTF8)
        );
    }

    /// <summary>Lets the made-up clock go on until something has happened.</summary>
    private async Task Until(Func<bool> happened)
    {
        for (var i = 0; i < 2_000 && !happened(); i++)
        {
            _server.Clock.Advance(TimeSpan.FromSeconds(1));
            await Task.Yield();
        }
        // The services work on threads of their own; they are given until the test's own limit.
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(30));
        while (!happened())
        {
            limit.Token.ThrowIfCancellationRequested();
            _server.Clock.Advance(TimeSpan.FromSeconds(1));
            await Task.Yield();
        }
    }

    [Fact]
    public async Task From_a_record_to_a_mail_and_to_the_second_one()
    {
        await AddRule();
        await Refuse(3);
        await Until(() => _mailbox.Mails.Count >= 2);
        Assert.Equal(["Warning: refusals", "Ended: refusals"], Subjects());
        Assert.Contains(_server.Address + "/search?q=refused", _mailbox.Mails[^1].Text);
        Assert.NotNull(Assert.Single(_server.Get<RuleStore>().Alerts.All(10)).Ended);
    }

    [Fact]
    public async Task A_mail_server_that_is_down_delays_the_mail_and_loses_none()
    {
        // Nobody listens where nothing was ever bound.
        _server.Get<ServerOptions>().Smtp = new Uri("smtp://127.0.0.1:1");
        await AddRule();
        await Refuse(3);
        var sendings = _server.Get<SendingStore>();
        await Until(() => sendings.All(new SendingFilter(), 10).Any(m => m.Attempts >= 2));
        Assert.Empty(_mailbox.Mails);
        Assert.Contains(sendings.All(new SendingFilter("waiting"), 10), m => m.Problem is not null);
        _server.Get<ServerOptions>().Smtp = _sink.Address;
        // The one that has failed more often waits longer, so the order is not that of the writing.
        await Until(() => _mailbox.Mails.Count == 2);
        Assert.Equal(["Ended: refusals", "Warning: refusals"], Subjects().Order());
    }

    [Fact]
    public async Task Without_a_mail_server_mails_wait_and_no_try_is_counted()
    {
        _server.Get<ServerOptions>().Smtp = null;
        await AddRule();
        await Refuse(3);
        var sendings = _server.Get<SendingStore>();
        await Until(() => sendings.All(new SendingFilter(), 10).Any(m => m.Problem is not null));
        Assert.Equal(
            (0, SendingState.Waiting),
            (sendings.All(new SendingFilter(), 10)[^1].Attempts, sendings.All(new SendingFilter(), 10)[^1].State)
        );
        using var client = await _server.Person();
        Assert.Contains("No mail server is set up", await client.GetStringAsync("/rules/new?q=x"));
    }
}
