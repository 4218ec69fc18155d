using System.Diagnostics;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Execution;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Query.Gathering;
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

/// <summary>Records of an answer that came since.</summary>
/// <param name="Shown">Newest first; a share where there are many.</param>
/// <param name="Count">How many came.</param>
/// <param name="Each">One in so many is shown.</param>
/// <param name="Cursor">What comes later has higher sequences than this.</param>
public sealed record Arrivals(IReadOnlyList<FoundRecord> Shown, int Count, int Each, long Cursor);

/// <summary>
/// One question over one snapshot. Everything a page shows is read from the same run, so that its numbers
/// agree and work is done once.
/// </summary>
public sealed class Run : IDisposable
{
    private readonly RunWork _work;
    private readonly RunPlan _plan;
    private readonly RunCounts _counts;
    private readonly RunFields _fields;
    private readonly QuerySources _sources;

    /// <param name="snapshot">Disposed with the run.</param>
    /// <param name="sources">What else the query can reach; null for the records alone.</param>
    public Run(Question question, Snapshot snapshot, QuerySources? sources = null)
    {
        _sources = sources ?? QuerySources.None;
        _work = new RunWork(question, _sources);
        _plan = new RunPlan(question, snapshot, _sources, _work.Token);
        (_counts, _fields) = (new RunCounts(_plan), new RunFields(_plan));
    }

    /// <summary>Ends its work, whoever waits for it.</summary>
    internal void Stop() => _work.Stop();

    private Pipeline Pipeline => _plan.Pipeline;

    private Executor Executor => _plan.Executor;

    private CancellationToken Cancel => _plan.Cancel;

    /// <summary>Slices that the first group gathers by, for <see cref="Slide"/>; null for a question as it is.</summary>
    public Steps? Slices
    {
        get => _plan.Slices;
        init => _plan.Slices = value;
    }

    /// <summary>The answer for many windows at once, each put together from slices.</summary>
    /// <param name="slices">Slices of a window.</param>
    /// <param name="ends">Ends of windows, each an end of a slice, rising.</param>
    internal Task<SlidingAnswer> Slide(int slices, IReadOnlyList<long> ends) =>
        _work.Once(("slide", slices, ends), () =>
            new SlicedWindows(Pipeline, Executor.Table(Pipeline), slices, Cancel).Answer(ends)
        );

    public string Id { get; } = Guid.NewGuid().ToString("N");
    public Question Question => _plan.Question;

    /// <summary>Notes a reader who may leave; work stops when the last of them leaves before it is done. To be disposed when they
    /// have their answer.</summary>
    public IDisposable Attach(CancellationToken leaves) => _work.Attach(leaves);

    /// <summary>Whether its work was stopped: it took too long, or everybody left.</summary>
    public bool IsStopped => _work.IsStopped;

    /// <summary>Whether somebody waits for an answer right now.</summary>
    public bool HasReaders => _work.HasReaders;

    public Snapshot Snapshot => _plan.Snapshot;

    /// <summary>What was read and left out so far.</summary>
    public ScanMeter Meter => Executor.Meter;

    /// <summary>Whether the answer has columns of its own rather than records.</summary>
    public bool IsGrouped => _plan.IsGrouped;

    /// <summary>Whether the run reads log records at all, and not another set.</summary>
    public bool ReadsRecords => _plan.ReadsRecords;

    /// <summary>Whether further pages of records follow by reading on below the last one.</summary>
    public bool ReadsOn => ReadsRecords && (Pipeline.ReadsOn || IsGrouped);

    /// <summary>Records of the answer (of one with columns: those it is made of), newest first unless ordered.</summary>
    /// <param name="before">Reads on below this record; null for the first.</param>
    public Task<IReadOnlyList<FoundRecord>> Records(RecordId? before, int count) =>
        _work.Once<IReadOnlyList<FoundRecord>>(("records", before, count), () => [.. Rows(before).Take(count).Select(Found)]);

    /// <summary>Records of the answer above one, the oldest of them first.</summary>
    /// <param name="window">In which they lie; it may reach beyond the focus, for those that come while one reads.</param>
    public Task<IReadOnlyList<FoundRecord>> Above(RecordId after, Window window, int count) =>
        _work.Once<IReadOnlyList<FoundRecord>>(("above", after, window, count), () =>
            ReadsOn && !IsGrouped ? [.. Executor.PassingUp(Pipeline, after, window).Take(count).Select(Found)] : []
        );

    /// <summary>The records of the answer that were committed after a sequence, whatever their time; of many a share of
    /// them.</summary>
    /// <param name="window">In which they lie; it may reach beyond the focus, as clocks do.</param>
    /// <param name="most">So many at most.</param>
    public Task<Arrivals> Arrived(long sequence, Window window, int most) => _work.Once(("arrived", sequence, window, most), () =>
        {
            if (!ReadsOn || IsGrouped)
                return new Arrivals([], 0, 1, Snapshot.LastSequence);
            var ids = Snapshot.CommittedAfter(sequence, _plan.Read(window), Executor.Test(Pipeline), Cancel);
            var each = Math.Max(1, (ids.Count + most - 1) / most);
            // Chosen as if at random: senders write in turns, and every so manieth could be of one of them alone.
            var chosen = each == 1 ? ids : [.. ids.OrderBy(id => Mixed(id.Sequence)).Take(most)];
            chosen.Sort();
            var shown = chosen
                .AsEnumerable()
                .Reverse()
                .Select(Find)
                .OfType<LogRecord>()
                .Select(r => Found(Pipeline.RowOf(r)))
                .ToList();
            return new Arrivals(shown, ids.Count, each, Snapshot.LastSequence);
        });

    private static ulong Mixed(long number) => System.IO.Hashing.XxHash3.HashToUInt64(BitConverter.GetBytes(number));

    /// <summary>All records of the answer as they are read, for export.</summary>
    public IEnumerable<LogRecord> Passing(RecordId? before) => Rows(before).Select(row => row.Record!);

    private IEnumerable<Row> Rows(RecordId? before)
    {
        if (!ReadsRecords)
            return [];
        var passing = Executor.Passing(Pipeline, before);
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
    public bool MayRead(LogRecord record) => _plan.MayRead?.Invoke(new Row(RowSource.Of(record), 0, [])) != false;

    /// <summary>One record of the snapshot that may be read, whatever the query says.</summary>
    public LogRecord? Find(RecordId id) =>
        Snapshot
            .OldestFirst(new Window(id.Time, id.Time + 1), BatchTest.All, null, Cancel)
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

    /// <summary>Where a field of records came from, and where its value stands in their bodies; those that may not be read are
    /// left out.</summary>
    public IReadOnlyList<FieldPlace> Places(string field, IEnumerable<RecordId> records)
    {
        var places = new FieldPlaces(_plan.Pipeline.Bound, field);
        return
        [
            .. records
                .Select(Find)
                .OfType<LogRecord>()
                .Select(r => places.Of(r, Found(ComputedRow(r)).Computed.FirstOrDefault(c => c.Name == field).Value)),
        ];
    }

    /// <summary>A record with what the steps on single records compute.</summary>
    private Row ComputedRow(LogRecord record)
    {
        var row = Pipeline.RowOf(record);
        Pipeline.Passes(row);
        return row;
    }

    /// <summary>How a name is read from a record, as this run's query sees it.</summary>
    public Func<LogRecord, Value> Reader(string field) => _plan.Fields.Get(field).OfRecord;

    /// <summary>How many records the match, each condition and each stage left in the focus.</summary>
    public Task<StageCounts> Counts() => _work.Once("counts", _counts.All);

    /// <summary>What is counted by now, at least; null before counting began.</summary>
    public StageCounts? CountsSoFar => _counts.SoFar;

    /// <summary>The records of any stretch that pass the conditions and the steps on single records.</summary>
    public Task<MatchSet> Matches(Window window) =>
        _work.Once(("matches", window), () => _plan.Rows.Scan(_plan.Read(window), Executor.Test(Pipeline), Cancel));

    /// <summary>Whether all records of a stretch are counted, which segments tell without being read.</summary>
    public bool CountsByHeart => Executor.Test(Pipeline).PassesAll;

    private bool IsByMinutes(Window span, long step) => MinuteHistogram.Fits(_plan.Read(span), step) && CountsByHeart;

    /// <summary>What Fields count is called, one and several: records, or what the set holds.</summary>
    public (string One, string Many) Noun => NounOf(set => set.Noun);

    /// <summary>What is counted over time is called: the rows, or all records where rows have no time.</summary>
    public (string One, string Many) RowNoun =>
        Pipeline.Scan is { Columns: not [{ Role: ColumnRole.Time }, ..] } ? ("record", "records") : NounOf(set => set.RowNoun);

    private (string One, string Many) NounOf(Func<RowSet, (string, string)> noun)
    {
        if (ReadsRecords)
            return ("record", "records");
        return _sources.Sets.Find(Pipeline.Set) is { } set ? noun(set) : ("row", "rows");
    }

    /// <summary>What is asked for, counted over time: records by severity, or the rows of another set. Rows without a time are
    /// shown as all records.</summary>
    public Task<Histogram> Histogram(Window span, long step)
    {
        if (!ReadsRecords)
            return _work.Once(("rows", span, step), async () =>
                RowHistogram.Of(_plan, span, step) ?? await Other("").Histogram(span, step)
            );
        var byMinutes = IsByMinutes(span, step);
        return _work.Once(
            ("histogram", span, step),
            async () =>
            {
                var reads = _plan.Read(span);
                var counts = byMinutes
                    ? MinuteHistogram.Counts(Snapshot, reads, step, Cancel)
                    : (await Matches(span)).Counts(reads, step);
                return new Histogram(span, step, counts);
            },
            byMinutes
        );
    }

    /// <summary>What the focus is compared with, settled once.</summary>
    public Baseline BaselineOf(BaselineChoice choice, BaselineFinder finder) =>
        _work.Kept(("baseline", choice), () => finder.Find(choice, Question, _plan.Rows, Cancel));

    /// <summary>Mean counts of a baseline over a span, moved onto it, step by step; those of a set are scaled to the same total.
    /// Not a number where nothing was collected yet; null without a baseline.</summary>
    public async Task<IReadOnlyList<double>?> Usual(Baseline baseline, Window span, long step) =>
        await _work.Once(("usual", baseline, span, step), async () =>
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
            var rows = _plan.Rows;
            var oldest = rows.Batches.Count == 0 ? long.MaxValue : rows.Batches.Min(b => b.MinTime);
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
        _work.Once<IReadOnlyList<FieldSummary>>(("fields", baseline), async () =>
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
        _work.Once(("field", name, baseline, values), async () =>
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

    /// <summary>The records of the answer by their patterns, compared with a baseline.</summary>
    /// <param name="baseline">Null for no comparison.</param>
    /// <exception cref="QueryRefusedException">The rows have no patterns.</exception>
    public Task<Gathered> Gather(Baseline? baseline) => _work.Once(("gather", baseline), async () =>
        {
            if (!ReadsRecords || Snapshot.Patterns is not { } patterns)
                throw new QueryRefusedException($"Only log records have patterns. Ask for records to gather them.");
            var now = (await Matches(Question.Window), _plan.Read(Question.Window));
            var then = baseline is null || baseline.Windows.Count == 0 ? null : await Compared(baseline);
            return PatternGathering.Of(now, then, baseline?.Query is not null, patterns, Cancel);
        });

    /// <summary>What the gaps of a pattern contain in the records of the answer; null where there is no such pattern.</summary>
    public Task<GapContents?> Gaps(string pattern) =>
        _work.Once(("gaps", pattern), async () =>
            Snapshot.Patterns?.Find(pattern) is { } found && ReadsRecords
                ? PatternGaps.Of(found, await OfPattern(pattern).Matches(Question.Window), _plan.Read(Question.Window), Cancel)
                : null
        );

    /// <summary>The records of the answer that have a pattern.</summary>
    public Run OfPattern(string pattern) =>
        Narrowed(new Compare(new Field("pattern"), CompareOp.Equal, Literals.For(Value.Of(pattern))));

    /// <summary>The records of the answer whose body holds a text, in capitals or not.</summary>
    public Run Holding(string text) =>
        Narrowed(
            new RegexMatch(
                new Field("body"),
                System.Text.RegularExpressions.Regex.Escape(text).Replace("/", "\\/", StringComparison.Ordinal),
                "i",
                Negated: false
            )
        );

    /// <summary>The records of the answer that meet one more condition.</summary>
    private Run Narrowed(Expr condition)
    {
        var query = Question.Parsed.Query;
        var records = query with { Stages = new Seq<Stage>(query.Stages.Take(_plan.RecordStages - 1)), Comments = Comments.None };
        return Other(QueryPrinter.Print(records.And(condition)));
    }

    /// <summary>Which fields the records of the answer have, without reading a value; the most common first.</summary>
    public Task<IReadOnlyList<FieldPresence>> Presence() =>
        _work.Once<IReadOnlyList<FieldPresence>>("presence", async () =>
            _plan.ReadsStore
                ? FieldNames.Of((await Matches(Question.Window)).PartsIn(_plan.Read(Question.Window)), Cancel)
                : FieldNames.Of(_fields.OfRows([Question.Window], 1, null))
        );

    private Task<FieldCounts> Counted(int mostValues, string? only) =>
        _work.Once(("counted", mostValues, only), async () =>
            _plan.ReadsStore
                ? _fields.OfRecords([(await Matches(Question.Window), _plan.Read(Question.Window))], mostValues, only)
                : _fields.OfRows([Question.Window], mostValues, only)
        );

    private async Task<FieldCounts> Counted(Baseline baseline, int mostValues, string? only)
    {
        if (_plan.ReadsStore)
            return _fields.OfRecords(await Compared(baseline), mostValues, only);
        return baseline.Query is { } query
            ? await Other(query).Counted(mostValues, only)
            : _fields.OfRows(baseline.Windows, mostValues, only);
    }

    /// <summary>The records of a baseline, stretch by stretch.</summary>
    private async Task<IReadOnlyList<(MatchSet Matches, Window Window)>> Compared(Baseline baseline)
    {
        if (baseline.Query is { } query)
            return [(await Other(query).Matches(Question.Window), _plan.Read(Question.Window))];
        var parts = new List<(MatchSet, Window)>();
        foreach (var window in baseline.Windows)
            parts.Add((await Matches(window), _plan.Read(window)));
        return parts;
    }

    /// <summary>A run of the same question with another query, over the same snapshot and within the same turn; it ends with this
    /// one.</summary>
    internal Run Other(string query) =>
        _work.Kept(("set", query), () =>
            new Run(
                Question with
                {
                    Parsed = QueryParser.Parse(query, _sources.Sets.Names()),
                },
                Snapshot.Share(),
                _sources with
                {
                    Gate = null,
                }
            )
        );

    /// <summary>The answer of a query that has columns.</summary>
    public Task<Frame> Frame() =>
        _work.Once("frame", () =>
            Execution.Executor.Gathered(Pipeline) ?? Pipeline.Collect(_plan.Guarded(Executor.Answer(Pipeline)))
        );

    /// <summary>
    /// The answer of any query as a stream of rows, for export and the API, with its first part made. The limit of time is
    /// for each part of it, as an answer may be of any size and whoever reads it may be slow; a turn is taken for each part too.
    /// </summary>
    /// <exception cref="QueryRefusedException">It asks for too much; of the parts behind the first, reading throws
    /// it.</exception>
    public Task<FrameStream> Stream() => RunStream.Begin(_plan, _work, _sources.Gate?.BeginAnswer(Question.Person));

    /// <summary>Advice about the answer: what the records tell that the text does not.</summary>
    public Task<IReadOnlyList<AnswerHint>> Hints() =>
        _work.Once("hints", async () => QueryHints.Of(this, await Counts(), Cancel));

    /// <summary>The time of the newest record in any window that passes what records must pass; null for none.</summary>
    internal long? Newest(Window window, CancellationToken cancel)
    {
        foreach (var record in _plan.Rows.NewestFirst(window, Executor.Test(Pipeline), null, cancel))
            return record.Time + Pipeline.Moved;
        return null;
    }

    /// <summary>How the run goes about its answer: one line for each step.</summary>
    public IReadOnlyList<string> Plan() => PlanText.Of(Pipeline, Executor.Conditions(Pipeline), Snapshot);

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

    public void Dispose()
    {
        _work.Dispose();
        _plan.Release();
        Snapshot.Dispose();
    }
}
