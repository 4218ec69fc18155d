using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>What a query is made ready in: its instant and zone, its limits, and the other rows it can reach.</summary>
/// <param name="Context">The run's instant and zone, look-up tables.</param>
/// <param name="Limits">Of the whole query.</param>
/// <param name="Window">The run's window.</param>
/// <param name="Scan">The rows of a set other than logs in a window; null where there is no such set.</param>
/// <param name="Answer">The whole answer of another pipeline of this query.</param>
public sealed record PipelineContext(
    EvaluationContext Context,
    Limits Limits,
    Window Window,
    Func<string, Window, RowScan?> Scan,
    Func<Pipeline, IEnumerable<Row>> Answer
)
{
    public FieldRefs Fields { get; init; } = new();

    /// <summary>What rows of other sets than logs must meet to be read; null for nothing.</summary>
    public Expr? Allowed { get; init; }

    /// <summary>Whether what is kept is counted, and not what it stands for.</summary>
    public bool CountsKept { get; init; }

    public MemoryMeter Memory { get; init; } = new(Limits.Memory);

    /// <summary>Slices that the first group gathers by, so that many windows can be put together from them; null for the query as
    /// it is.</summary>
    public Steps? Slices { get; init; }
}

/// <summary>A step from rows to rows.</summary>
/// <param name="Index">Of its stage in the query as written, counted from 1; 0 for steps that no stage of the body stands
/// for.</param>
/// <param name="Run">Rows in, rows out, read only as far as asked.</param>
public sealed record PipelineStep(int Index, Func<IEnumerable<Row>, IEnumerable<Row>> Run)
{
    /// <summary>The step as a test of one row that may fill its slots; null where it needs more than one row.</summary>
    public Func<Row, bool>? OnRow { get; init; }

    /// <summary>Whether it can drop a row.</summary>
    public bool Drops { get; init; } = true;

    public JoinCounts? Join { get; init; }

    /// <summary>How it sorts; null where it does not.</summary>
    public Sorting? Sorting { get; init; }

    /// <summary>The slot that says of a record whether it fitted a parse; null for other steps.</summary>
    public int? FitSlot { get; init; }
}

/// <summary>What became of the rows of a join; written while rows pass.</summary>
public sealed class JoinCounts
{
    public long Unmatched;
    public long Multiplied;
}

/// <summary>
/// A query made ready: which set it reads in which window, the conditions that records must meet, and the steps
/// behind them. The row evaluator runs it over records in memory; the executor over segments, with the same steps.
/// </summary>
public sealed class Pipeline
{
    /// <summary>The query as it was made ready, its parameters bound.</summary>
    public required Language.Query Bound { get; init; }

    /// <summary>The set that is read: <c>logs</c> or another known one.</summary>
    public required string Set { get; init; }

    /// <summary>What records it reads, where it reads records.</summary>
    public required Signal Signal { get; init; }

    /// <summary>What is read of it; before times are moved.</summary>
    public required Window Reads { get; init; }

    /// <summary>By how much the times of what is read are moved, in nanoseconds.</summary>
    public required long Moved { get; init; }

    /// <summary>Conditions on records as they are stored, each with the index of its stage (0 for the match).</summary>
    public required IReadOnlyList<(int Index, Expr Condition)> Conditions { get; init; }

    /// <summary>The tests of <see cref="Conditions"/>, for rows in memory.</summary>
    public required IReadOnlyList<Func<Row, bool>> Tests { get; init; }

    /// <summary>Steps on single records behind the conditions.</summary>
    public required IReadOnlyList<PipelineStep> RecordSteps { get; init; }

    /// <summary>A group of records right behind them; null where there is none.</summary>
    public required (GroupPlan Plan, Highest? Highest, int Index)? Group { get; init; }

    /// <summary>All steps behind the records, or behind the group.</summary>
    public required IReadOnlyList<PipelineStep> Steps { get; init; }

    /// <summary>How names are meant in the answer.</summary>
    public required Scope Scope { get; init; }

    /// <summary>Columns of the answer, but for their kinds; those of records where it is made of records.</summary>
    public required Schema Schema { get; init; }

    /// <summary>The rows of another set than those of records; null for logs and spans.</summary>
    public required RowScan? Scan { get; init; }

    public required int Slots { get; init; }

    /// <summary>The index of steps that leave what may be read, which no line of the query stands for.</summary>
    public const int BeforeMatch = -1;

    /// <summary>With slices: what comes between the rows of another set and the first group.</summary>
    public IReadOnlyList<PipelineStep> BeforeGroup { get; init; } = [];

    /// <summary>Whether the answer is made of records rather than of columns.</summary>
    public bool IsRecords => Scope is RecordScope;

    /// <summary>Whether the answer is records in the order of reading, so that reading can go on below any of them.</summary>
    public bool ReadsOn => IsRecords && Group is null && Steps.Count == 0;

    private Value[]? _blank;

    /// <summary>Empty slots for one record.</summary>
    public Value[] NewSlots()
    {
        if (Slots == 0)
            return [];
        if (_blank is null)
        {
            var blank = new Value[Slots];
            Array.Fill(blank, Value.Missing);
            _blank = blank;
        }
        return [.. _blank];
    }

    /// <summary>A record as a row of this pipeline.</summary>
    public Row RowOf(LogRecord record) => RowOf(RowSource.Of(record), 0);

    public Row RowOf(RowSource source, int place) => new(Moved == 0 ? source : new MovedSource(source, Moved), place, NewSlots());

    /// <summary>Whether a row passes the conditions and the steps on single records; fills its slots.</summary>
    public bool Passes(Row row)
    {
        foreach (var test in Tests)
            if (!test(row))
                return false;
        foreach (var step in RecordSteps)
            if (!step.OnRow!(row))
                return false;
        return true;
    }

    /// <summary>The answer over rows that have passed <see cref="Passes"/>, in the order of reading.</summary>
    public IEnumerable<Row> Answer(IEnumerable<Row> passed)
    {
        if (Group is { } group)
        {
            var table = new GroupTable(group.Plan);
            foreach (var row in passed)
                table.Add(row);
            passed = RowsOf(table.Collect(group.Highest));
        }
        return Steps.Aggregate(passed, (rows, step) => step.Run(rows));
    }

    /// <summary>The rows of a frame on their way.</summary>
    public static IEnumerable<Row> RowsOf(Frame frame) => frame.Rows.Select((values, i) => new Row(RowSource.Columns, i, values));

    /// <summary>The whole answer as a frame, for an answer that has columns.</summary>
    public Frame Collect(IEnumerable<Row> answer)
    {
        Func<Row, Value[]> reader = Scope is RecordScope records ? RecordColumns.Reader(records) : row => row.Slots;
        var rows = new List<Value[]>();
        foreach (var row in answer)
        {
            if (rows.Count >= Limit)
                throw new QueryRefusedException($"The answer has more than {Limit:N0} rows. Group it, or end it with limit.");
            rows.Add(reader(row));
        }
        return new Frame(Schema with { Columns = Frame.WithKinds(Schema.Columns, rows) }, rows);
    }

    public required int Limit { get; init; }
}
