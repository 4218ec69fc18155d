using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Execution;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>How a run goes about its question: the pipeline over its snapshot, put together when it is first needed.</summary>
internal sealed class RunPlan
{
    private readonly Lazy<Pipeline> _pipeline;
    private readonly QuerySources _sources;
    private readonly MemoryMeter _memory;

    public RunPlan(Question question, Snapshot snapshot, QuerySources sources, CancellationToken cancel)
    {
        (Question, Snapshot, _sources, Cancel) = (question, snapshot, sources, cancel);
        var patterns = snapshot.Patterns;
        Context = new EvaluationContext(question.Now, question.Zone) { Lookup = sources.Lookup };
        Fields = new FieldRefs(patterns is null ? null : patterns.Of, sources.Failed);
        Executor = new Executor(snapshot, Context, Fields, patterns, question.Access.OfRows, cancel);
        MayRead = question.Access.OfRows is { } allowed
            ? new Compiler(Context, new RecordScope(Fields)).Condition(allowed)
            : null;
        _memory = new MemoryMeter(question.Limits.Memory, sources.Memory);
        _pipeline = new Lazy<Pipeline>(Build);
    }

    public Question Question { get; }
    public Snapshot Snapshot { get; }
    public CancellationToken Cancel { get; }
    public EvaluationContext Context { get; }
    public FieldRefs Fields { get; }
    public Executor Executor { get; }

    /// <summary>Whether the person may read a row, whatever the query says; null for all.</summary>
    public Func<Row, bool>? MayRead { get; }

    /// <summary>Slices that the first group gathers by; null for a question as it is.</summary>
    public Steps? Slices { get; set; }

    public Pipeline Pipeline => _pipeline.Value;

    public bool IsMade => _pipeline.IsValueCreated;

    /// <summary>Whether it reads what lies in the store of records, log records or spans, and not another set.</summary>
    public bool ReadsStore => Pipeline.Scan is null;

    /// <summary>Whether it reads log records.</summary>
    public bool ReadsRecords => ReadsStore && Pipeline.Signal == Signal.Logs;

    /// <summary>Whether the answer has columns of its own.</summary>
    public bool IsGrouped => !Pipeline.IsRecords || !ReadsRecords;

    /// <summary>The records or spans that it reads.</summary>
    public Snapshot Rows => Snapshot.Of(Pipeline.Signal);

    /// <summary>The lines on single rows, with the match.</summary>
    public int RecordStages => 1 + Question.Parsed.Query.Stages.TakeWhile(s => s.IsRowByRow).Count();

    /// <summary>A window as records tell it, where the query moves times.</summary>
    public Window Read(Window window) => window.Shift(-Pipeline.Moved);

    private Pipeline Build()
    {
        var (query, missing) = Parameters.Bind(Question.Parsed.Query, Question.Parameters);
        if (missing.Count > 0)
            throw new QueryRefusedException($"{string.Join(", ", missing.Select(m => ":" + m))} has no value. Give it one.");
        return Build(PatternNames.Settle(query, Snapshot.Patterns), Question.Window);
    }

    /// <summary>A pipeline of the same question for another query and window.</summary>
    /// <param name="countsKept">Whether what is kept is counted, and not what it stands for.</param>
    public Pipeline Build(Language.Query query, Window window, bool countsKept = false) =>
        PipelineBuilder.Build(
            query,
            new PipelineContext(Context, Question.Limits, window, Scan, Executor.Answer)
            {
                Fields = Fields,
                Memory = _memory,
                Slices = Slices,
                Allowed = Question.Access.Condition,
                CountsKept = countsKept,
            }
        );

    private RowScan? Scan(string name, Window window) =>
        _sources.Sets.Find(name)?.Scan(new ScanRequest(Question, Snapshot, window, Context, Cancel));

    /// <summary>Rows until the work is stopped.</summary>
    public IEnumerable<Row> Guarded(IEnumerable<Row> rows)
    {
        foreach (var row in rows)
        {
            Cancel.ThrowIfCancellationRequested();
            yield return row;
        }
    }

    public void Release() => _memory.Release();
}
