using System.Collections.Concurrent;
using System.Diagnostics;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Execution;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>A record of an answer, with what the query computed beside it.</summary>
/// <param name="Computed">Names and values in the order in which the query made them; missing ones are left out.</param>
public sealed record FoundRecord(LogRecord Record, IReadOnlyList<(string Name, Value Value)> Computed)
{
    public RecordId Id => Record.Id;
}

/// <summary>
/// One question over one snapshot. Everything a page shows is read from the same run, so that its numbers
/// agree and work is done once.
/// </summary>
public sealed class Run : IDisposable
{
    private readonly CancellationTokenSource _cancel;
    private readonly ConcurrentDictionary<object, object> _work = new();
    private readonly EvaluationContext _context;
    private readonly FieldRefs _fields;
    private readonly Executor _executor;
    private readonly Lazy<Pipeline> _pipeline;
    private readonly MemoryMeter _memory;
    private readonly Func<Row, bool>? _mayRead;
    private CountingPass? _counting;
    private readonly QuerySources? _sources;
    private readonly RunPasses? _turns;
    private int _readers;

    /// <param name="snapshot">Disposed with the run.</param>
    /// <param name="surroundings">What else the query can reach; null for the records alone.</param>
    public Run(Question question, Snapshot snapshot, QuerySources? sources = null)
    {
        (Question, Snapshot, _sources) = (question, snapshot, sources);
        var around = sources ?? QuerySources.None;
        _cancel = new CancellationTokenSource(Timeout.InfiniteTimeSpan, around.Clock);
        var patterns = snapshot.Patterns;
        _context = new EvaluationContext(question.Now, question.Zone) { Lookup = around.Lookup };
        _fields = new FieldRefs(patterns is null ? null : patterns.Of);
        _executor = new Executor(snapshot, _context, _fields, patterns, question.Access.OfRows, _cancel.Token);
        _mayRead = question.Access.OfRows is { } allowed
            ? new Compiler(_context, new RecordScope(_fields)).Condition(allowed)
            : null;
        _memory = new MemoryMeter(question.Limits.Memory, around.Memory);
        _turns = around.Gate is { } gate ? new RunPasses(gate, question.Person, LimitTime) : null;
        _pipeline = new Lazy<Pipeline>(Build);
        if (question.Limits.Time <= TimeSpan.Zero)
            _cancel.Cancel();
        else
            LimitTime();
    }

    /// <summary>The time that it may take begins now: what was waited before does not count.</summary>
    private void LimitTime() => _cancel.CancelAfter(Question.Limits.Time);

    private Pipeline Build()
    {
        var (query, missing) = Parameters.Bind(Question.Parsed.Query, Question.Parameters);
        if (missing.Count > 0)
            throw new QueryRefusedException($"{string.Join(", ", missing.Select(m => ":" + m))} has no value. Give it one.");
        return Build(PatternNames.Settle(query, Snapshot.Patterns), Question.Window);
    }

    private Pipeline Build(Language.Query query, Window window) =>
        PipelineBuilder.Build(
            query,
            new PipelineContext(_context, Question.Limits, window, Scan, _executor.Answer)
            {
                Fields = _fields,
                Memory = _memory,
                Slices = Slices,
                Allowed = Question.Access.Condition,
            }
        );

    private RowScan? Scan(string name, Window window) =>
        (_sources ?? QuerySources.None)
            .Sets.Find(name)
            ?.Scan(new ScanRequest(Question, Snapshot, window, _context, _cancel.Token));

    /// <summary>Ends its work, whoever waits for it.</summary>
    internal void Stop() => _cancel.Cancel();

    private Pipeline Pipeline => _pipeline.Value;

    /// <summary>Slices that the first group gathers by, for <see cref="Slide"/>; null for a question as it is.</summary>
    public Steps? Slices { get; init; }

    /// <summary>The answer for many windows at once, each put together from slices.</summary>
    /// <param name="slices">Slices of a window.</param>
    /// <param name="ends">Ends of windows, each an end of a slice, rising.</param>
    internal Task<SlidingAnswer> Slide(int slices, IReadOnlyList<long> ends) =>
        Once(("slide", slices, ends), () =>
            new SlicedWindows(Pipeline, _executor.Table(Pipeline), slices, _cancel.Token).Answer(ends)
        );

    public string Id { get; } = Guid.NewGuid().ToString("N");
    public Question Question { get; }

    private int _attached;

    /// <summary>Notes a reader who may leave; work stops when the last of them leaves before it is done. To be disposed when they
    /// have their answer.</summary>
    public IDisposable Attach(CancellationToken leaves)
    {
        Interlocked.Increment(ref _attached);
        return new Attached(this, leaves);
    }

    private sealed class Attached : IDisposable
    {
        private readonly Run _run;
        private readonly CancellationTokenRegistration _registration;
        private int _done;

        public Attached(Run run, CancellationToken leaves)
        {
            _run = run;
            _registration = leaves.Register(() =>
            {
                if (Leave() == 0)
                    run._cancel.Cancel();
            });
        }

        private int Leave() => Interlocked.Exchange(ref _done, 1) == 0 ? Interlocked.Decrement(ref _run._attached) : -1;

        public void Dispose()
        {
            _registration.Dispose();
            Leave();
        }
    }

    /// <summary>Whether its work was stopped: it took too long, or everybody left.</summary>
    public bool IsStopped => _cancel.IsCancellationRequested;

    /// <summary>Whether somebody waits for an answer right now.</summary>
    public bool HasReaders => Volatile.Read(ref _readers) > 0;

    public Snapshot Snapshot { get; }

    /// <summary>What was read and left out so far.</summary>
    public ScanMeter Meter => _executor.Meter;

    /// <summary>Whether the answer has columns of its own rather than records.</summary>
    public bool IsGrouped => !Pipeline.IsRecords;

    /// <summary>Whether the run reads log records at all, and not another set.</summary>
    public bool ReadsRecords => Pipeline.Scan is null;

    /// <summary>Whether further pages of records follow by reading on below the last one.</summary>
    public bool ReadsOn => ReadsRecords && (Pipeline.ReadsOn || IsGrouped);

    /// <summary>Records of the answer (of one with columns: those it is made of), newest first unless ordered.</summary>
    /// <param name="before">Reads on below this record; null for the first.</param>
    public Task<IReadOnlyList<FoundRecord>> Records(RecordId? before, int count) =>
        Once<IReadOnlyList<FoundRecord>>(("records", before, count), () => [.. Rows(before).Take(count).Select(Found)]);

    /// <summary>Records of the answer above one, the oldest of them first.</summary>
    /// <param name="window">In which they lie; it may reach beyond the focus, for those that come while one reads.</param>
    public Task<IReadOnlyList<FoundRecord>> Above(RecordId after, Window window, int count) =>
        Once<IReadOnlyList<FoundRecord>>(("above", after, window, count), () =>
            ReadsOn && !IsGrouped ? [.. _executor.PassingUp(Pipeline, after, window).Take(count).Select(Found)] : []
        );

    /// <summary>All records of the answer as they are read, for export.</summary>
    public IEnumerable<LogRecord> Passing(RecordId? before) => Rows(before).Select(row => row.Record!);

    private IEnumerable<Row> Rows(RecordId? before)
    {
        if (!ReadsRecords)
            return [];
        var passing = _executor.Passing(Pipeline, before);
        return IsGrouped ? passing : Pipeline.Answer(passing);
    }

    private FoundRecord Found(Row row)
    {
        if (Pipeline.Scope is not RecordScope scope || (scope.IsPlain && scope.Added.IsEmpty))
            return new FoundRecord(row.Record!, []);
        var computed = scope.Added.Select(name => (name, Value: scope.Bind(name)(row))).Where(c => !c.Value.IsMissing).ToList();
        foreach (var slot in scope.ObjectSlots.Reverse())
            if (row.Slots[slot] is { Kind: ValueKind.Object } found)
                for (var i = 0; i < found.AsObject.Count; i++)
                    computed.Add((found.AsObject.Names[i], found.AsObject.Values[i]));
        return new FoundRecord(row.Record!, computed);
    }

    /// <summary>Whether the person may read a record, whatever the query says.</summary>
    public bool MayRead(LogRecord record) => _mayRead?.Invoke(new Row(RowSource.Of(record), 0, [])) != false;

    /// <summary>One record of the snapshot that may be read, whatever the query says.</summary>
    public LogRecord? Find(RecordId id) =>
        Snapshot
            .OldestFirst(new Window(id.Time, id.Time + 1), BatchTest.All, null, _cancel.Token)
            .FirstOrDefault(r => r.Sequence == id.Sequence && MayRead(r));

    /// <summary>Whether a record passes the conditions and the steps on single records.</summary>
    public bool Meets(LogRecord record) => ReadsRecords && Pipeline.Passes(Pipeline.RowOf(record));

    /// <summary>Reads names from records that pass the conditions and the steps on single records, as this run's query sees them;
    /// null for a record that does not pass.</summary>
    public Func<LogRecord, Value[]?> Reader(IReadOnlyList<string> names)
    {
        var read = names.Select(Pipeline.Scope.Bind).ToArray();
        return record =>
            ReadsRecords && Pipeline.RowOf(record) is var row && Pipeline.Passes(row)
                ? Array.ConvertAll(read, r => r(row))
                : null;
    }

    /// <summary>How a name is read from a record, as this run's query sees it.</summary>
    public Func<LogRecord, Value> Reader(string field) => _fields.Get(field).OfRecord;

    private int RecordStages => 1 + Question.Parsed.Query.Stages.TakeWhile(s => s.IsRowByRow).Count();

    /// <summary>How many records the match, each condition and each stage left in the focus.</summary>
    public Task<StageCounts> Counts() => Once("counts", () =>
        {
            if (!ReadsRecords)
                return CountsOfRows();
            var stages = Question.Parsed.Query.Stages;
            var counting = Counting();
            counting.Run(Snapshot, _cancel.Token);
            var (recordStages, others) = (RecordStages, _executor.Allowed is null ? 0 : 1);
            var counts = counting.Counts(stages.Count, recordStages, others, done: true);
            if (recordStages == stages.Count + 1)
                return counts;
            var behind = Behind();
            var left = counts.Left.ToList();
            for (var stage = recordStages; stage <= stages.Count; stage++)
                left.Add(behind.GetValueOrDefault(stage, left[^1]));
            // Stages behind the records that still give records count records too.
            var records = 1 + stages.TakeWhile(s => s.KeepsRecords).Count();
            return counts with
            {
                Left = left,
                RecordStages = IsGrouped ? Math.Max(recordStages, Math.Min(records, stages.Count)) : left.Count,
                Joins = Joins(),
            };
        });

    private List<JoinCount> Joins() =>
        [
            .. Pipeline
                .Steps.Where(s => s.Join is not null)
                .Select(s => new JoinCount(s.Index, s.Join!.Unmatched, s.Join.Multiplied)),
        ];

    private const int BeforeAll = Pipeline.BeforeMatch - 1;

    /// <summary>Rows of another set: what was read, and what each line left.</summary>
    private StageCounts CountsOfRows()
    {
        var behind = Behind();
        var last = behind.GetValueOrDefault(Pipeline.BeforeMatch, behind.GetValueOrDefault(BeforeAll, StageCounts.NotCounted));
        var all = last;
        var left = new List<long>();
        for (var stage = 0; stage <= Question.Parsed.Query.Stages.Count; stage++)
            left.Add(last = behind.GetValueOrDefault(stage, last));
        return new StageCounts(all, left, 0) { Joins = Joins() };
    }

    /// <summary>What is counted by now, at least; null before counting began.</summary>
    public StageCounts? CountsSoFar =>
        Volatile.Read(ref _counting) is { } counting && _pipeline.IsValueCreated
            ? counting.Counts(Question.Parsed.Query.Stages.Count, RecordStages, _executor.Allowed is null ? 0 : 1, done: false)
            : null;

    private CountingPass Counting()
    {
        var counting = new CountingPass(Pipeline, _executor.Conditions(Pipeline), _context, _fields);
        Volatile.Write(ref _counting, counting);
        return counting;
    }

    /// <summary>Rows that each stage behind the records left.</summary>
    private Dictionary<int, long> Behind()
    {
        var left = new Dictionary<int, long>();
        IEnumerable<Row> Counted(int index, IEnumerable<Row> rows)
        {
            left[index] = 0;
            using var each = rows.GetEnumerator();
            try
            {
                while (each.MoveNext())
                {
                    left[index]++;
                    yield return each.Current;
                }
            }
            finally
            {
                // A limit behind it stops asking; what it left out is counted all the same.
                while (!_cancel.IsCancellationRequested && each.MoveNext())
                    left[index]++;
            }
        }
        var (rows, steps) = (_executor.Start(Pipeline), Pipeline.Steps);
        if (Pipeline.Group is { } group)
            rows = Counted(group.Index, rows);
        else
            rows = Counted(BeforeAll, rows);
        foreach (var step in steps)
            rows = Counted(step.Index, step.Run(rows));
        foreach (var _ in rows)
            _cancel.Token.ThrowIfCancellationRequested();
        return left;
    }

    /// <summary>The records of any stretch that pass the conditions and the steps on single records.</summary>
    public Task<MatchSet> Matches(Window window) =>
        Once(("matches", window), () => Snapshot.Scan(window.Shift(-Pipeline.Moved), _executor.Test(Pipeline), _cancel.Token));

    /// <summary>Whether all records of a stretch are counted, which segments tell without being read.</summary>
    public bool CountsByHeart => _executor.Test(Pipeline).PassesAll;

    private bool IsByMinutes(Window span, long step) => MinuteHistogram.Fits(span.Shift(-Pipeline.Moved), step) && CountsByHeart;

    public async Task<Histogram> Histogram(Window span, long step) =>
        await Once(("histogram", span, step), IsByMinutes(span, step), async () =>
        {
            var reads = span.Shift(-Pipeline.Moved);
            return new Histogram(
                span,
                step,
                IsByMinutes(span, step)
                    ? MinuteHistogram.Counts(Snapshot, reads, step, _cancel.Token)
                    : (await Matches(span)).Counts(reads, step)
            );
        });

    /// <summary>What the focus is compared with, settled once.</summary>
    public Baseline BaselineOf(BaselineChoice choice, BaselineFinder finder) =>
        (
            (Lazy<Baseline>)
                _work.GetOrAdd(("baseline", choice), _ => new Lazy<Baseline>(() =>
                    finder.Find(choice, Question, Snapshot, _cancel.Token)
                ))
        ).Value;

    /// <summary>Mean counts of a baseline over a span, moved onto it, step by step; those of a set are scaled to the same total.
    /// Not a number where nothing was collected yet; null without a baseline.</summary>
    public async Task<IReadOnlyList<double>?> Usual(Baseline baseline, Window span, long step) =>
        await Once(("usual", baseline, span, step), async () =>
        {
            if (baseline.Windows.Count == 0)
                return null;
            var sums = new double[(int)((span.Length + step - 1) / step)];
            if (baseline.Query is { } query)
            {
                var (other, own) = (await Other(query).Histogram(span, step), await Histogram(span, step));
                var total = Enumerable.Range(0, other.Steps).Sum(other.Total);
                var scale = total == 0 ? 0 : (double)Enumerable.Range(0, own.Steps).Sum(own.Total) / total;
                for (var i = 0; i < sums.Length; i++)
                    sums[i] = other.Total(i) * scale;
                return sums;
            }
            // What lies before anything was collected is not counted as nothing.
            var oldest = Snapshot.Batches.Count == 0 ? long.MaxValue : Snapshot.Batches.Min(b => b.MinTime);
            var days = new int[sums.Length];
            foreach (var window in baseline.Windows)
            {
                var then = span.Shift(window.From - Question.Window.From);
                var histogram = await Histogram(then, step);
                for (var i = 0; i < sums.Length; i++)
                {
                    if (then.From + ((i + 1) * step) <= oldest)
                        continue;
                    sums[i] += histogram.Total(i);
                    days[i]++;
                }
            }
            for (var i = 0; i < sums.Length; i++)
                sums[i] = days[i] == 0 ? double.NaN : sums[i] / days[i];
            return (IReadOnlyList<double>?)sums;
        });

    /// <summary>How many records the baseline has for one stretch of it; null without a baseline.</summary>
    public async Task<double?> UsualCount(Baseline baseline)
    {
        if (baseline.Windows.Count == 0)
            return null;
        var parts = await Compared(baseline);
        return parts.Sum(p => (double)p.Matches.CountIn(p.Window)) / parts.Count;
    }

    /// <summary>The fields of the answer's records with their most telling values.</summary>
    public Task<IReadOnlyList<FieldSummary>> Fields(Baseline? baseline) =>
        Once<IReadOnlyList<FieldSummary>>(("fields", baseline), async () =>
        {
            var now = await Counted(FieldSummaries.MostValues, null);
            var then =
                baseline is null || baseline.Windows.Count == 0 ? null : await Counted(baseline, FieldSummaries.MostValues, null);
            return FieldSummaries.Of(now, then, FieldSummaries.TopValues);
        });

    /// <summary>The values of all fields in the focus and in a baseline; null for a baseline without a stretch.</summary>
    internal async Task<(FieldCounts Now, FieldCounts? Then)> Both(Baseline baseline, int mostValues) =>
        (await Counted(mostValues, null), baseline.Windows.Count == 0 ? null : await Counted(baseline, mostValues, null));

    /// <summary>One field with more of its values; null where no record has it.</summary>
    public Task<FieldSummary?> Field(string name, Baseline? baseline, int values) =>
        Once(("field", name, baseline, values), async () =>
        {
            var now = await Counted(FieldSummaries.MostValuesAlone, name);
            if (!now.Fields.TryGetValue(name, out var counter) || counter.Present == 0)
                return null;
            var then =
                baseline is null || baseline.Windows.Count == 0
                    ? null
                    : await Counted(baseline, FieldSummaries.MostValuesAlone, name);
            return (FieldSummary?)
                FieldSummaries.Of(name, counter, now.Total, then?.Fields.GetValueOrDefault(name), then?.Total ?? 0, values);
        });

    /// <summary>Which fields the records of the answer have, without reading a value; the most common first.</summary>
    public Task<IReadOnlyList<FieldPresence>> Presence() =>
        Once<IReadOnlyList<FieldPresence>>("presence", async () =>
            ReadsRecords
                ? FieldNames.Of((await Matches(Question.Window)).PartsIn(Question.Window.Shift(-Pipeline.Moved)), _cancel.Token)
                : FieldNames.Of(CountedRows([Question.Window], 1, null))
        );

    private Task<FieldCounts> Counted(int mostValues, string? only) => Once(("counted", mostValues, only), async () =>
        {
            if (!ReadsRecords)
                return CountedRows([Question.Window], mostValues, only);
            var window = Question.Window.Shift(-Pipeline.Moved);
            return FieldCounting.Count([(await Matches(Question.Window), window)], mostValues, only, Computed(), _cancel.Token);
        });

    private async Task<FieldCounts> Counted(Baseline baseline, int mostValues, string? only)
    {
        if (ReadsRecords)
            return FieldCounting.Count(await Compared(baseline), mostValues, only, Computed(), _cancel.Token);
        return baseline.Query is { } query
            ? await Other(query).Counted(mostValues, only)
            : CountedRows(baseline.Windows, mostValues, only);
    }

    /// <summary>The fields of the rows of another set that the lines on single rows leave.</summary>
    private FieldCounts CountedRows(IReadOnlyList<Window> windows, int mostValues, string? only)
    {
        var query = Pipeline.Bound with { Stages = new Seq<Stage>(Pipeline.Bound.Stages.Take(RecordStages - 1)) };
        var pipelines = windows.Select(window => Build(query, window)).ToList();
        // Which columns there are may differ between stretches.
        var columns = pipelines.SelectMany(p => p.Schema.Columns).DistinctBy(c => c.Name).ToList();
        return FieldCounting.Count(columns, pipelines.SelectMany(p => Arranged(p, columns)), mostValues, only, _cancel.Token);

        IEnumerable<Row> Arranged(Pipeline pipeline, List<Column> all)
        {
            var own = new ColumnScope(pipeline.Schema.Columns);
            var places = all.ConvertAll(c => own.IndexOf(c.Name));
            return _executor
                .Answer(pipeline)
                .Select(row => row with { Slots = [.. places.Select(at => at < 0 ? Value.Missing : row.Slots[at])] });
        }
    }

    /// <summary>The records of a baseline, stretch by stretch.</summary>
    private async Task<IReadOnlyList<(MatchSet Matches, Window Window)>> Compared(Baseline baseline)
    {
        if (baseline.Query is { } query)
            return [(await Other(query).Matches(Question.Window), Question.Window.Shift(-Pipeline.Moved))];
        var parts = new List<(MatchSet, Window)>();
        foreach (var window in baseline.Windows)
            parts.Add((await Matches(window), window.Shift(-Pipeline.Moved)));
        return parts;
    }

    /// <summary>A run of the same question with another query, over the same snapshot and within the same turn; it ends with this
    /// one.</summary>
    internal Run Other(string query) =>
        (
            (Lazy<Run>)
                _work.GetOrAdd(("set", query), _ => new Lazy<Run>(() =>
                    new Run(
                        Question with
                        {
                            Parsed = QueryParser.Parse(query, (_sources ?? QuerySources.None).Sets.Names()),
                        },
                        Snapshot.Share(),
                        _sources is null ? null : _sources with { Gate = null }
                    )
                ))
        ).Value;

    private ComputedFields? Computed()
    {
        if (
            Pipeline.RecordSteps.Count == 0
            || Pipeline.Scope is not RecordScope scope
            || (scope.Added.IsEmpty && scope.ObjectSlots.Count == 0)
        )
            return null;
        var readers = scope.Added.Select(name => (name, Read: scope.Bind(name))).ToList();
        return new ComputedFields(
            (source, place) =>
                Pipeline.RowOf(source, place) is var row && Pipeline.RecordSteps.All(s => s.OnRow!(row)) ? row : null,
            row =>
                readers
                    .Select(r => (r.name, r.Read(row)))
                    .Concat(
                        scope
                            .ObjectSlots.Select(slot => row.Slots[slot])
                            .Where(v => v.Kind == ValueKind.Object)
                            .SelectMany(v => v.AsObject.Names.ToArray().Zip(v.AsObject.Values.ToArray()))
                    ),
            readers.Select(r => r.name).ToHashSet(StringComparer.Ordinal)
        );
    }

    /// <summary>The answer of a query that has columns.</summary>
    public Task<Frame> Frame() =>
        Once("frame", () => Executor.Gathered(Pipeline) ?? Pipeline.Collect(Guarded(_executor.Answer(Pipeline))));

    /// <summary>
    /// The answer of any query as a stream of rows, for export and the API, with its first part made. The limit of time is
    /// for each part of it, as an answer may be of any size and whoever reads it may be slow; a turn is taken for each part too.
    /// </summary>
    /// <exception cref="QueryRefusedException">It asks for too much; of the parts behind the first, reading throws
    /// it.</exception>
    public async Task<FrameStream> Stream()
    {
        const int ChunkRows = 1_024;
        var reading = _sources?.Gate?.BeginAnswer(Question.Person);
        try
        {
            // Some of the query is answered while it is put together.
            await Make(() => Pipeline is not null);
            Func<Row, Value[]> reader = Pipeline.IsRecords ? RecordColumns.Reader((RecordScope)Pipeline.Scope) : row => row.Slots;
            return await new FrameStream(
                Pipeline.Schema,
                Closing(ReadAhead.One(InTime(Guarded(Answer()).Select(reader).Chunk(ChunkRows)), Make), reading)
            ).Begin();
        }
        catch
        {
            reading?.Dispose();
            throw;
        }
    }

    /// <summary>The rows of the answer. A group is gathered when its first row is asked for, which is within a turn.</summary>
    private IEnumerable<Row> Answer()
    {
        foreach (var row in Pipeline.IsRecords ? Pipeline.Answer(_executor.Passing(Pipeline)) : _executor.Answer(Pipeline))
            yield return row;
    }

    private static async IAsyncEnumerable<IReadOnlyList<Value[]>> Closing(
        IAsyncEnumerable<IReadOnlyList<Value[]>> parts,
        IDisposable? reading
    )
    {
        using (reading)
            await foreach (var part in parts)
                yield return part;
    }

    private async Task<bool> Make(Func<bool> next)
    {
        try
        {
            return await InTurn(() => Task.FromResult(next()));
        }
        catch (Exception e) when (IsStop(e))
        {
            throw TimedOut();
        }
    }

    private Task<T> InTurn<T>(Func<Task<T>> work) =>
        _turns is null ? Task.Run(work, _cancel.Token) : _turns.Do(work, _cancel.Token);

    // Workers that are stopped together tell it together.
    private static bool IsStop(Exception e) =>
        e is OperationCanceledException
        || (e is AggregateException many && many.Flatten().InnerExceptions.All(i => i is OperationCanceledException));

    private QueryTimedOutException TimedOut() =>
        new(
            $"This took longer than {Question.Limits.Time.TotalSeconds:N0} s and was stopped. Take a shorter focus, or add a condition."
        );

    private IEnumerable<Value[][]> InTime(IEnumerable<Value[][]> parts)
    {
        foreach (var part in parts)
        {
            _cancel.CancelAfter(Timeout.InfiniteTimeSpan);
            yield return part;
            LimitTime();
        }
    }

    private IEnumerable<Row> Guarded(IEnumerable<Row> rows)
    {
        foreach (var row in rows)
        {
            _cancel.Token.ThrowIfCancellationRequested();
            yield return row;
        }
    }

    /// <summary>Advice about the answer: what the records tell that the text does not.</summary>
    public Task<IReadOnlyList<AnswerHint>> Hints() =>
        Once("hints", async () => QueryHints.Of(this, await Counts(), _cancel.Token));

    /// <summary>The time of the newest record in any window that passes what records must pass; null for none.</summary>
    internal long? Newest(Window window, CancellationToken cancel)
    {
        foreach (var record in Snapshot.NewestFirst(window, _executor.Test(Pipeline), null, cancel))
            return record.Time + Pipeline.Moved;
        return null;
    }

    /// <summary>How the run goes about its answer: one line for each step.</summary>
    public IReadOnlyList<string> Plan() => PlanText.Of(Pipeline, _executor.Conditions(Pipeline), Snapshot);

    /// <summary>Answers as a plan would be tried: the steps with what each took.</summary>
    /// <param name="conditions">Whether to say what each condition takes.</param>
    public async Task<IReadOnlyList<string>> Explain(bool conditions = true)
    {
        var clock = Stopwatch.StartNew();
        long rows = IsGrouped ? (await Frame()).Rows.Count : (await Records(null, 200)).Count;
        var answer = clock.Elapsed;
        var counts = await Counts();
        return PlanText.Explained(Plan(), rows, answer, clock.Elapsed - answer, conditions ? counts.Conditions : [], Meter);
    }

    private Task<T> Once<T>(object key, Func<T> work) => Once(key, () => Task.FromResult(work()));

    private Task<T> Once<T>(object key, Func<Task<T>> work) => Once(key, isLight: false, work);

    /// <param name="isLight">Whether it is done at once, so that it needs no turn.</param>
    private async Task<T> Once<T>(object key, bool isLight, Func<Task<T>> work)
    {
        var lazy =
            (Lazy<Task<T>>)
                _work.GetOrAdd(key, _ => new Lazy<Task<T>>(() => isLight ? Task.Run(work, _cancel.Token) : InTurn(work)));
        Interlocked.Increment(ref _readers);
        try
        {
            return await lazy.Value;
        }
        catch (QueryBusyException)
        {
            // It was not done, and may be asked for again.
            _work.TryRemove(KeyValuePair.Create(key, (object)lazy));
            throw;
        }
        catch (Exception e) when (IsStop(e))
        {
            throw TimedOut();
        }
        finally
        {
            Interlocked.Decrement(ref _readers);
        }
    }

    public void Dispose()
    {
        _cancel.Cancel();
        foreach (var set in _work.Values.OfType<Lazy<Run>>())
            if (set.IsValueCreated)
                set.Value.Dispose();
        _memory.Release();
        Snapshot.Dispose();
    }
}
