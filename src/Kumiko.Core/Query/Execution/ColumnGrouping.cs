using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>Groups the rows of a segment by its columns: keys become numbers first, and texts only once for each
/// number.</summary>
/// <param name="stored">What the store calls what the query calls so.</param>
internal sealed class ColumnGrouping(
    GroupPlan plan,
    FieldRefs fields,
    PatternView? patterns,
    long moved,
    Func<string, string> stored
)
{
    /// <summary>Of a smaller part of the rows each is asked by itself.</summary>
    private const int FewRows = 8;

    private static readonly List<Value> Levels = [.. Enumerable.Range(0, 256).Select(Value.Level)];

    private static readonly List<Value> Statuses =
    [
        .. Enum.GetValues<SpanStatus>().Select(s => SpanFields.StatusValue(SpanFields.SeverityOf(s))),
    ];

    private readonly bool _needIds = Array.Exists(plan.Aggregates, a => a.Kind.NeedsIds);

    /// <summary>Adds rows of a segment to a table.</summary>
    public void Add(SegmentScan scan, RowMask rows, GroupTable table, CancellationToken cancel)
    {
        using var arena = new Arena();
        var buffer = arena.Ints(scan.Count);
        ReadOnlySpan<int> places = buffer.AsSpan(0, rows.ToPlaces(buffer));
        if (places.IsEmpty)
            return;
        var keys = new SegmentGroups.Codes[plan.Keys.Length];
        for (var k = 0; k < keys.Length; k++)
            keys[k] = CodesOf(plan.Group.By[k].Expr, places, scan, arena, plan.Keys[k], cancel);
        var groups = new SegmentGroups(keys, scan.Count, places, arena);
        var weights = WeightsOf(scan, places, arena);
        var arguments = Array.ConvertAll(plan.Aggregates, a =>
            Argument(a, scan, arena) with
            {
                Weights = a.IsWeighted ? weights : null,
            }
        );
        if (plan.Cut is not { } cut)
        {
            Feed(scan, groups, places, step: 0, arguments, table, cancel);
            return;
        }
        var times = scan.Times;
        while (!places.IsEmpty)
        {
            var step = cut.IndexOf(times[places[0]] + moved);
            long stepEnd;
            if (step < 0)
            {
                if (cut.Starts.Count > 0)
                    stepEnd = cut.Starts[0];
                else
                    stepEnd = long.MaxValue;
            }
            else if (step == cut.Starts.Count - 1)
                stepEnd = long.MaxValue;
            else
                stepEnd = cut.Starts[step + 1];
            var count = 1;
            while (count < places.Length && times[places[count]] + moved < stepEnd)
                count++;
            if (step >= 0)
                Feed(scan, groups, places[..count], step, arguments, table, cancel);
            places = places[count..];
        }
    }

    /// <summary>Feeds the rows of one step group by group, so that each accumulator is found once and gets all its rows
    /// together.</summary>
    private void Feed(
        SegmentScan scan,
        SegmentGroups groups,
        ReadOnlySpan<int> rows,
        int step,
        ArgumentReader[] arguments,
        GroupTable table,
        CancellationToken cancel
    )
    {
        cancel.ThrowIfCancellationRequested();
        groups.Count(rows);
        var accumulators = new Accumulator[groups.Touched.Length][];
        for (var t = 0; t < accumulators.Length; t++)
            accumulators[t] = table.At(groups.In(table, groups.Touched[t]), step);
        ReadOnlySpan<int> sorted = [];
        for (var i = 0; i < arguments.Length; i++)
        {
            cancel.ThrowIfCancellationRequested();
            ref readonly var argument = ref arguments[i];
            if (plan.Aggregates[i].CountsRows && argument.Weights is null)
                for (var t = 0; t < accumulators.Length; t++)
                    ((CountAccumulator)accumulators[t][i]).Add(groups.CountOf(t));
            else if (argument is { Wholes: { } wholes, There: null, Weights: null } && !_needIds)
            {
                var numbers = groups.Sorted(rows, wholes);
                for (var t = 0; t < accumulators.Length; t++)
                    accumulators[t][i].AddWholes(argument.Kind, groups.Of(t, numbers));
            }
            else
            {
                if (sorted.IsEmpty)
                    sorted = groups.Sorted(rows);
                for (var t = 0; t < accumulators.Length; t++)
                    Each(scan, accumulators[t][i], argument, groups.Of(t, sorted), cancel);
            }
        }
    }

    private void Each(
        SegmentScan scan,
        Accumulator accumulator,
        in ArgumentReader argument,
        ReadOnlySpan<int> rows,
        CancellationToken cancel
    )
    {
        for (var i = 0; i < rows.Length; i++)
        {
            if (i % BatchTest.CancelEvery == BatchTest.CancelEvery - 1)
                cancel.ThrowIfCancellationRequested();
            var row = rows[i];
            var id = _needIds ? new RecordId(scan.Times[row] + moved, scan.Sequences[row]) : default;
            if (argument.Weights is { } weights && weights[row] != 1)
            {
                if (argument.Value(row) is { } weighted)
                    accumulator.AddTimes(weighted, argument.Second?.Invoke(row) ?? Value.Missing, id, weights[row]);
                continue;
            }
            if (argument.Wholes is not { } wholes)
                accumulator.Add(argument.First!(row), argument.Second?.Invoke(row) ?? Value.Missing, id);
            else if (argument.There is not { } there || there[row] != 0)
                accumulator.AddWhole(argument.Kind, wholes[row], id);
        }
    }

    /// <summary>How an aggregate's argument is read: by a function, or out of a column of whole numbers.</summary>
    private readonly record struct ArgumentReader(Func<int, Value>? First, Func<int, Value>? Second)
    {
        public long[]? Wholes { get; init; }

        /// <summary>How many each row stands for; null where each is one.</summary>
        public long[]? Weights { get; init; }

        /// <summary>The value of a row; null where it has no number.</summary>
        public Value? Value(int row)
        {
            if (Wholes is not { } wholes)
                return First!(row);
            return There is { } there && there[row] == 0 ? null : ValueCodec.Whole(Kind, wholes[row]);
        }

        /// <summary>1 for rows that have a number; null where all have.</summary>
        public byte[]? There { get; init; }
        public ValueKind Kind { get; init; }
    }

    /// <summary>How many each of the rows stands for; null where each is one.</summary>
    private long[]? WeightsOf(SegmentScan scan, ReadOnlySpan<int> rows, Arena arena)
    {
        if (plan.Weight is null)
            return null;
        var column = scan.Column(fields.Get(SpanFields.Weight));
        if (!column.RowByRow && column.Columns.All(c => scan.Attributes.Column(c).Decimals.IndexOfAnyExcept(1.0) < 0))
            return null;
        var weights = arena.Longs(scan.Count);
        var sampled = false;
        foreach (var row in rows)
        {
            weights[row] = column.Of(row) is { IsQuantity: true } weight ? SamplingWeight.Times(weight.AsDouble) : 1;
            sampled |= weights[row] != 1;
        }
        return sampled ? weights : null;
    }

    private ArgumentReader Argument(Aggregate aggregate, SegmentScan scan, Arena arena)
    {
        if (aggregate.CountsRows)
            return new ArgumentReader(_ => Value.True, null);
        var name =
            aggregate is { Second: null, Kind.TakesAnyValue: false } && aggregate.Call.Arguments[0] is Field field
                ? stored(field.Name)
                : null;
        if (name == SpanFields.Duration)
            return new ArgumentReader(null, null) { Wholes = scan.Durations, Kind = ValueKind.Duration };
        if (
            name is not null
            && !RecordFields.IsColumn(name)
            && scan.Column(fields.Get(name)).TryWholes(arena, out var wholes, out var there, out var kind)
        )
            return new ArgumentReader(null, null)
            {
                Wholes = wholes,
                There = there,
                Kind = kind,
            };
        return new ArgumentReader(
            Reader(aggregate.Call.Arguments[0], aggregate.Argument, aggregate.Kind.TakesCondition, scan),
            aggregate.Second is { } second ? Reader(aggregate.Call.Arguments[1], second, false, scan) : null
        );
    }

    private Func<int, Value> Reader(Expr expr, Func<Row, Value> compiled, bool counts, SegmentScan scan)
    {
        if (expr is Field field && stored(field.Name) is var name && (!counts || name != "body") && !RecordFields.IsColumn(name))
            return scan.Column(fields.Get(name)).Of;
        var source = Source(scan);
        return row => compiled(new Row(source, row, []));
    }

    private RowSource Source(SegmentScan scan) => moved == 0 ? scan : new MovedSource(scan, moved);

    private SegmentGroups.Codes CodesOf(
        Expr key,
        ReadOnlySpan<int> rows,
        SegmentScan scan,
        Arena arena,
        Func<Row, Value> compiled,
        CancellationToken cancel
    )
    {
        var codes = arena.Ints(scan.Count);
        var name = key is Field field ? stored(field.Name) : null;
        if (name is not null)
        {
            switch (name)
            {
                case SpanFields.Status:
                    var statuses = scan.Severities;
                    foreach (var row in rows)
                        codes[row] = (int)SpanFields.StatusOf(statuses[row]);
                    return new SegmentGroups.Codes(codes, Statuses);
                case "level":
                    var severities = scan.Severities;
                    foreach (var row in rows)
                        codes[row] = severities[row];
                    return new SegmentGroups.Codes(codes, Levels);
                case "service" or "host":
                    var (ofResource, names) = name == "service" ? scan.Services : scan.Hosts;
                    if (rows.Length < scan.Count / FewRows)
                    {
                        var places = arena.Longs(rows.Length);
                        scan.ResourcesOf(rows, places);
                        for (var i = 0; i < rows.Length; i++)
                            codes[rows[i]] = ofResource[places[i]];
                        return new SegmentGroups.Codes(codes, names);
                    }
                    var resources = scan.ResourceOfRow;
                    foreach (var row in rows)
                        codes[row] = ofResource[resources[row]];
                    return new SegmentGroups.Codes(codes, names);
                case "pattern":
                    scan.Bodies.TemplateOfRow.CopyTo(codes);
                    return new SegmentGroups.Codes(
                        codes,
                        [.. scan.Bodies.Templates.Select(t => patterns?.ValueOf(t.Id) ?? Value.Missing)]
                    );
                case "source":
                    return OfTexts(scan.Origin, codes, scan.Count);
                case "severity_text":
                    return OfTexts(scan.SeverityText, codes, scan.Count);
                case "trace_id":
                    return OfTexts(scan.TraceId, codes, scan.Count);
                case "span_id":
                    return OfTexts(scan.SpanId, codes, scan.Count);
                case "time" or "observed" or "body" or SpanFields.Duration or SpanFields.Failed:
                    break;
                default:
                    if (scan.Column(fields.Get(name)) is { RowByRow: false } column && rows.Length >= scan.Count / FewRows)
                        return OfColumn(column, scan, codes);
                    break;
            }
        }
        // What is computed is asked of each row, and told apart by its value.
        var source = Source(scan);
        var numbering = new Numbering();
        if (name is not null && !RecordFields.IsColumn(name))
        {
            var values = scan.Column(fields.Get(name));
            Each(row => values.Of(row), rows);
        }
        else
            Each(row => compiled(new Row(source, row, [])), rows);
        return new SegmentGroups.Codes(codes, numbering.Values);

        void Each(Func<int, Value> valueOf, ReadOnlySpan<int> asked)
        {
            for (var i = 0; i < asked.Length; i++)
            {
                if (i % BatchTest.CancelEvery == 0)
                    cancel.ThrowIfCancellationRequested();
                codes[asked[i]] = numbering.Of(valueOf(asked[i]));
            }
        }
    }

    private static SegmentGroups.Codes OfTexts((int[] Places, TextVector Texts) column, int[] codes, int count)
    {
        var numbering = new Numbering();
        var ofPlace = OfTexts(column.Texts, numbering);
        var missing = numbering.Of(Value.Missing);
        for (var row = 0; row < count; row++)
            codes[row] = column.Places[row] is var place and >= 0 ? ofPlace[place] : missing;
        return new SegmentGroups.Codes(codes, numbering.Values);
    }

    private static int[] OfTexts(TextVector texts, Numbering numbering)
    {
        var codes = new int[texts.Count];
        if (texts.Entries == 0)
        {
            for (var i = 0; i < codes.Length; i++)
                codes[i] = numbering.Of(Value.Of(texts.Text(i)));
            return codes;
        }
        var ofEntry = new int[texts.Entries];
        for (var e = 0; e < ofEntry.Length; e++)
            ofEntry[e] = numbering.Of(Value.Of(texts.EntryText(e)));
        var places = texts.Places;
        for (var i = 0; i < codes.Length; i++)
            codes[i] = ofEntry[places[i]];
        return codes;
    }

    private static SegmentGroups.Codes OfColumn(FieldColumn column, SegmentScan scan, int[] codes)
    {
        var numbering = new Numbering();
        if (column.Whole is { Texts: { Entries: > 0 } all })
        {
            for (var e = 0; e < all.Entries; e++)
                numbering.Of(Value.Of(all.EntryText(e)));
            // The places of a dictionary are such numbers already, as long as no entry stands there twice.
            if (numbering.Values.Count == all.Entries)
                return new SegmentGroups.Codes(all.PlacesBuffer, numbering.Values);
        }
        var missing = numbering.Of(Value.Missing);
        int[] ofResource = [.. column.OfResource.Select(v => numbering.Of(v))];
        column.Codes(
            codes.AsSpan(0, scan.Count),
            c =>
            {
                var values = scan.Attributes.Column(c);
                if (values.Texts is { } texts)
                    return OfTexts(texts, numbering);
                var numbers = new int[scan.Attributes.CountOf(c)];
                for (var i = 0; i < numbers.Length; i++)
                    numbers[i] = numbering.Of(values[i]);
                return numbers;
            },
            ofResource,
            missing
        );
        return new SegmentGroups.Codes(codes, numbering.Values);
    }

    /// <summary>Numbers for different values, counted from 0.</summary>
    private sealed class Numbering
    {
        private readonly Dictionary<Value, int> _places = [];
        public List<Value> Values { get; } = [];

        public int Of(in Value value)
        {
            if (_places.TryGetValue(value, out var place))
                return place;
            _places.Add(value, place = Values.Count);
            Values.Add(value);
            return place;
        }
    }
}
