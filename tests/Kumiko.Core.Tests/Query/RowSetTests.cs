using CsCheck;
using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Tests.Storage;
using NodaTime;
using static Kumiko.Core.Records.Instants;

namespace Kumiko.Core.Tests.Query;

/// <summary>What holds for every set of rows that can be asked for.</summary>
public sealed class RowSetTests : StoreTest
{
    private static readonly long Now = FromDateTime(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private static readonly Window Focus = new(Now - Hour, Now);

    /// <summary>Tides at a quay, one a second, of which it is counted how many are read.</summary>
    private sealed class Tides : RowSet
    {
        public int Read { get; private set; }
        public Action<int> Each { get; init; } = _ => { };
        public override string Name => "tides";
        public override string Title => "tides at quays";

        public override RowScan Scan(ScanRequest request) =>
            new ColumnScan(
                [
                    new("time", ColumnRole.Time, ValueKind.Time),
                    new("quay", ColumnRole.Key),
                    new("height", ColumnRole.Value, ValueKind.Decimal) { Unit = "m" },
                ],
                () => Rows(request.Window),
                request.Cancel
            );

        private IEnumerable<Value[]> Rows(Window window)
        {
            for (var i = 0; window.To - ((i + 1) * Second) >= window.From; i++)
            {
                Read++;
                Each(i);
                yield return
                [
                    Value.Time(window.To - ((i + 1) * Second)),
                    i % 4 == 3 ? Value.Missing : Value.Of(i % 2 == 0 ? "Tarnhead" : "Orra"),
                    Value.Of(i % 10 / 2.0),
                ];
            }
        }
    }

    private Run Ask(RecordStore store, string query, RowSet set, Access? access = null, Window? window = null) =>
        new(
            new Question("test", QueryParser.Parse(query, [set.Name]), window ?? Focus, Now, DateTimeZone.Utc, Limits.Default)
            {
                Access = access ?? Access.All,
            },
            store.Current,
            new QuerySources(new RowSetBook([set, new PatternSet()]))
        );

    [Fact]
    public async Task Nothing_is_read_before_it_is_asked_for_and_then_only_as_far_as_needed()
    {
        using var store = Open();
        var tides = new Tides();
        using var run = Ask(store, "from tides quay = Tarnhead | limit 3", tides);
        Assert.True(run.IsGrouped);
        Assert.Equal("read tides, newest first", run.Plan()[0]);
        Assert.Equal(0, tides.Read);
        Assert.Equal(3, (await run.Frame()).Rows.Count);
        Assert.Equal(5, tides.Read);
    }

    [Fact]
    public async Task Reading_stops_when_nobody_waits_any_more()
    {
        using var store = Open();
        using var leaves = new CancellationTokenSource();
        var tides = new Tides
        {
            Each = i =>
            {
                if (i == 100)
                    leaves.Cancel();
            },
        };
        using var run = Ask(store, "from tides | group count()", tides, window: new Window(Now - (30 * Day), Now));
        using var reader = run.Attach(leaves.Token);
        await Assert.ThrowsAsync<QueryTimedOutException>(() => run.Frame());
        Assert.InRange(tides.Read, 101, 8_193);
    }

    [Fact]
    public async Task Conditions_groups_units_counts_and_fields_are_those_of_records()
    {
        using var store = Open();
        using var run = Ask(
            store,
            "from tides quay = Tarnhead | where height > 1 | set cm = height * 100"
                + " | group max(height) as top, count() as n by quay",
            new Tides()
        );
        var frame = await run.Frame();
        Assert.Equal((4.0, 1_080L), (frame.Rows[0][1].AsDouble, frame.Rows[0][2].AsLong));
        Assert.Equal("m", frame.Schema.Columns[1].Unit);
        var counts = await run.Counts();
        Assert.Equal((3_600, "1800 1080 1080 1"), (counts.All, string.Join(' ', counts.Left)));
        var fields = await run.Fields(null);
        Assert.Equal(["cm", "height", "quay"], fields.Select(f => f.Name).Order());
        Assert.Equal(
            ("Tarnhead", 1_080L),
            fields.Where(f => f.Name == "quay").Select(f => (f.Top[0].Value.ToText(), f.Top[0].Count)).Single()
        );
        using var all = Ask(store, "from tides", new Tides());
        Assert.Equal(
            (2_700, 3_600),
            (await all.Presence()).Where(p => p.Name == "quay").Select(p => (p.Present, p.Total)).Single()
        );
        Assert.Null(await all.Field("depth", null, 10));
    }

    [Fact]
    public async Task A_set_of_an_earlier_time_is_moved_and_joined_like_any()
    {
        using var store = Open();
        using var run = Ask(
            store,
            "with then = (from tides earlier 1d | group max(height) as h by quay per 10m)"
                + " from tides | group max(height) as h by quay per 10m | join then on time, quay",
            new Tides()
        );
        var frame = await run.Frame();
        Assert.Equal(["time", "quay", "h", "then.h"], frame.Schema.Columns.Select(c => c.Name));
        Assert.All(frame.Rows, r => Assert.Equal(r[2], r[3]));
    }

    [Fact]
    public async Task Names_fields_and_values_are_completed()
    {
        using var store = Open();
        var tides = new Tides();
        using var run = Ask(store, "", tides);
        async Task<string> At(string marked)
        {
            var (text, caret) = (marked.Replace("¦", ""), marked.IndexOf('¦'));
            var found = await Completions.At(CompletionPlace.At(text, caret), run, new RowSetBook([tides]), text[..caret]);
            return string.Join(
                ' ',
                found
                    .Where(c => c.Kind is not (CompletionKind.Keyword or CompletionKind.Function))
                    .Select(c => $"{c.Label}/{c.Count}")
            );
        }
        Assert.Contains("tides/", await At("from ti¦"));
        Assert.Equal("quay/2700", await At("from tides qu¦"));
        Assert.Equal("Tarnhead/1800", await At("from tides quay = Ta¦"));
    }

    [Fact]
    public async Task A_condition_on_what_may_be_read_holds_for_every_set_and_is_not_counted()
    {
        using var store = Open();
        await store.Append(
            [
                new LogRecord
                {
                    Time = Now - Minute,
                    Observed = Now,
                    Body = "lane 1 open",
                    Source = "quay",
                    Attributes = new Attributes(["quay"], [Value.Of("Orra")]),
                },
                new LogRecord
                {
                    Time = Now - Second,
                    Observed = Now,
                    Body = "lane 2 open",
                    Source = "quay",
                    Attributes = new Attributes(["quay"], [Value.Of("Tarnhead")]),
                },
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        var access = new Access(null, QueryParser.Parse("quay = Orra").Query.Match);
        using var tides = Ask(store, "from tides height >= 0 | group count() as n by quay", new Tides(), access);
        Assert.Equal(
            ("Orra", 900L),
            ((await tides.Frame()).Rows.Single()[0].AsText, (await tides.Frame()).Rows.Single()[1].AsLong)
        );
        Assert.Equal((900, "900 1"), ((await tides.Counts()).All, string.Join(' ', (await tides.Counts()).Left)));
        using var logs = Ask(store, "", new Tides(), access);
        var record = Assert.Single(await logs.Records(null, 10));
        Assert.Equal("lane 1 open", record.Record.Body);
        Assert.Equal(1, (await logs.Counts()).All);
        using var all = Ask(store, "", new Tides());
        var hidden = (await all.Records(null, 1))[0].Id;
        Assert.NotNull(all.Find(hidden));
        Assert.Null(logs.Find(hidden));
        using var patterns = Ask(store, "from patterns | select records", new Tides(), access);
        Assert.Equal(1, (await patterns.Frame()).Rows.Single()[0].AsLong);
    }

    [Fact]
    public async Task Sources_that_may_not_be_read_are_in_no_set()
    {
        using var store = Open();
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"));
        var (spans, changes, rules) = (new SpanStore(store), new ChangeStore(database), new RuleStore(database, Clock));
        await spans.Append([SpanAt(Now - Minute, "a")], "quay");
        await spans.Append([SpanAt(Now - Minute, "b")], "office");
        await changes.Add(new Change("1", Now - Minute, "firmware", "Orra", "1", "2", "Ines") { Source = "quay" });
        await changes.Add(new Change("2", Now - Minute, "firmware", "Orra", "2", "3", "Ines") { Source = "office" });
        var access = new Access(new HashSet<string> { "quay" });
        Assert.Equal("a", Assert.Single(Rows(store, access))[3].AsText);
        Assert.Equal("quay", Assert.Single(Scanned.Rows(new ChangeSet(changes), Focus, access))[7].AsText);
        Assert.StartsWith(
            "Alerts sum up what all sources sent",
            Assert.Throws<QueryRefusedException>(() => Scanned.Rows(new AlertSet(rules.Alerts), Focus, access)).Message
        );
        Assert.Equal(2, Rows(store).Count);
        Assert.Empty(Scanned.Rows(new AlertSet(rules.Alerts), Focus));
    }

    private IReadOnlyList<Value[]> Rows(RecordStore store, Access? access = null)
    {
        using var run = Ask(store, "from spans", new SpanSet(), access);
        return run.Frame().GetAwaiter().GetResult().Rows;
    }

    private static Span SpanAt(long start, string name, long length = Second) =>
        new()
        {
            TraceId = "5b8aa5a2d2c872e8321cf37308d69df2",
            SpanId = "051581bf3cb55c13",
            Name = name,
            Start = start,
            End = start + length,
        };

    [Fact]
    public void Spans_come_newest_first_however_their_batches_overlap() =>
        Gen.Select(Gen.Int[0, 3_600], Gen.Int[-60, 4_000])
            .Array[0, 12]
            .Array[1, 6]
            .Sample(
                batches =>
                {
                    var folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
                    using (var store = Open(path: Path.Combine(folder, "records.db")))
                    {
                        var spans = new SpanStore(store);
                        var all = batches
                            .Select(b =>
                                b.Select(s => SpanAt(Focus.From + (s.Item1 * Second) - Minute, "x", s.Item2 * Second)).ToList()
                            )
                            .ToList();
                        foreach (var batch in all)
                            spans.Append(batch, "quay").GetAwaiter().GetResult();
                        Assert.Equal(
                            all.SelectMany(b => b).Select(s => s.Start).Where(Focus.Contains).OrderDescending(),
                            Rows(store).Select(row => row[0].AsLong)
                        );
                    }
                    Directory.Delete(folder, true);
                },
                threads: 1
            );
}
