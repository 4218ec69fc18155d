using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query;

/// <param name="All">Records in the focus before any condition.</param>
/// <param name="Left">What the match left, then each stage: records, and rows behind a group.</param>
/// <param name="RecordStages">How many of them count records; the rest count rows.</param>
public sealed record StageCounts(long All, IReadOnlyList<long> Left, int RecordStages)
{
    /// <summary>Records that the answer is made of.</summary>
    public long Records => Left[RecordStages - 1];
}

/// <summary>
/// One question over one snapshot. Everything a page shows is read from the same run, so that its numbers
/// agree and work is done once.
/// </summary>
public sealed class Run : IDisposable
{
    private readonly RowPipeline _pipeline;
    private readonly BatchTest _match, _all;
    private readonly CancellationTokenSource _cancel = new();
    private readonly ConcurrentDictionary<object, object> _work = new();
    private int _readers;

    /// <param name="snapshot">Disposed with the run.</param>
    public Run(Question question, Snapshot snapshot)
    {
        (Question, Snapshot) = (question, snapshot);
        _pipeline = new RowPipeline(question.Parsed.Query, new EvaluationContext(question.Now, question.Zone), question.Limits);
        var query = question.Parsed.Query;
        Expr[] conditions = [.. query.Match is { } match ? [match] : Array.Empty<Expr>(), .. query.Stages.TakeWhile(s => s is Where).Cast<Where>().Select(w => w.Condition)];
        _match = new BatchTest(Tested(_pipeline.Match), query.Match is null ? null : (batch, window) => SegmentPruning.MayMatch(query.Match, batch, window));
        _all = _pipeline.Filters.Count == 0 ? _match : new BatchTest(Tested(_pipeline.Test), (batch, window) => conditions.All(c => SegmentPruning.MayMatch(c, batch, window)));
        if (question.Limits.Time <= TimeSpan.Zero) _cancel.Cancel(); else _cancel.CancelAfter(question.Limits.Time);
    }

    public string Id { get; } = Guid.NewGuid().ToString("N");
    public Question Question { get; }

    /// <summary>Whether somebody waits for an answer right now.</summary>
    public bool HasReaders => Volatile.Read(ref _readers) > 0;

    public Snapshot Snapshot { get; }

    /// <summary>Whether the answer has columns of its own rather than records.</summary>
    public bool IsGrouped => _pipeline.IsGrouped;

    /// <summary>Whether further pages of records follow by reading on below the last one.</summary>
    public bool ReadsOn => _pipeline.IsPlain || IsGrouped;

    /// <summary>Records of the answer (of a grouped one: before the group), newest first unless ordered.</summary>
    /// <param name="before">Reads on below this record; null for the first.</param>
    public Task<IReadOnlyList<LogRecord>> Records(RecordId? before, int count) => Once<IReadOnlyList<LogRecord>>(("records", before, count), () =>
        [.. Passing(before).Take(count)]);

    /// <summary>All records of the answer as they are read, for export.</summary>
    public IEnumerable<LogRecord> Passing(RecordId? before)
    {
        var window = Question.Window;
        var newest = Snapshot.NewestFirst(window, _all, before, _cancel.Token);
        return _pipeline.Records(newest);
    }

    /// <summary>One record of the snapshot, whatever the query says.</summary>
    public LogRecord? Find(RecordId id) =>
        Snapshot.OldestFirst(new Window(id.Time, id.Time + 1), BatchTest.All, null, _cancel.Token).FirstOrDefault(r => r.Sequence == id.Sequence);

    /// <summary>How many records the match and each stage left in the focus.</summary>
    public Task<StageCounts> Counts() => Once("counts", () =>
    {
        var window = Question.Window;
        var all = Snapshot.Scan(window, new BatchTest(Allowed()), _cancel.Token).CountIn(window);
        var left = new List<long>();
        var matches = Snapshot.Scan(window, _match, _cancel.Token);
        left.Add(matches.CountIn(window));
        foreach (var filter in _pipeline.Filters)
        {
            matches = matches.Filter(filter, _cancel.Token);
            left.Add(matches.CountIn(window));
        }
        if (IsGrouped) _pipeline.Collect(Ordered(), window, left);
        else if (!_pipeline.IsPlain) foreach (var _ in _pipeline.Records(Ordered(), left)) { }
        return new StageCounts(all, left, 1 + Question.Parsed.Query.Stages.TakeWhile(s => s is not Group).Count());
    });

    /// <summary>The records of any stretch that pass the match and the where stages.</summary>
    public Task<MatchSet> Matches(Window window) => Once(("matches", window), () => Snapshot.Scan(window, _all, _cancel.Token));

    public async Task<Histogram> Histogram(Window span, long step) =>
        await Once(("histogram", span, step), async () => Query.Histogram.Of(await Matches(span), span, step));

    public async Task<IReadOnlyList<FieldSummary>> Fields(Window? baseline) => await Once(("fields", baseline), async () =>
    {
        var then = baseline is { } window ? await Matches(window) : null;
        return FieldSummaries.Of(await Matches(Question.Window), Question.Window, then, baseline ?? default, _cancel.Token);
    });

    /// <summary>The answer of a grouped query.</summary>
    public Task<Frame> Frame() => Once("frame", () => _pipeline.Collect(Ordered(), Question.Window));

    /// <summary>The answer of any query as a stream of rows, for export and the API.</summary>
    public FrameStream Stream()
    {
        if (!IsGrouped) return RecordFrames.Of(Passing(null), Question.Window);
        var frame = _pipeline.Collect(Ordered(), Question.Window);
        return new FrameStream(frame.Schema, [frame.Rows]);
    }

    private IEnumerable<LogRecord> Ordered() =>
        Snapshot.NewestFirst(Question.Window, _all, null, _cancel.Token);

    private Func<LogRecord, bool>? Allowed() => Question.Sources is { } sources ? r => sources.Contains(r.Source) : null;

    private Func<LogRecord, bool>? Tested(Func<LogRecord, bool>? test) =>
        Allowed() is not { } allowed ? test : test is null ? allowed : r => allowed(r) && test(r);

    private Task<T> Once<T>(object key, Func<T> work) => Once(key, () => Task.FromResult(work()));

    private async Task<T> Once<T>(object key, Func<Task<T>> work)
    {
        var lazy = (Lazy<Task<T>>)_work.GetOrAdd(key, _ => new Lazy<Task<T>>(() => Task.Run(work, _cancel.Token)));
        Interlocked.Increment(ref _readers);
        try { return await lazy.Value; }
        catch (Exception e) when (e is OperationCanceledException or AggregateException { InnerException: OperationCanceledException })
        {
            throw new QueryRefusedException($"This took longer than {Question.Limits.Time.TotalSeconds:N0} s and was stopped. Take a shorter focus, or add a condition.");
        }
        finally { Interlocked.Decrement(ref _readers); }
    }

    public void Dispose()
    {
        _cancel.Cancel();
        Snapshot.Dispose();
    }
}
