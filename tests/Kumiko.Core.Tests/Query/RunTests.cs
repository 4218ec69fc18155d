using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

public sealed class RunTests : IDisposable
{
    private static readonly long Start = Sample.At("2026-11-23T17:00:00Z");
    private static readonly Window Focus = new(Start, Start + Instants.Hour);

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private readonly RecordStore _store;
    private readonly List<LogRecord> _records;

    public RunTests()
    {
        _store = new RecordStore(Path.Combine(_folder, "records.db"), _clock);
        _records = [.. Enumerable.Range(0, 3_000).Select(i => Sample.Random(i))];
        foreach (var chunk in _records.Chunk(700))
            _store.Append(chunk, "quay").GetAwaiter().GetResult();
    }

    public void Dispose()
    {
        _store.Dispose();
        Directory.Delete(_folder, true);
    }

    private static Question Ask(string text, string person = "Ines Halloran", IReadOnlySet<string>? sources = null) =>
        new(person, QueryParser.Parse(text), Focus, Start + (2 * Instants.Hour), DateTimeZone.Utc, Limits.Default)
        {
            Access = new Access(sources),
        };

    private Run Run(string text) => new(Ask(text), _store.Current);

    [Theory]
    [InlineData("")]
    [InlineData("| select time, terminal, body")]
    public async Task A_stream_has_its_time_for_each_part_and_a_slow_reader_gets_all(string text)
    {
        var gate = new WorkGate(WorkLimits.Default, _clock);
        using var run = new Run(Ask(text), _store.Current, QuerySources.None with { Clock = _clock, Gate = gate });
        var (rows, parts, all) = (0, 0, _records.Count(r => Focus.Contains(r.Time)));
        await using var answer = await run.Stream();
        await foreach (var part in answer.Chunks())
        {
            rows += part.Count;
            parts++;
            if (rows == all)
                continue;
            // The reader is slow once the part ahead of it is made: while one is made, its time runs.
            while (gate.Now.Working > 0)
                await Task.Yield();
            _clock.Advance(TimeSpan.FromMinutes(10));
        }
        Assert.Equal(all, rows);
        Assert.True(parts > 1);
        Assert.False(run.IsStopped);
        _clock.Advance(TimeSpan.FromMinutes(10));
        Assert.True(run.IsStopped);
    }

    [Fact]
    public async Task Counts_rows_strip_and_fields_agree()
    {
        using var run = Run("level >= warn | where terminal = \"Tarnhead\"");
        var inFocus = _records.Where(r => Focus.Contains(r.Time)).ToList();
        var warn = inFocus.Where(r => r.SeverityNumber >= 13).ToList();
        var tarnhead = warn.Where(r => r.Attributes.Get("terminal") == Value.Of("Tarnhead")).ToList();
        var counts = await run.Counts();
        Assert.Equal((inFocus.Count, warn.Count, tarnhead.Count), (counts.All, counts.Left[0], counts.Left[1]));
        Assert.Equal(tarnhead.Count, counts.Records);
        Assert.Equal(
            tarnhead.OrderByDescending(r => r.Id).Take(50).Select(r => r.Id),
            (await run.Records(null, 50)).Select(r => r.Id)
        );
        var strip = await run.Histogram(Focus, 5 * Instants.Minute);
        Assert.Equal(12, strip.Steps);
        Assert.Equal(tarnhead.Count, Enumerable.Range(0, 12).Sum(strip.Total));
        Assert.Equal(tarnhead.Count(r => Severity.Band(r.SeverityNumber) == 5), Enumerable.Range(0, 12).Sum(s => strip[s, 5]));
        var level = (await run.Fields(null)).Single(f => f.Name == "level");
        Assert.Equal(tarnhead.Count, level.Top.Sum(v => v.Count));
        Assert.Equal(1, (await run.Fields(null)).Single(f => f.Name == "terminal").Top[0].Share);
    }

    [Fact]
    public async Task Fields_say_how_shares_moved_and_whether_that_is_clear()
    {
        using var run = Run("");
        var before = new Window(Start - Instants.Hour, Start);
        var field = (await run.Fields(new Baseline(BaselineChoice.Before, [before], "before"))).Single(f => f.Name == "terminal");
        double ShareIn(Window window, string terminal) =>
            (double)_records.Count(r => window.Contains(r.Time) && r.Attributes.Get("terminal") == Value.Of(terminal))
            / _records.Count(r => window.Contains(r.Time));
        foreach (var value in field.Top)
        {
            Assert.Equal(ShareIn(Focus, value.Value.AsText), value.Share, 9);
            Assert.Equal(ShareIn(before, value.Value.AsText), value.Baseline!.Value, 9);
        }
        // Both stretches are drawn alike, so no difference is clear.
        Assert.All(field.Top, v => Assert.False(v.Clear));
        Assert.All((await run.Fields(new Baseline(BaselineChoice.Before, [new Window(0, 1)], "nothing")))[0].Top, v =>
            Assert.Null(v.Shift)
        );
    }

    [Fact]
    public async Task A_page_reads_on_below_its_last_record()
    {
        using var run = Run("");
        var first = await run.Records(null, 40);
        var next = await run.Records(first[^1].Id, 40);
        Assert.Equal((await run.Records(null, 80)).Select(r => r.Id), first.Concat(next).Select(r => r.Id));
    }

    [Fact]
    public async Task Group_stages_are_counted_in_rows()
    {
        using var run = Run("| group count() as n by terminal | where n > 0 | limit 1");
        var counts = await run.Counts();
        Assert.Equal(1, counts.RecordStages);
        Assert.Equal([counts.All, 3, 3, 1], counts.Left);
        Assert.Single((await run.Frame()).Rows);
    }

    [Fact]
    public async Task Sources_that_may_not_be_read_are_not_there()
    {
        using var run = new Run(Ask("", sources: new HashSet<string> { "import" }), _store.Current);
        Assert.Equal(_records.Count(r => Focus.Contains(r.Time) && r.Source == "import"), (await run.Counts()).Records);
        Assert.All(run.Passing(null), r => Assert.Equal("import", r.Source));
    }

    [Fact]
    public void A_run_is_found_by_who_opened_it_and_ends_when_nobody_reads()
    {
        using var runs = new RunRegistry(_store, _clock);
        var run = runs.Open(Ask("refused"));
        Assert.Same(run, runs.FindOrOpen(run.Id, Ask("refused")));
        Assert.NotSame(run, runs.FindOrOpen(run.Id, Ask("refused", "Tomas Verrall")));
        Assert.NotSame(run, runs.FindOrOpen(run.Id, Ask("other")));
        _clock.Advance(TimeSpan.FromSeconds(9));
        Assert.Same(run, runs.FindOrOpen(run.Id, Ask("refused")));
        _clock.Advance(TimeSpan.FromSeconds(21));
        Assert.Equal(0, runs.Count);
        Assert.NotSame(run, runs.FindOrOpen(run.Id, Ask("refused")));
    }

    [Fact]
    public void A_run_is_shared_only_where_all_that_its_answer_hangs_on_is_the_same()
    {
        using var runs = new RunRegistry(_store, _clock);
        var run = runs.Shared(Ask("refused"));
        Assert.Same(run, runs.Shared(Ask("refused")));
        Question[] others =
        [
            Ask("refused") with
            {
                Zone = NodaTime.DateTimeZone.ForOffset(NodaTime.Offset.FromHours(5)),
            },
            Ask("refused") with
            {
                Limits = Limits.Default with { Rows = 10 },
            },
            Ask("refused", sources: new HashSet<string> { "import" }),
            Ask("refused") with
            {
                Window = Focus.Shift(1),
            },
            Ask("refused") with
            {
                Parameters = new Dictionary<string, string> { ["who"] = "ines" },
            },
        ];
        foreach (var other in others)
        {
            Assert.NotSame(run, runs.Shared(other));
            Assert.NotSame(run, runs.FindOrOpen(run.Id, other));
            Assert.Same(runs.Shared(other), runs.Shared(other));
        }
        var narrowed = runs.Shared(Ask("refused", sources: new HashSet<string> { "import" }));
        Assert.NotSame(narrowed, runs.Shared(Ask("refused", sources: new HashSet<string> { "quay" })));
        Assert.Same(narrowed, runs.Shared(Ask("refused", sources: new HashSet<string> { "import" })));
    }

    [Fact]
    public async Task All_attributes_of_a_record_are_a_column()
    {
        using var run = Run("| select attributes, body");
        var frame = await run.Frame();
        Assert.Equal(["attributes", "body"], frame.Schema.Columns.Select(c => c.Name));
        Assert.Contains(frame.Rows, r => r[0] is { Kind: ValueKind.Object } found && found.AsObject.Count > 0);
    }

    [Fact]
    public async Task A_query_out_of_time_is_stopped_with_words()
    {
        using var run = new Run(Ask("refused") with { Limits = Limits.Default with { Time = TimeSpan.Zero } }, _store.Current);
        var refusal = await Assert.ThrowsAsync<QueryTimedOutException>(() => run.Counts());
        Assert.Contains("was stopped", refusal.Message);
    }
}
