using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Rules;

public sealed class RuleTests : IDisposable
{
    private sealed class PlainWriter : IAlertWriter
    {
        public Message Write(Rule rule, Alert alert, Turn turn, string recipient) =>
            new(FormattableString.Invariant($"{alert.Id}-{turn.Kind}-{turn.At}-{recipient}"), recipient, $"{turn.Kind} {turn.Level} {turn.Value}", "", "", turn.At);
    }

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private KeptDatabase _kept = null!;
    private RecordStore _records = null!;
    private RuleStore _rules = null!;
    private RuleChecker _checker = null!;

    public RuleTests() => Start();

    private void Start()
    {
        _kept = new KeptDatabase(Path.Combine(_folder, "kumiko.db"));
        _records = new RecordStore(Path.Combine(_folder, "records.db"), _clock);
        _rules = new RuleStore(_kept, _clock);
        _checker = new RuleChecker(_rules, _records, new PlainWriter());
    }

    private void Stop()
    {
        _records.Dispose();
        _kept.Dispose();
    }

    public void Dispose()
    {
        Stop();
        Directory.Delete(_folder, true);
    }

    private long Now => Instants.FromDateTime(_clock.GetUtcNow());

    private async Task<Rule> Add(long? warning = 2, long? critical = 5, string query = "refused", string mail = "ines@skerryline.example")
    {
        var person = await new PeopleStore(_kept, _clock).Add("Ines Halloran", $"ines{Guid.NewGuid()}@skerryline.example", Role.Analyst, null);
        var id = await _rules.Add(new Rule { Name = "refusals", Query = query, Warning = warning, Critical = critical, LookBack = Instants.Minute, Interval = 10 * Instants.Second, MailTo = mail, Author = person!.Id });
        return _rules.Find(id)!;
    }

    private Task Send(int count) => _records.Append([.. Enumerable.Range(0, count).Select(_ => new LogRecord { Time = Now - 1, Observed = Now, Body = "ticket refused" })], "quay");

    /// <summary>Moves the clock in steps of a second and checks at each, as the service does.</summary>
    private async Task Pass(int seconds)
    {
        for (var i = 0; i < seconds; i++)
        {
            _clock.Advance(TimeSpan.FromSeconds(1));
            await _checker.CheckDue(Now, CancellationToken.None);
        }
    }

    private List<string> Subjects() => [.. new OutboxStore(_kept).All().Select(m => m.Subject)];

    [Fact]
    public async Task An_alert_starts_rises_and_ends_with_a_mail_at_each()
    {
        var rule = await Add();
        Assert.Equal(RuleState.NotChecked, rule.State);
        await Pass(1);
        Assert.Equal(RuleState.Well, _rules.Find(rule.Id)!.State);
        await Send(3);
        await Pass(10);
        Assert.Equal(RuleState.Warning, _rules.Find(rule.Id)!.State);
        await Send(4);
        await Pass(10);
        Assert.Equal(RuleState.Critical, _rules.Find(rule.Id)!.State);
        await Pass(70);
        Assert.Equal(RuleState.Well, _rules.Find(rule.Id)!.State);
        Assert.Equal(["Started Warning 3", "Rose Critical 7", "Ended Critical 0"], Subjects());
        var alert = Assert.Single(_rules.Alerts(10));
        Assert.Equal((AlertLevel.Critical, 7, true), (alert.Level, alert.Highest, alert.Ended is not null));
        Assert.Equal([TurnKind.Started, TurnKind.Rose, TurnKind.Ended], _rules.Turns(alert.Id).Select(t => t.Kind));
    }

    [Fact]
    public async Task Straight_to_critical_is_one_mail()
    {
        await Add();
        await Send(9);
        await Pass(30);
        Assert.Equal(["Started Critical 9"], Subjects());
    }

    [Fact]
    public async Task Exactly_the_limit_is_not_beyond_it()
    {
        await Add(warning: 3, critical: null);
        await Send(3);
        await Pass(20);
        Assert.Empty(Subjects());
    }

    [Fact]
    public async Task A_restart_neither_loses_nor_repeats()
    {
        await Add();
        await Pass(1);
        await Send(3);
        await Pass(10);
        Stop();
        Start();
        await Pass(10);
        Assert.Equal(["Started Warning 3"], Subjects());
        await Send(9);
        Stop();
        // It rises and settles while the process is down; both are told when it is back.
        _clock.Advance(TimeSpan.FromMinutes(5));
        Start();
        await Pass(1);
        Assert.Equal(["Started Warning 3", "Rose Critical 12", "Ended Critical 0"], Subjects());
        await Pass(30);
        Assert.Equal(3, Subjects().Count);
    }

    [Fact]
    public async Task Checking_the_same_instant_twice_does_nothing_new()
    {
        await Add();
        await Send(3);
        await Pass(10);
        Assert.Equal(0, await _checker.CheckDue(Now, CancellationToken.None));
        Assert.Single(Subjects());
    }

    [Fact]
    public async Task Pausing_ends_an_open_alert_and_says_by_whom()
    {
        var rule = await Add();
        await Send(9);
        await Pass(5);
        await _rules.Pause(rule.Id, true, "Mirek Dane");
        await Pass(30);
        Assert.Equal(RuleState.Paused, _rules.Find(rule.Id)!.State);
        Assert.Equal("paused by Mirek Dane", Assert.Single(_rules.Alerts(10)).EndedBy);
        await _rules.Pause(rule.Id, false, "Mirek Dane");
        await Pass(1);
        Assert.Equal(2, _rules.Alerts(10).Count);
    }

    [Fact]
    public async Task A_removed_rule_can_be_brought_back()
    {
        var rule = await Add();
        await _rules.Remove(rule.Id, true, "Ines Halloran");
        Assert.Empty(_rules.Rules());
        await _rules.Remove(rule.Id, false, "Ines Halloran");
        Assert.Equal(rule.Name, Assert.Single(_rules.Rules()).Name);
    }

    [Fact]
    public async Task A_query_that_cannot_be_read_fails_the_check_and_says_why()
    {
        var rule = await Add(query: "level >=");
        await Pass(1);
        var found = _rules.Find(rule.Id)!;
        Assert.Equal(RuleState.CheckFailed, found.State);
        Assert.Contains("value is missing", found.Problem);
    }

    [Fact]
    public async Task Each_recipient_has_a_mail_of_their_own()
    {
        await Add(mail: "a@skerryline.example, b@skerryline.example");
        await Send(9);
        await Pass(2);
        Assert.Equal(["a@skerryline.example", "b@skerryline.example"], new OutboxStore(_kept).All().Select(m => m.Recipient));
    }

    [Fact]
    public async Task A_trial_finds_what_checking_would_have_found()
    {
        var rule = await Add();
        await Pass(1);
        await Send(3);
        await Pass(20);
        await Send(9);
        await Pass(90);
        await Send(4);
        await Pass(90);
        var trial = await Trial.Of(rule, new Window(Now - Instants.Hour, Now), _records.Current);
        var alerts = _rules.Alerts(10).Reverse().ToList();
        Assert.Equal(2, alerts.Count);
        Assert.Equal(alerts.Select(a => (a.Level, a.Highest)), trial.Episodes.Select(e => (e.Level, e.Highest)));
        Assert.All(alerts.Zip(trial.Episodes), p => Assert.InRange(Math.Abs(p.First.Started - p.Second.From), 0, rule.Interval));
        Assert.Equal(360, trial.Values.Count);
    }

    [Theory]
    [InlineData(null, null, 60, 10, "Set a limit")]
    [InlineData(5L, 5L, 60, 10, "must be above")]
    [InlineData(-1L, null, 60, 10, "0 or more")]
    [InlineData(1L, null, 5, 10, "Look back over")]
    [InlineData(1L, null, 60, 5, "Check every")]
    [InlineData(1L, null, 60, 90, "records are missed")]
    public void Settings_that_make_no_sense_are_told(long? warning, long? critical, int lookBack, int interval, string says)
    {
        var rule = new Rule { Name = "x", Warning = warning, Critical = critical, LookBack = lookBack * Instants.Second, Interval = interval * Instants.Second };
        Assert.Contains(rule.Faults(), f => f.Contains(says));
    }

    [Fact]
    public async Task What_cannot_be_sent_waits_longer_each_time()
    {
        await Add();
        await Send(9);
        await Pass(2);
        var outbox = new OutboxStore(_kept);
        var waiting = Assert.Single(outbox.Due(Now, 10));
        await outbox.Failed(waiting, "no route", Now);
        Assert.Empty(outbox.Due(Now + (9 * Instants.Second), 10));
        var again = Assert.Single(outbox.Due(Now + (10 * Instants.Second), 10));
        Assert.Equal((1, "no route"), (again.Attempts, again.Problem));
        await outbox.Sent(again.Id, Now);
        Assert.Empty(outbox.Due(long.MaxValue, 10));
    }
}
