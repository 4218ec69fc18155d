using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// The row evaluator: answers a query over records in memory, one row at a time. It is what every faster way
/// of answering is tested against.
/// </summary>
public sealed class RowPipeline
{
    private readonly EvaluationContext _context;
    private readonly Limits _limits;
    private readonly Compiler<LogRecord> _compiler;
    private readonly List<Stage> _after;
    private readonly Func<LogRecord, bool>[] _filters;

    public RowPipeline(Language.Query query, EvaluationContext context, Limits limits)
    {
        (_context, _limits) = (context, limits);
        _compiler = new Compiler<LogRecord>(context, RecordFields.Bind, term => new TermMatcher(term).Matches);
        Match = query.Match is null ? null : _compiler.Condition(query.Match);
        var filters = query.Stages.TakeWhile(s => s is Where).Cast<Where>().ToList();
        _filters = [.. filters.Select(w => _compiler.Condition(w.Condition))];
        _after = [.. query.Stages.Skip(filters.Count)];
    }

    /// <summary>The test of the first line; null where it takes all records.</summary>
    public Func<LogRecord, bool>? Match { get; }

    /// <summary>The where stages that follow the match directly, in order.</summary>
    public IReadOnlyList<Func<LogRecord, bool>> Filters => _filters;

    /// <summary>Whether the answer is made of records, newest first, and nothing else needs doing.</summary>
    public bool IsPlain => _after.Count == 0;

    /// <summary>Whether the answer has columns of its own rather than records.</summary>
    public bool IsGrouped => _after.Any(s => s is Group);

    /// <summary>How many of the first steps a record passes: 0 when the match fails, 1 for the match, 1 + n for n filters.</summary>
    public int Passes(LogRecord record)
    {
        if (Match is not null && !Match(record)) return 0;
        for (var i = 0; i < _filters.Length; i++)
            if (!_filters[i](record)) return i + 1;
        return _filters.Length + 1;
    }

    public bool Test(LogRecord record) => Passes(record) == _filters.Length + 1;

    /// <summary>The stages behind the filters, over records that passed them, newest first; up to the first group.</summary>
    /// <param name="records">Newest first.</param>
    /// <param name="left">Receives the number of rows that each further stage left.</param>
    public IEnumerable<LogRecord> Records(IEnumerable<LogRecord> records, IList<long>? left = null)
    {
        foreach (var stage in _after.TakeWhile(s => s is not Group))
        {
            records = Apply(stage, records);
            if (left is null) continue;
            var all = records.ToList();
            left.Add(all.Count);
            records = all;
        }
        return records;
    }

    private IEnumerable<LogRecord> Apply(Stage stage, IEnumerable<LogRecord> records) => stage switch
    {
        Where where => records.Where(_compiler.Condition(where.Condition)),
        OrderBy order => Sort(records, order, _compiler),
        Limit limit => Take(records, limit, _compiler),
        _ => throw new ArgumentOutOfRangeException(nameof(stage)),
    };

    /// <summary>The whole answer of a grouped query as a frame.</summary>
    public Frame Collect(IEnumerable<LogRecord> records, Window window, IList<long>? left = null)
    {
        var source = Records(records, left);
        var rest = _after.SkipWhile(s => s is not Group).ToList();
        var grouping = new Grouping<LogRecord>((Group)rest[0], window, _compiler, _context, r => r.Time, _limits);
        foreach (var record in source) grouping.Add(record);
        var frame = grouping.Collect();
        left?.Add(frame.Rows.Count);
        foreach (var stage in rest.Skip(1))
        {
            frame = Apply(stage, frame);
            left?.Add(frame.Rows.Count);
        }
        return frame;
    }

    private Frame Apply(Stage stage, Frame frame)
    {
        var schema = frame.Schema;
        var compiler = new Compiler<Value[]>(_context, name => Column(schema, name), word => row => new TermMatcher(word) is var matcher && row.Any(matcher.Matches),
            call => schema.IndexOf(QueryPrinter.Print(call)) is var at and >= 0 ? row => row[at] : null);
        switch (stage)
        {
            case Where where: return frame with { Rows = [.. frame.Rows.Where(compiler.Condition(where.Condition))] };
            case OrderBy order: return frame with { Rows = [.. Sort(frame.Rows, order, compiler)] };
            case Limit limit: return frame with { Rows = [.. Take(frame.Rows, limit, compiler)] };
            default:
                var time = schema.IndexOf(ColumnRole.Time);
                var grouping = new Grouping<Value[]>((Group)stage, schema.Window, compiler, _context, row => time >= 0 ? row[time].AsLong : 0, _limits);
                foreach (var row in frame.Rows) grouping.Add(row);
                return grouping.Collect();
        }
    }

    private static Func<Value[], Value> Column(Schema schema, string name)
    {
        var at = schema.IndexOf(name);
        return at < 0 ? _ => Value.Missing : row => row[at];
    }

    private IEnumerable<TRow> Sort<TRow>(IEnumerable<TRow> rows, OrderBy order, Compiler<TRow> compiler)
    {
        var all = new List<TRow>();
        foreach (var row in rows)
        {
            if (all.Count >= _limits.Sorted)
                throw new QueryRefusedException($"More than {_limits.Sorted:N0} rows to sort. Narrow the search, or group first.");
            all.Add(row);
        }
        IOrderedEnumerable<TRow>? sorted = null;
        foreach (var item in order.Items)
        {
            var key = compiler.Value(item.Expr);
            var direction = item.Descending ? -1 : 1;
            var comparer = Comparer<Value>.Create((a, b) => a.IsMissing || b.IsMissing ? Comparison.Sort(a, b) : direction * Comparison.Sort(a, b));
            sorted = sorted is null ? all.OrderBy(key, comparer) : sorted.ThenBy(key, comparer);
        }
        return sorted ?? (IEnumerable<TRow>)all;
    }

    private static IEnumerable<TRow> Take<TRow>(IEnumerable<TRow> rows, Limit limit, Compiler<TRow> compiler)
    {
        if (limit.By.Count == 0) return rows.Take((int)Math.Min(limit.Count, int.MaxValue));
        var keys = limit.By.Select(compiler.Value).ToArray();
        var seen = new Dictionary<string, long>(StringComparer.Ordinal);
        return rows.Where(row =>
        {
            var key = string.Join('\u001f', keys.Select(k => k(row)).Select(v => v.IsMissing ? "\0" : v.ToText()));
            var count = seen[key] = seen.GetValueOrDefault(key) + 1;
            return count <= limit.Count;
        });
    }
}
