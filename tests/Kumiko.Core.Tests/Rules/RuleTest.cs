using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Signals;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Rules;

/// <summary>A data folder with rules whose clock the test moves.</summary>
public abstract class RuleTest : IDisposable
{
    private sealed class PlainWriter : IAlertWriter
    {
        public Message Write(Rule rule, Alert alert, Turn turn, string recipient) =>
            new(FormattableString.Invariant($"{alert.Id}-{turn.Kind}-{turn.At}-{recipient}"), recipient, FormattableString.Invariant($"{turn.Kind} {turn.Level} {turn.Value}{(alert.Of.Length > 0 ? " " + alert.Of : "")}"), "", "", turn.At);

        public Message WriteFailed(Rule rule, string problem, long since, string recipient) =>
            new(FormattableString.Invariant($"rule-{rule.Id}-failed-{since}-{recipient}"), recipient, "Failed " + problem, "", "", since);
    }

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private long _person;

    protected RuleTest() => Start();

    protected FakeTimeProvider Clock { get; } = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    protected KeptDatabase Kept { get; private set; } = null!;
    protected RecordStore Records { get; private set; } = null!;
    protected MetricStore Metrics { get; private set; } = null!;
    protected SignalStore Spans { get; private set; } = null!;
    protected RuleStore Store { get; private set; } = null!;
    protected ObjectiveStore Objectives { get; private set; } = null!;
    protected RuleReader Reader { get; private set; } = null!;
    protected RuleChecker Checker { get; private set; } = null!;
    protected RecordRules OnRecords { get; private set; } = null!;
    protected RunSurroundings Around { get; private set; } = null!;
    protected List<KnownDisturbance> Disturbances { get; } = [];

    private sealed class Written(List<KnownDisturbance> all) : IKnownDisturbances
    {
        public IReadOnlyList<KnownDisturbance> In(Kumiko.Core.Frames.Window window) => [.. all.Where(d => d.Window.Overlaps(window.From, window.To - 1))];
    }

    protected void Start()
    {
        Kept = new KeptDatabase(Path.Combine(_folder, "kumiko.db"));
        Records = new RecordStore(Path.Combine(_folder, "records.db"), Clock);
        Metrics = new MetricStore(Records, Clock);
        Spans = new SignalStore(Records, Clock);
        Store = new RuleStore(Kept, Clock);
        Objectives = new ObjectiveStore(Kept, Clock);
        Around = new RunSurroundings((name, window) => name switch { "spans" => SpanSet.Read(Spans, window), "alerts" => AlertSet.Read(Store.Alerts, window), "changes" => throw new InvalidDataException("Batch 7 of changes does not match its checksum."), _ => null }) { Metrics = Metrics };
        Reader = new RuleReader(new FigureReader(Around, Objectives.Find));
        Checker = new RuleChecker(Store, Records, Reader, new PlainWriter(), Clock) { FollowUp = new FollowUpReader(Records, Around) };
        OnRecords = new RecordRules(Store, Records, Around, Checker);
    }

    protected void Stop()
    {
        OnRecords.Dispose();
        Metrics.Dispose();
        Records.Dispose();
        Kept.Dispose();
    }

    public void Dispose()
    {
        Stop();
        Directory.Delete(_folder, true);
        GC.SuppressFinalize(this);
    }

    protected long Now => Instants.FromDateTime(Clock.GetUtcNow());

    protected const string Ines = "ines@skerryline.example";

    protected async Task<Rule> Add(RuleDefinition definition, string mail = Ines, string followUp = "", string name = "refusals")
    {
        if (_person == 0) _person = (await new PeopleStore(Kept, Clock).Add("Ines Halloran", $"ines{Guid.NewGuid()}@skerryline.example", Role.Analyst, null))!.Id;
        var id = await Store.Add(new Rule { Name = name, Definition = definition, MailTo = mail, FollowUp = followUp, Author = _person });
        return Store.Find(id)!;
    }

    protected static RuleDefinition Counting(string query = "refused", double? warning = 2, double? critical = 5) => new()
    {
        Quantity = new CountOf(query),
        Wrong = new Beyond(false, warning, critical),
        LookBack = Instants.Minute,
        Interval = 10 * Instants.Second,
    };

    protected RuleTrial Trials => new(Reader, Around, id => Store.Find(id)?.Definition, new Written(Disturbances));

    protected async Task<Trial> Try(RuleDefinition definition, Kumiko.Core.Frames.Window window)
    {
        using var snapshot = Records.Current;
        return await Trials.Of(definition, window, snapshot);
    }

    protected static LogRecord Record(long time, string body = "ticket refused", params (string Name, Value Value)[] attributes)
    {
        var with = Sample.With(attributes);
        return new LogRecord { Time = time, Observed = time, Body = body, Attributes = with.Attributes };
    }

    protected Task Send(int count, string body = "ticket refused", params (string Name, Value Value)[] attributes) =>
        Records.Append([.. Enumerable.Range(0, count).Select(_ => Record(Now - 1, body, attributes))], "quay");

    /// <summary>Moves the clock in steps and checks at each, as the service does.</summary>
    protected async Task Pass(int seconds, int step = 1)
    {
        for (var i = 0; i < seconds; i += step)
        {
            Clock.Advance(TimeSpan.FromSeconds(step));
            await OnRecords.ShowWaiting(CancellationToken.None);
            await Checker.CheckDue(Now, CancellationToken.None);
        }
    }

    protected List<string> Subjects() => [.. new OutboxStore(Kept).All().Select(m => m.Subject)];
}
