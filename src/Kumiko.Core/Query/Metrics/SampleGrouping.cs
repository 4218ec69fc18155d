using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>
/// Groups samples by what their series have and by steps: no row is made of a sample, and where a whole day lies in the
/// window its levels answer instead. Two workers, each with some of the series.
/// </summary>
internal sealed class SampleGrouping
{
    public const int SeriesAtOnce = 128;
    private const int LeastAtOnce = 5;

    /// <summary>How far before the window a counter's last sample is looked for, from which the first growth counts.</summary>
    private static readonly long CounterReach = 5 * Instants.Minute;

    /// <summary>With fewer samples than this percentiles are read from them, exactly; with more from levels.</summary>
    private const long MostExact = 4_000_000;
    private const int Workers = 2;
    private const int BytesOfCell = 40;

    private readonly GroupPlan _plan;
    private readonly MetricSnapshot _snapshot;
    private readonly Window _window;
    private readonly long _moved;
    private readonly CancellationToken _cancel;
    private readonly int[] _groupOf;
    private readonly List<Value[]> _keys = [];
    private readonly int _steps;
    private readonly bool _totals;
    private readonly bool _counters;
    private readonly bool _percentiles;
    private readonly bool _edges;
    private readonly bool _spread;

    public SampleGrouping(
        GroupPlan plan,
        MetricSnapshot snapshot,
        Value[][] keysOfSeries,
        Window window,
        long moved,
        CancellationToken cancel
    )
    {
        (_plan, _snapshot, _window, _moved, _cancel) = (plan, snapshot, window, moved, cancel);
        var places = new Dictionary<string, int>(StringComparer.Ordinal);
        _groupOf = Array.ConvertAll(keysOfSeries, keys =>
        {
            var name = GroupTable.NameOf(keys);
            if (!places.TryGetValue(name, out var place))
            {
                places.Add(name, place = places.Count);
                _keys.Add(keys);
            }
            return place;
        });
        _steps = plan.Cut?.Starts.Count ?? 1;
        bool Needs(SampleNeed need) => Array.Exists(plan.Aggregates, a => a.Kind.Need == need);
        _totals = Needs(SampleNeed.Totals);
        _counters = Needs(SampleNeed.Growth);
        _edges = Needs(SampleNeed.Edges);
        _spread = Needs(SampleNeed.Moments);
        _percentiles = Needs(SampleNeed.Values);
    }

    /// <summary>Whether an aggregate asks for a figure of value alone.</summary>
    public static bool Takes(Call call) => AggregateKinds.Of(call).TakesSamples(call);

    /// <exception cref="QueryRefusedException">There are more groups than may be.</exception>
    public Frame Gather(Highest? highest)
    {
        var parts = Parts();
        // Most questions are answered from the cells; the table is for what needs more than numbers, and for ranking.
        if (highest is null && _totals && !_counters && !_edges && !_spread && !_percentiles && parts.TryTake(out var first))
        {
            foreach (var part in parts)
                first.Add(part);
            return first.Frame();
        }
        return TableOf(parts).Collect(highest);
    }

    /// <summary>What was gathered, before it is an answer.</summary>
    /// <exception cref="QueryRefusedException">There are more groups than may be.</exception>
    public GroupTable Table() => TableOf(Parts());

    private GroupTable TableOf(IEnumerable<Part> parts)
    {
        GroupTable? table = null;
        foreach (var part in parts)
        {
            var more = part.Finish();
            if (table is null)
                table = more;
            else
                table.Merge(more);
        }
        return table ?? new GroupTable(_plan);
    }

    private ConcurrentBag<Part> Parts()
    {
        if (_keys.Count > _plan.Limits.Keys)
            new GroupTable(_plan).Refuse();
        if ((long)_steps * _keys.Count > _plan.Limits.Rows)
            throw new QueryRefusedException(
                $"{_steps:N0} steps of {_keys.Count:N0} keys are more than {_plan.Limits.Rows:N0} rows. Take a longer step or fewer keys."
            );
        var needs = new SampleNeeds(_window, _counters ? CounterReach : 0, Grain(), _percentiles, _edges);
        var parts = new ConcurrentBag<Part>();
        var next = -1;
        // Few series are parted too, so that every worker has some.
        var atOnce = Math.Clamp(_snapshot.Series.Count / (Workers * 2), LeastAtOnce, SeriesAtOnce);
        var chunks = (_snapshot.Series.Count + atOnce - 1) / atOnce;
        try
        {
            Parallel.For(
                0,
                Math.Min(Workers, chunks),
                new ParallelOptions { MaxDegreeOfParallelism = Workers, CancellationToken = _cancel },
                _ =>
                {
                    var part = new Part(this);
                    parts.Add(part);
                    for (var i = Interlocked.Increment(ref next); i < chunks; i = Interlocked.Increment(ref next))
                    {
                        var place = i * atOnce;
                        foreach (
                            var (series, pieces) in _snapshot.Read(
                                place,
                                Math.Min(_snapshot.Series.Count, place + atOnce),
                                needs,
                                _cancel
                            )
                        )
                            part.Add(series, _groupOf[place++], pieces);
                    }
                }
            );
        }
        catch (AggregateException e) when (e.InnerExceptions.OfType<QueryRefusedException>().FirstOrDefault() is { } refused)
        {
            throw refused;
        }
        return parts;
    }

    /// <summary>The coarsest level whose steps fit into those of the plan.</summary>
    private int Grain()
    {
        // Levels do not keep squares, nor which of several series was last; percentiles are exact while that is quick.
        if (_spread || (_edges && _keys.Count < _groupOf.Length) || (_percentiles && _snapshot.CountAbout(_window) <= MostExact))
            return Grains.Samples;
        for (var grain = Grains.Hours; grain > Grains.Samples; grain--)
            if (_plan.Cut is not { } cut || cut.Starts.All(start => (start - _moved) % Grains.Lengths[grain] == 0))
                return grain;
        return Grains.Samples;
    }

    /// <summary>What one worker gathers.</summary>
    private sealed class Part
    {
        private readonly SampleGrouping _of;
        private readonly GroupPlan _plan;
        private readonly GroupTable _table;
        private readonly KeyGroups?[] _groups;
        private readonly long[] _counts = [];
        private readonly double[] _weights = [];
        private readonly double[] _sums = [];
        private readonly double[] _mins = [];
        private readonly double[] _maxes = [];

        // Where the series that is being added stands: its step, and what it grew in it.
        private int _group;
        private int _step;
        private double _growth;
        private long _covered;
        private (long Time, double Value)? _before;
        private (long Time, Distribution Value)? _beforeDistribution;
        private DistributionSum? _distribution;

        public Part(SampleGrouping of)
        {
            (_of, _plan) = (of, of._plan);
            _table = new GroupTable(_plan);
            _groups = new KeyGroups?[of._keys.Count];
            if (!of._totals)
                return;
            var cells = of._steps * of._keys.Count;
            _plan.Memory.Take((long)cells * BytesOfCell);
            (_counts, _weights, _sums, _mins, _maxes) = (
                new long[cells],
                new double[cells],
                new double[cells],
                new double[cells],
                new double[cells]
            );
            Array.Fill(_mins, double.PositiveInfinity);
            Array.Fill(_maxes, double.NegativeInfinity);
        }

        public void Add(MetricSeries series, int group, IReadOnlyList<SamplePiece> pieces)
        {
            (_group, _step, _growth, _covered, _before, _beforeDistribution, _distribution) = (
                group,
                -1,
                double.NaN,
                0,
                null,
                null,
                null
            );
            foreach (var piece in pieces)
            {
                if (piece.Level is { } level)
                    Add(series, level, piece);
                else if (series.IsDistribution)
                    AddDistributions(series, piece);
                else
                    AddNumbers(series, piece);
            }
            Flush();
        }

        private Accumulator[] At(int step) => _table.At(_groups[_group] ??= _table.Group(_of._keys[_group]), step);

        /// <summary>Ends the step of the present series.</summary>
        private void Flush()
        {
            if (_step < 0)
                return;
            if (_of._counters && !double.IsNaN(_growth))
            {
                var rate = _covered > 0 ? _growth / (_covered / (double)Instants.Second) : double.NaN;
                foreach (var accumulator in At(_step))
                    (accumulator as CounterAccumulator)?.AddGrowth(_growth, rate);
            }
            if (_distribution is { Count: > 0 } distribution)
                Add(distribution);
            (_growth, _covered, _distribution) = (double.NaN, 0, null);
        }

        private void Enter(int step)
        {
            if (step == _step)
                return;
            Flush();
            _step = step;
        }

        private void Add(DistributionSum distribution)
        {
            if (_of._totals)
            {
                var cell = (_group * _of._steps) + _step;
                _weights[cell] += distribution.Count;
                _sums[cell] += distribution.Sum;
                var buckets =
                    double.IsFinite(distribution.Min) && double.IsFinite(distribution.Max) ? [] : distribution.Buckets();
                var (lowest, highest) =
                    buckets.Count > 0
                        ? (buckets[0].From, buckets.Max(b => b.To))
                        : (double.PositiveInfinity, double.NegativeInfinity);
                _mins[cell] = Math.Min(_mins[cell], double.IsFinite(distribution.Min) ? distribution.Min : lowest);
                _maxes[cell] = Math.Max(_maxes[cell], double.IsFinite(distribution.Max) ? distribution.Max : highest);
            }
            if (!_of._percentiles)
                return;
            foreach (var accumulator in At(_step))
                (accumulator as PercentileAccumulator)?.Add(distribution);
        }

        /// <summary>The steps of some times, each with where it begins and ends among them.</summary>
        private sealed record BlockCut(Steps? Of, long Moved, List<(int Step, int First, int End)> Parts);

        private List<(int Step, int First, int End)> CutOf(TimeBlock block)
        {
            if (block.Cut is BlockCut known && known.Of == _plan.Cut && known.Moved == _of._moved)
                return known.Parts;
            var parts = new List<(int, int, int)>();
            var times = block.Times;
            if (_plan.Cut is not { } cut)
                parts.Add((0, 0, times.Length));
            else
                for (var i = 0; i < times.Length; )
                {
                    var step = cut.IndexOf(times[i] + _of._moved);
                    var until = step + 1 < cut.Starts.Count ? cut.Starts[step + 1] - _of._moved : long.MaxValue;
                    var first = i;
                    while (i < times.Length && times[i] < until)
                        i++;
                    parts.Add((step, first, i));
                }
            block.Cut = new BlockCut(_plan.Cut, _of._moved, parts);
            return parts;
        }

        private void AddNumbers(MetricSeries series, SamplePiece piece)
        {
            var run = piece.Run!;
            var values = run.Values;
            var (inside, _) = run.Range(_of._window.From, _of._window.To);
            for (var i = piece.First; i < Math.Min(inside, piece.End); i++)
                if (!double.IsNaN(values[i]))
                    _before = (run.Times[i], values[i]);
            foreach (var (step, from, to) in CutOf(run.Block))
            {
                var (first, end) = (Math.Max(from, Math.Max(piece.First, inside)), Math.Min(to, piece.End));
                if (first >= end || step < 0)
                    continue;
                Enter(step);
                if (_of._totals)
                    AddTotals(values.AsSpan(first, end - first), (_group * _of._steps) + step);
                if (_of._counters)
                    AddGrowth(series, run, first, end);
                if (_of._percentiles || _of._edges || _of._spread)
                    AddDetails(run, first, end, series.Id);
            }
        }

        private void AddTotals(ReadOnlySpan<double> values, int cell)
        {
            var (count, sum, min, max) = (0, 0.0, _mins[cell], _maxes[cell]);
            foreach (var value in values)
            {
                if (double.IsNaN(value))
                    continue;
                count++;
                sum += value;
                if (value < min)
                    min = value;
                if (value > max)
                    max = value;
            }
            _counts[cell] += count;
            _weights[cell] += count;
            _sums[cell] += sum;
            (_mins[cell], _maxes[cell]) = (min, max);
        }

        private void AddGrowth(MetricSeries series, SampleRun run, int first, int end)
        {
            for (var i = first; i < end; i++)
            {
                if (double.IsNaN(run.Values[i]))
                    continue;
                Grow(
                    Counters.Between(_before, run.Times[i], run.Values[i], run.Starts?[i] ?? 0, series.IsDelta, _of._window.From)
                );
                _before = (run.Times[i], run.Values[i]);
            }
        }

        private void Grow((double Growth, long Covered) more)
        {
            if (double.IsNaN(more.Growth))
                return;
            _growth = (double.IsNaN(_growth) ? 0 : _growth) + more.Growth;
            _covered += more.Covered;
        }

        private void AddDetails(SampleRun run, int first, int end, int series)
        {
            foreach (var accumulator in At(_step))
                switch (accumulator)
                {
                    case PercentileAccumulator percentile:
                        percentile.Add(run.Values.AsSpan(first, end - first));
                        break;
                    case EdgeAccumulator or SpreadAccumulator:
                        for (var i = first; i < end; i++)
                            if (!double.IsNaN(run.Values[i]))
                                accumulator.Add(Value.Of(run.Values[i]), Value.Missing, new RecordId(run.Times[i], series));
                        break;
                }
        }

        private void AddDistributions(MetricSeries series, SamplePiece piece)
        {
            var run = piece.Run!;
            var (inside, _) = run.Range(_of._window.From, _of._window.To);
            for (var i = piece.First; i < Math.Min(inside, piece.End); i++)
                _beforeDistribution = (run.Times[i], run.Distributions![i]);
            foreach (var (step, from, to) in CutOf(run.Block))
            {
                var (first, end) = (Math.Max(from, Math.Max(piece.First, inside)), Math.Min(to, piece.End));
                if (first >= end || step < 0)
                    continue;
                Enter(step);
                if (_of._totals)
                    _counts[(_group * _of._steps) + step] += end - first;
                for (var i = first; i < end; i++)
                    AddDistribution(series, run.Times[i], run.Distributions![i], run.Starts?[i] ?? 0);
                if (_of._edges)
                    AddDetails(run, first, end, series.Id);
            }
        }

        private void AddDistribution(MetricSeries series, long time, Distribution now, long start)
        {
            var before = _beforeDistribution;
            _beforeDistribution = (time, now);
            if (!series.IsDelta && before is null && !Counters.BeginsWithin(start, _of._window.From, time))
                return;
            // Cumulative: what it has beyond the sample before, unless it began anew or there is none.
            var since =
                series.IsDelta || before is null || start > before.Value.Time || now.Count < before.Value.Value.Count
                    ? null
                    : before.Value.Value;
            (_distribution ??= new()).Add(now, since);
            long took;
            if (series.IsDelta || before is null)
            {
                if (start > 0 && start < time)
                    took = time - start;
                else if (before is { } last)
                    took = time - last.Time;
                else
                    took = 0;
            }
            else
                took = time - before.Value.Time;
            Grow((now.Count - (double)(since?.Count ?? 0), took));
        }

        private void Add(MetricSeries series, Level level, SamplePiece piece)
        {
            var length = Grains.Lengths[piece.Grain];
            var linked = false;
            for (var i = 0; i < level.Steps.Length; i++)
            {
                var start = piece.Day + (level.Steps[i] * length);
                if (start < _of._window.From || start + length > _of._window.To)
                    continue;
                var step = _plan.Cut?.IndexOf(start + _of._moved) ?? 0;
                if (step < 0)
                    continue;
                Enter(step);
                // What grew since the day before belongs to the step of the day's first sample.
                if (!linked && level.FirstSample.Time >= start && level.FirstSample.Time < start + length)
                    Link(series, level);
                linked = true;
                AddStep(level, i, start);
            }
            if (level.LastDistribution is { } last)
                _beforeDistribution = (level.LastSample.Time, last);
            else if (!double.IsNaN(level.LastSample.Value))
                _before = (level.LastSample.Time, level.LastSample.Value);
        }

        private void Link(MetricSeries series, Level level)
        {
            if (level.FirstDistribution is { } first)
            {
                // Deltas are whole in their level.
                if (!series.IsDelta)
                    AddDistribution(series, level.FirstSample.Time, first, level.FirstSample.Start);
            }
            else if (_of._counters && level.Growths is not null && !series.IsDelta && !double.IsNaN(level.FirstSample.Value))
                Grow(
                    Counters.Between(
                        _before,
                        level.FirstSample.Time,
                        level.FirstSample.Value,
                        level.FirstSample.Start,
                        isDelta: false,
                        _of._window.From
                    )
                );
        }

        private void AddStep(Level level, int i, long start)
        {
            if (_of._totals)
            {
                var cell = (_group * _of._steps) + _step;
                _counts[cell] += level.Counts[i];
                if (level.Distributions is null)
                {
                    _weights[cell] += level.Counts[i];
                    if (level.Counts[i] > 0)
                    {
                        _sums[cell] += level.Sums[i];
                        _mins[cell] = Math.Min(_mins[cell], level.Mins[i]);
                        _maxes[cell] = Math.Max(_maxes[cell], level.Maxes[i]);
                    }
                }
            }
            if (level.Distributions is { } distributions)
            {
                (_distribution ??= new()).Merge(distributions[i]);
                if (level.Covered is { } took)
                    Grow((distributions[i].Count, took[i]));
            }
            else if (_of._counters && level.Growths is { } growths)
                Grow((growths[i], level.Covered![i]));
            if (!_of._percentiles && !_of._edges)
                return;
            foreach (var accumulator in At(_step))
                switch (accumulator)
                {
                    case PercentileAccumulator percentile when level.Sketches is { } sketches:
                        percentile.Add(sketches[i]);
                        break;
                    case EdgeAccumulator edge when level.Firsts is { } firsts && !double.IsNaN(firsts[i]):
                        edge.Add(Value.Of(firsts[i]), Value.Missing, new RecordId(start, 0));
                        edge.Add(Value.Of(level.Lasts![i]), Value.Missing, new RecordId(start + Grains.Lengths[1] - 1, 0));
                        break;
                }
        }

        /// <summary>Takes in the cells of another worker.</summary>
        public void Add(Part other)
        {
            for (var i = 0; i < _counts.Length; i++)
            {
                _counts[i] += other._counts[i];
                _weights[i] += other._weights[i];
                _sums[i] += other._sums[i];
                _mins[i] = Math.Min(_mins[i], other._mins[i]);
                _maxes[i] = Math.Max(_maxes[i], other._maxes[i]);
            }
        }

        /// <summary>The answer out of the cells: by time, then by the first aggregate, highest first, then by name.</summary>
        public Frame Frame()
        {
            var (steps, groups, aggregates) = (_of._steps, _of._keys.Count, _plan.Aggregates);
            var names = _of._keys.Select(k => GroupTable.NameOf(k)).ToArray();
            int[] byName = [.. Enumerable.Range(0, groups).OrderBy(g => names[g], StringComparer.Ordinal)];
            // Only groups with a sample in the window are groups of the answer.
            byName = [.. byName.Where(g => _counts.AsSpan(g * steps, steps).ContainsAnyExcept(0L))];
            if (steps * byName.Length == 0)
                return new GroupTable(_plan).Collect();
            var rows = new CellRows(this, byName);
            rows.Order(_of._cancel);
            return new Frame(
                new Schema(Frames.Frame.WithKinds(_plan.Columns(), rows), _plan.Cut?.Length, _plan.Window)
                {
                    PartialSteps = _plan.PartialSteps,
                },
                rows
            );
        }

        /// <summary>
        /// Rows made from the cells when they are read: hundreds of thousands that are kept would be copied by each collection of
        /// garbage
        /// while they are made, which took longer than all else.
        /// </summary>
        private sealed class CellRows : IReadOnlyList<Value[]>
        {
            private readonly Part _part;
            private readonly int[] _byName;
            private readonly int[][] _orders;
            private readonly StepFacts[] _facts;
            private readonly AggregateKind[] _figures;
            private readonly int _first;

            public CellRows(Part part, int[] byName)
            {
                (_part, _byName) = (part, byName);
                var plan = part._plan;
                (_orders, _facts) = (new int[part._of._steps][], new StepFacts[part._of._steps]);
                _figures = Array.ConvertAll([.. plan.Aggregates], a => a.Kind);
                _first = (plan.Cut is null ? 0 : 1) + plan.Keys.Length;
            }

            public int Count => _orders.Length * _byName.Length;

            public Value[] this[int index]
            {
                get
                {
                    var (step, place) = Math.DivRem(index, _byName.Length);
                    return Row(step, _byName[_orders[step][place]]);
                }
            }

            public IEnumerator<Value[]> GetEnumerator()
            {
                for (var step = 0; step < _orders.Length; step++)
                {
                    foreach (var place in _orders[step])
                        yield return Row(step, _byName[place]);
                }
            }

            System.Collections.IEnumerator System.Collections.IEnumerable.GetEnumerator() => GetEnumerator();

            private Value[] Row(int step, int group)
            {
                var row = new Value[_first + _figures.Length];
                if (_part._plan.Cut is { } cut)
                    row[0] = Value.Time(cut.Starts[step]);
                var keys = _part._of._keys[group];
                keys.CopyTo(row, _first - keys.Length);
                var cell = (group * _part._of._steps) + step;
                for (var a = 0; a < _figures.Length; a++)
                    row[_first + a] = _figures[a].OfTotals(_part.TotalsOf(cell), _facts[step]);
                return row;
            }

            /// <summary>Puts the groups of each step in order: by the first aggregate, highest first, then by name. What is
            /// missing comes last.</summary>
            public void Order(CancellationToken cancel) =>
                Parallel.For(
                    0,
                    _orders.Length,
                    new ParallelOptions { MaxDegreeOfParallelism = Workers, CancellationToken = cancel },
                    () => new double[_byName.Length],
                    (step, _, figures) =>
                    {
                        Order(step, figures);
                        return figures;
                    },
                    static _ => { }
                );

            private void Order(int step, double[] figures)
            {
                var all = 0L;
                foreach (var g in _byName)
                    all += _part._counts[(g * _part._of._steps) + step];
                var facts = _part._plan.StepFacts(step, all);
                var order = _orders[step] = new int[_byName.Length];
                _facts[step] = facts;
                for (var i = 0; i < order.Length; i++)
                {
                    var figure = _figures[0].OfTotals(_part.TotalsOf((_byName[i] * _part._of._steps) + step), facts);
                    (order[i], figures[i]) = (i, figure.IsMissing ? double.PositiveInfinity : -figure.AsDouble);
                }
                Array.Sort(figures, order);
                // Equal figures stay in the order of their names.
                for (int from = 0, to; from < order.Length; from = to)
                {
                    for (to = from + 1; to < order.Length && figures[to] == figures[from]; to++) { }
                    if (to > from + 1)
                        Array.Sort(order, from, to - from);
                }
            }
        }

        private SampleTotals TotalsOf(int cell) => new(_counts[cell], _weights[cell], _sums[cell], _mins[cell], _maxes[cell]);

        /// <summary>The table with what the cells hold.</summary>
        public GroupTable Finish()
        {
            for (var group = 0; _of._totals && group < _groups.Length; group++)
            for (var step = 0; step < _of._steps; step++)
            {
                var cell = (group * _of._steps) + step;
                if (_counts[cell] == 0)
                    continue;
                _group = group;
                var totals = TotalsOf(cell);
                var accumulators = At(step);
                for (var i = 0; i < accumulators.Length; i++)
                    if (_plan.Aggregates[i].Kind.Need == SampleNeed.Totals)
                        accumulators[i].Add(totals);
            }
            return _table;
        }
    }
}
