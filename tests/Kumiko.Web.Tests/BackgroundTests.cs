using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Background;
using Kumiko.Web.Delivery;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging.Abstractions;

namespace Kumiko.Web.Tests;

public sealed class BackgroundTests : IAsyncLifetime
{
    private sealed class Sender : IMailSender
    {
        public bool IsSetUp => true;
        public string? Broken { get; set; }
        public List<Waiting> Sent { get; } = [];

        public Task Send(Waiting message, CancellationToken cancel)
        {
            if (Broken is not null) throw new IOException(Broken);
            lock (Sent) Sent.Add(message);
            return Task.CompletedTask;
        }
    }

    private readonly Sender _sender = new();
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start(b => b.Services.AddSingleton<IMailSender>(_sender));

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private long Now => Instants.FromDateTime(_server.Clock.GetUtcNow());

    private async Task AddRule()
    {
        var person = await _server.Get<PeopleStore>().Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        await _server.Get<RuleStore>().Add(new Rule { Name = "refusals", Definition = new RuleDefinition { Quantity = new CountOf("refused"), Wrong = new Beyond(false, 1, null), LookBack = Instants.Minute, Interval = 10 * Instants.Second }, MailTo = person!.Email, Author = person.Id });
    }

    private async Task Refuse(int times)
    {
        using var intake = await _server.Program(TokenPurpose.Intake);
        await intake.PostAsync("/intake/records", new StringContent(string.Concat(Enumerable.Repeat("{\"body\":\"ticket refused\"}\n", times)), Encoding.UTF8));
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
        await Until(() => _sender.Sent.Count >= 2);
        Assert.Equal(["Warning: refusals", "Ended: refusals"], _sender.Sent.Select(m => m.Subject));
        Assert.Contains(_server.Address + "/search?q=refused", _sender.Sent[0].Text);
        Assert.NotNull(Assert.Single(_server.Get<RuleStore>().Alerts.All(10)).Ended);
    }

    [Fact]
    public async Task A_mail_server_that_is_down_delays_the_mail_and_loses_none()
    {
        _sender.Broken = "no route";
        await AddRule();
        await Refuse(3);
        var outbox = _server.Get<OutboxStore>();
        await Until(() => outbox.All().Any(m => m.Attempts >= 2));
        Assert.Empty(_sender.Sent);
        Assert.Equal("no route", outbox.All()[0].Problem);
        _sender.Broken = null;
        // The one that has failed more often waits longer, so the order is not that of the writing.
        await Until(() => outbox.All().Count == 2 && outbox.All().All(m => m.Sent is not null));
        Assert.Equal(["Ended: refusals", "Warning: refusals"], _sender.Sent.Select(m => m.Subject).Order());
    }

    [Fact]
    public async Task Without_a_mail_server_mails_wait()
    {
        await using var plain = await RunningServer.Start();
        var service = new OutboxService(plain.Get<OutboxStore>(), plain.Get<IMailSender>(), plain.Clock, NullLogger<OutboxService>.Instance);
        Assert.Equal(0, await service.SendDue(CancellationToken.None));
        using var client = await plain.Person();
        Assert.Contains("No mail server is set up", await client.GetStringAsync("/rules/new?q=x"));
    }
}
