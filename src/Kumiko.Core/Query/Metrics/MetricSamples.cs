using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>What <c>from metrics</c> reads: the samples of the series that meet the conditions.</summary>
internal sealed class MetricSamples : RowScan
{
    private const int Time = 0;
    private const int Name = 1;
    private const int Value = 2;
    private const int Fixed = 3;

    private readonly MetricStore _store;
    private readonly Window _window;
    private readonly EvaluationContext _context;
    private readonly CancellationToken _cancel;
    private readonly IReadOnlyList<MetricSeries> _series;
    private readonly Lazy<IReadOnlyList<Column>> _columns;

    /// <param name="series">The series whose samples are read.</param>
    public MetricSamples(
        MetricStore store,
        Window window,
        EvaluationContext context,
        IReadOnlyList<MetricSeries> series,
        CancellationToken cancel
    )
    {
        (_store, _window, _context, _cancel, _series) = (store, window, context, cancel, series);
        _columns = new(() => ColumnsOf(_series));
    }

    public IReadOnlyList<MetricSeries> Series => _series;

    public override IReadOnlyList<Column> Columns => _columns.Value;

    private static IReadOnlyList<Column> ColumnsOf(IReadOnlyList<MetricSeries> series)
    {
        string[] units = [.. series.Select(s => s.Unit).Distinct().Take(2)];
        var columns = new List<Column>
        {
            new("time", ColumnRole.Time, ValueKind.Time),
            new("name", ColumnRole.Key),
            new("value", ColumnRole.Value, ValueKind.Decimal) { Unit = units is [var unit] ? unit : "" },
        };
        if (series.Any(s => s.IsDistribution))
            columns.AddRange([
                new("count", ColumnRole.Value, ValueKind.Integer),
                new("sum", ColumnRole.Value, ValueKind.Decimal),
            ]);
        columns.AddRange([
            new("start", ColumnRole.Detail, ValueKind.Time),
            new("unit", ColumnRole.Detail),
            new("kind", ColumnRole.Detail),
            new("source", ColumnRole.Detail),
        ]);
        var known = columns.Select(c => c.Name).ToHashSet(StringComparer.Ordinal);
        foreach (var name in series.SelectMany(s => s.FieldNames).Distinct().Order(StringComparer.Ordinal))
            if (known.Add(name))
                columns.Add(new Column(name, ColumnRole.Key));
        return columns;
    }

    public override bool HasSeries => true;

    public override bool AreDistributions => _series.Count > 0 && _series.All(s => s.IsDistribution);

    /// <summary>The series: what they have stands for all their samples.</summary>
    public override IEnumerable<Row> Things() => _series.Select((series, i) => new Row(RowSource.Columns, i, Slots(series)));

    public override RowScan? Narrow(Expr condition)
    {
        if (Array.Exists(SeriesScope.OfSamples, name => QueryChecker.Mentions(condition, name)))
            return null;
        var test = new Compiler(_context, new SeriesScope()).Condition(condition);
        return new MetricSamples(_store, _window, _context, [.. _series.Where(s => test(SeriesRow.Of(s)))], _cancel);
    }

    public override IEnumerable<Row> Rows(long moved, bool sorted)
    {
        var samples = new List<(long Time, long Start, int Series, double Value, Distribution? Distribution)>();
        if (_series.Count > 0)
        {
            using var snapshot = _store.Snapshot(_series);
            var needs = new SampleNeeds(_window);
            for (var at = 0; at < snapshot.Series.Count; at += SampleGrouping.SeriesAtOnce)
            {
                var place = at;
                foreach (
                    var (_, pieces) in snapshot.Read(
                        at,
                        Math.Min(snapshot.Series.Count, at + SampleGrouping.SeriesAtOnce),
                        needs,
                        _cancel
                    )
                )
                {
                    foreach (var piece in pieces.Where(p => p.Run is not null))
                        for (var i = piece.First; i < piece.End; i++)
                            if (!double.IsNaN(piece.Run!.Values[i]) || piece.Run.Distributions is not null)
                                samples.Add(
                                    (
                                        piece.Run.Times[i],
                                        piece.Run.Starts?[i] ?? 0,
                                        place,
                                        piece.Run.Values[i],
                                        piece.Run.Distributions?[i]
                                    )
                                );
                    place++;
                    if (samples.Count > MostRows)
                        throw new QueryRefusedException(
                            $"These are more than {MostRows:N0} samples. Group them, name a metric, or take a shorter focus."
                        );
                }
            }
            if (sorted)
                samples.Sort((a, b) => a.Time != b.Time ? b.Time.CompareTo(a.Time) : a.Series.CompareTo(b.Series));
            var blank = snapshot.Series.Select(Slots).ToArray();
            var hasCounts = Columns[Fixed].Name == "count";
            var startAt = hasCounts ? Fixed + 2 : Fixed;
            for (var i = 0; i < samples.Count; i++)
            {
                var (time, start, series, value, distribution) = samples[i];
                Value[] slots = [.. blank[series]];
                slots[Time] = Records.Value.Time(time + moved);
                slots[Value] = double.IsNaN(value) ? Records.Value.Missing : Records.Value.Of(value);
                if (start > 0)
                    slots[startAt] = Records.Value.Time(start + moved);
                if (hasCounts && distribution is not null)
                    (slots[Fixed], slots[Fixed + 1]) = (
                        Records.Value.Of((long)distribution.Count),
                        distribution.Sum is { } sum ? Records.Value.Of(sum) : Records.Value.Missing
                    );
                yield return new Row(RowSource.Columns, i, slots);
            }
        }
    }

    private const int MostRows = 5_000_000;

    /// <summary>The columns of a row that all samples of a series share.</summary>
    private Value[] Slots(MetricSeries series)
    {
        var slots = new Value[Columns.Count];
        for (var i = 0; i < slots.Length; i++)
            slots[i] = i < Fixed && i != Name ? Records.Value.Missing : series.Field(Columns[i].Name);
        return slots;
    }

    public override bool CanGather(GroupPlan plan) =>
        plan.Group.By.All(b => !Array.Exists(SeriesScope.OfSamples, name => QueryChecker.Mentions(b.Expr, name)))
        && Array.TrueForAll(plan.Aggregates, a => SampleGrouping.Takes(a.Call));

    public override Frame Gather(GroupPlan plan, Highest? highest, long moved) =>
        Grouped(plan, moved, g => g.Gather(highest)) ?? new GroupTable(plan).Collect(highest);

    public override GroupTable GatherTable(GroupPlan plan, long moved) =>
        Grouped(plan, moved, g => g.Table()) ?? new GroupTable(plan);

    private T? Grouped<T>(GroupPlan plan, long moved, Func<SampleGrouping, T> gather)
        where T : class
    {
        if (_series.Count == 0)
            return null;
        using var snapshot = _store.Snapshot(_series);
        var keys = snapshot
            .Series.Select(s => new Row(RowSource.Columns, 0, Slots(s)))
            .Select(row => Array.ConvertAll(plan.Keys, key => key(row)))
            .ToArray();
        return gather(new SampleGrouping(plan, snapshot, keys, _window, moved, _cancel));
    }
}
