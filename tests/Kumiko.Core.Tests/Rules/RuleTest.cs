using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Delivery;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Rules.Briefs;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Rules;

/// <summary>A data folder with rules whose clock the test moves.</summary>
public abstract class RuleTest : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private long _person;

    protected RuleTest() => Start();

    protected FakeTimeProvider Clock { get; } = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    protected AppDatabase Database { get; private set; } = null!;
    protected RecordStore Records { get; private set; } = null!;
    protected MetricStore Metrics { get; private set; } = null!;
    protected SpanStore Spans { get; private set; } = null!;
    protected RuleStore Store { get; private set; } = null!;
    protected ObjectiveStore Objectives { get; private set; } = null!;
    protected RuleReader Reader { get; private set; } = null!;
    protected RuleChecker Checker { get; private set; } = null!;
    protected RecordRules OnRecords { get; private set; } = null!;
    protected QuerySources Around { get; private set; } = null!;
    protected ChannelStore Channels { get; private set; } = null!;
    protected ChangeStore Changes { get; private set; } = null!;
    protected RouteStore Routes { get; private set; } = null!;
    protected SendingStore Sendings { get; private set; } = null!;
    protected BriefReader Briefs { get; private set; } = null!;
    protected NotificationPlanner Planner { get; private set; } = null!;
    protected List<KnownDisturbance> Disturbances { get; } = [];

    private sealed class Written(List<KnownDisturbance> all) : IKnownDisturbances
    {
        public IReadOnlyList<KnownDisturbance> In(Kumiko.Core.Frames.Window window) =>
            [.. all.Where(d => d.Window.Overlaps(window.From, window.To - 1))];
    }

    private sealed class DamagedChanges : RowSet
    {
        public override string Name => "changes";

        public override string Title => "damaged";

        public override RowScan Scan(ScanRequest request) =>
            throw new InvalidDataException("Batch 7 of changes does not match its checksum.");
    }

    protected void Start()
    {
        Database = new AppDatabase(Path.Combine(_folder, "kumiko.db"));
        Records = new RecordStore(Path.Combine(_folder, "records.db"), Clock);
        Metrics = new MetricStore(Records, Clock);
        Spans = new SpanStore(Records);
        Store = new RuleStore(Database, Clock);
        Objectives = new ObjectiveStore(Database, Clock);
        Around = new QuerySources(
            new RowSetBook([
                new SpanSet(),
                new AlertSet(Store.Alerts),
                new MetricSet(Metrics),
                new PatternSet(),
                new DamagedChanges(),
            ])
        );
        Reader = new RuleReader(new RuleValueReader(Around, Objectives.Find));
        Checker = new RuleChecker(Store, Records, Reader, Clock);
        OnRecords = new RecordRules(Store, Records, Around);
        (Channels, Changes) = (new ChannelStore(Database, Clock), new ChangeStore(Database));
        (Routes, Sendings) = (new RouteStore(Database, Channels, Clock), new SendingStore(Database, Clock));
        Briefs = new BriefReader(
            new AlertValueReader(Records, Reader, Around),
            new DifferenceReader(Records, Around, new BaselineFinder(Store.Alerts.CountIn), Store.Alerts),
            Changes,
            new FollowUpReader(Records, Around),
            Clock
        );
        Planner = new NotificationPlanner(
            new DeliveryPlanStore(Database),
            new NotificationStore(Database),
            Store,
            Routes,
            Briefs,
            new ResultMetrics(Metrics),
            Clock
        );
    }

    protected void Stop()
    {
        OnRecords.Dispose();
        Metrics.Dispose();
        Records.Dispose();
        Database.Dispose();
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
        if (_person == 0)
            _person = (
                await new PeopleStore(Database, Clock).Add(
                    "Ines Halloran",
                    $"ines{Guid.NewGuid()}@skerryline.example",
                    Role.Analyst,
                    null
                )
            )!.Id;
        var id = await Store.Add(
            new Rule
            {
                Name = name,
                Definition = definition,
                MailTo = mail,
                FollowUp = followUp,
                Author = _person,
            }
        );
        return Store.Find(id)!;
    }

    protected static RuleDefinition Counting(string query = "refused", double? warning = 2, double? critical = 5) =>
        new()
        {
            Quantity = new CountOf(query),
            Condition = new Beyond(false, warning, critical),
            InTheLast = Instants.Minute,
            CheckedEvery = 10 * Instants.Second,
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
        return new LogRecord
        {
            Time = time,
            Observed = time,
            Body = body,
            Attributes = with.Attributes,
        };
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

    /// <summary>Plans what waits to be told and makes the messages that may go.</summary>
    protected Task<int> Tell() => Planner.TellWaiting(CancellationToken.None);

    /// <summary>What was to be told, whoever to.</summary>
    protected List<string> Subjects() =>
        [
            .. new NotificationStore(Database)
                .All()
                .Select(t =>
                    t.Kind == NotificationKind.Failed
                        ? "Failed " + t.Text
                        : FormattableString.Invariant(
                            $"{t.Kind} {t.Level} {t.Value ?? double.NaN}{(Store.Alerts.Find(t.Alert!.Value) is { Of.Length: > 0 } alert ? " " + alert.Of : "")}"
                        )
                ),
        ];
}
