using Kumiko.Core.Analysis;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Gathering;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;

namespace Kumiko.Core.Patterns;

/// <summary>
/// Patterns as rows that queries can read: <c>from patterns</c>. Counted in the window, in the stretch of the same length
/// before it, and on like days.
/// </summary>
/// <param name="alerts">How many alerts were open at some time in a window; null where nobody can tell.</param>
public sealed class PatternSet(Func<Window, int>? alerts = null) : RowSet
{
    private static readonly Column[] Columns =
    [
        new("pattern", ColumnRole.Key),
        new("service", ColumnRole.Key),
        new("text", ColumnRole.Detail),
        new("records", ColumnRole.Value, ValueKind.Integer),
        new("before", ColumnRole.Value, ValueKind.Integer),
        new("factor", ColumnRole.Value, ValueKind.Decimal),
        new("trend", ColumnRole.Key),
        new("usual", ColumnRole.Value, ValueKind.Decimal),
        new("usual_factor", ColumnRole.Value, ValueKind.Decimal),
        new("differs", ColumnRole.Key),
        new("first_seen", ColumnRole.Detail, ValueKind.Time),
        new("last_seen", ColumnRole.Detail, ValueKind.Time),
    ];

    private static readonly ParseResult Counting = QueryParser.Parse("| group count() as n by pattern");

    public override string Name => "patterns";

    public override string Title => "kinds of lines, counted";

    public override (string One, string Many) Noun => ("pattern", "patterns");

    public override RowScan Scan(ScanRequest request) =>
        new ColumnScan(Columns, () => Read(request), request.Cancel) { MayAllBeRead = true };

    /// <summary>The patterns with records in the window, before it or on like days, the most frequent first; last, what was not
    /// kept apart.</summary>
    private IEnumerable<Value[]> Read(ScanRequest request)
    {
        var (snapshot, window) = (request.Snapshot, request.Window);
        var now = Counts(request, window);
        // All of time has nothing before it.
        var length = Math.Max(1, window.Length);
        var earlier = new Window(window.From > long.MinValue + length ? window.From - length : window.From, window.From);
        var before = Counts(request, earlier);
        if (snapshot.Patterns is not { } book)
            return [];
        var usual = Usual(request);
        var all = book.All()
            .Where(p => now.ContainsKey(p.Name) || before.ContainsKey(p.Name) || usual.ContainsKey(p.Name))
            .ToList();
        var changes = RateChange.Judge(
            all.ConvertAll(p => (before.GetValueOrDefault(p.Name), now.GetValueOrDefault(p.Name))),
            length,
            length
        );
        var rows = all.Zip(changes)
            .OrderByDescending(x => x.Second.Now)
            .ThenByDescending(x => x.Second.Before)
            .ThenBy(x => x.First.Id)
            .Select(x => Row(x.First, x.Second, usual.GetValueOrDefault(x.First.Name), earlier.From))
            .ToList();
        // Who may read some sources only is not told of services elsewhere.
        foreach (var service in request.Access.IsAll ? book.Overflowing() : [])
            rows.Add([
                Value.Missing,
                Value.Of(service),
                Value.Of("Endless kinds of lines: those beyond the limit have no pattern."),
                Value.Missing,
                Value.Missing,
                Value.Missing,
                Value.Missing,
                Value.Missing,
                Value.Missing,
                Value.Missing,
                Value.Missing,
                Value.Missing,
            ]);
        return rows;
    }

    /// <summary>What was seen before both stretches is not new.</summary>
    private static Trend TrendOf(Pattern pattern, RateChange change, long since) =>
        change.Trend == Trend.New && pattern.FirstSeen < since ? Trend.Rising : change.Trend;

    /// <summary>How each pattern differs from like days; empty where there are none.</summary>
    private Dictionary<string, RateShift> Usual(ScanRequest request)
    {
        using var run = request.Open(ParseResult.Empty, request.Window);
        using var stop = request.Cancel.Register(run.Stop);
        var baseline = run.BaselineOf(BaselineChoice.LikeDays, new BaselineFinder(alerts ?? (_ => 0)));
        if (baseline.Windows.Count == 0)
            return [];
        return run.Gather(baseline)
            .GetAwaiter()
            .GetResult()
            .Patterns.Where(p => p is { Pattern: not null, Shift: not null })
            .ToDictionary(p => p.Pattern!.Name, p => p.Shift!, StringComparer.Ordinal);
    }

    /// <summary>How a rate differs, as people read it.</summary>
    public static string Word(RateDifference difference) =>
        difference switch
        {
            RateDifference.TooFewToSay => "too few to say",
            RateDifference.AsUsual => "as usual",
            RateDifference.MaybeChance => "maybe chance",
            RateDifference.UsuallyNone => "usually none",
            _ => difference.ToString().ToLowerInvariant(),
        };

    private static Value[] Row(Pattern pattern, RateChange change, RateShift? usual, long since) =>
        [
            Value.Of(pattern.Name),
            Value.Of(pattern.Service),
            Value.Of(pattern.Text),
            Value.Of(change.Now),
            Value.Of(change.Before),
            double.IsFinite(change.Factor) ? Value.Of(Math.Round(change.Factor, 2)) : Value.Missing,
            Value.Of(Word(TrendOf(pattern, change, since))),
            usual is null ? Value.Missing : Value.Of(Math.Round(usual.Usual, 1)),
            usual is { Factor: var factor } && double.IsFinite(factor) ? Value.Of(Math.Round(factor, 2)) : Value.Missing,
            usual is null ? Value.Missing : Value.Of(Word(usual.Difference)),
            Value.Time(pattern.FirstSeen),
            Value.Time(pattern.LastSeen),
        ];

    /// <summary>A trend as people read it.</summary>
    public static string Word(Trend trend) =>
        trend switch
        {
            Trend.TooFewToSay => "too few to say",
            _ => trend.ToString().ToLowerInvariant(),
        };

    private static Dictionary<string, long> Counts(ScanRequest request, Window window) =>
        request
            .Ask(Counting, window)
            .Rows.Where(r => !r[0].IsMissing)
            .ToDictionary(r => r[0].AsText, r => r[1].AsLong, StringComparer.Ordinal);
}
