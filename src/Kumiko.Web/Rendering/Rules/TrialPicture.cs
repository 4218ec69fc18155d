using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>A trial as a picture: the figure over time with its limits, and the alerts above it.</summary>
public static class TrialPicture
{
    private const int MostSteps = 320;
    private const int MostLines = 6;
    private const int MostTimes = 5;

    public static Drawing? Draw(
        RuleDefinition definition,
        Trial trial,
        double width,
        double height,
        DateTimeZone zone,
        long now,
        IReadOnlyList<KnownDisturbance>? known = null
    )
    {
        if (trial.Window.Length <= 0)
            return null;
        var step = Math.Max(definition.CheckedEvery, Steps.RoundFor(trial.Window, MostSteps));
        var cut = Steps.Cut(trial.Window, step, zone);
        var unit = RuleWords.UnitOf(definition, trial.Unit);
        var (frame, layers) = definition.Quantity.IsFigure ? Figures(definition, trial, cut, unit) : Happenings(trial, cut);
        var over = new ChartOver
        {
            Spans =
            [
                .. trial.Episodes.Select(e => new ChartSpan(
                    e.From,
                    e.To ?? trial.Window.To,
                    (e.Of.Length > 0 ? e.Of + ", " : "") + e.Level.ToString().ToLowerInvariant(),
                    e.Level == AlertLevel.Critical ? "critical" : "warning"
                )),
            ],
            Events = [.. (known ?? []).Select(k => new ChartEvent(k.Window.From, k.Name, "pin"))],
        };
        var form = definition.Quantity.IsFigure ? ChartForms.Line : ChartForms.Column;
        return Chart.Draw(
            frame,
            new ChartSpec
            {
                Form = form,
                Title = "Tried on history",
                Layers = layers,
                Thresholds = Limits(definition, unit),
                Most = MostLines * 2,
                Choice = definition.Condition is { LimitsAreFigures: true, IsLow: true }
                    ? Choice.LowestTotal
                    : Choice.HighestPeak,
            },
            new ChartView(width, height, zone, now + step) { Over = over }
        );
    }

    /// <summary>Limits that stand on the axis of the figure; those on one that only one line has can be moved.</summary>
    internal static List<Threshold> Limits(RuleDefinition definition, string unit) =>
        [
            .. definition.Condition.OnAxis.Select(limit => new Threshold(
                limit.Value,
                $"{limit.Words} {RuleWords.TextOf(limit.Value, unit)}",
                limit.Handle == "limit" ? "plain" : limit.Handle
            )
            {
                Handle = limit.Handle,
            }),
        ];

    /// <summary>Of each step the figure that is nearest to trouble; the worst keys where there are many.</summary>
    private static (Frame Frame, List<LayerSpec> Layers) Figures(RuleDefinition definition, Trial trial, Steps cut, string unit)
    {
        var low = definition.Condition.IsLow;
        var lines = trial
            .Measurements.Lines.OrderByDescending(l => trial.Episodes.Count(e => e.Key == l.Name))
            .ThenByDescending(l =>
                l.Measurements.Where(r => !double.IsNaN(r.Value))
                    .Select(r => low ? -r.Value : r.Value)
                    .DefaultIfEmpty(double.MinValue)
                    .Max()
            )
            .Take(MostLines)
            .ToList();
        var comparedWith = lines.Count == 1 ? definition.Condition.ComparedWith : null;
        var keyed = lines.Count > 1 || (lines.Count == 1 && lines[0].Keys.Count > 0);
        var kind = trial.Measurements.Kind == ValueKind.Integer ? ValueKind.Integer : ValueKind.Decimal;
        const string Figure = "figure";
        const string Compared = "compared with";
        List<Column> columns = [new("time", ColumnRole.Time, ValueKind.Time)];
        if (keyed)
            columns.Add(new Column("key", ColumnRole.Key));
        columns.Add(new Column(Figure, ColumnRole.Value, kind) { Unit = unit });
        if (comparedWith is not null)
            columns.Add(new Column(Compared, ColumnRole.Value, ValueKind.Decimal) { Unit = unit });
        var rows = new List<Value[]>();
        foreach (var line in lines)
        {
            var (worst, usual) = (new double?[cut.Starts.Count], new double?[cut.Starts.Count]);
            for (var c = 0; c < trial.Measurements.Checks.Count; c++)
            {
                var measurement = line.Measurements[c];
                if (double.IsNaN(measurement.Value) || cut.IndexOf(trial.Measurements.Checks[c] - 1) is not (>= 0 and var i))
                    continue;
                if (worst[i] is { } known && (low ? known <= measurement.Value : known >= measurement.Value))
                    continue;
                (worst[i], usual[i]) = (measurement.Value, double.IsNaN(measurement.Compared) ? null : measurement.Compared);
            }
            for (var i = 0; i < worst.Length; i++)
            {
                var row = new Value[columns.Count];
                row[0] = Value.Time(cut.Starts[i]);
                if (keyed)
                    row[1] = Value.Of(line.Keys.Any(k => k.Length > 0) ? string.Join(", ", line.Keys) : "without");
                row[keyed ? 2 : 1] = Number(worst[i], kind);
                if (comparedWith is not null)
                    row[^1] = Number(usual[i], ValueKind.Decimal);
                rows.Add(row);
            }
        }
        rows.Sort((a, b) => a[0].AsLong.CompareTo(b[0].AsLong));
        List<LayerSpec> layers = comparedWith is null ? [] : [new(Compared) { GhostOf = Figure, Label = comparedWith }];
        return (new Frame(new Schema(columns, cut.Length, trial.Window), rows), layers);
    }

    private static Value Number(double? number, ValueKind kind)
    {
        if (number is not { } there || !double.IsFinite(there))
            return Value.Missing;
        if (kind == ValueKind.Integer)
            return Value.Of((long)there);
        return Value.Of(there);
    }

    /// <summary>How many alerts would have begun in each step.</summary>
    private static (Frame Frame, List<LayerSpec> Layers) Happenings(Trial trial, Steps cut)
    {
        var counts = new long[cut.Starts.Count];
        foreach (var episode in trial.Episodes)
            if (cut.IndexOf(episode.From) is var i and >= 0)
                counts[i] += (long)Math.Max(1, double.IsFinite(episode.Worst) ? episode.Worst : 1);
        return (
            new Frame(
                new Schema(
                    [
                        new Column("time", ColumnRole.Time, ValueKind.Time),
                        new Column("happened", ColumnRole.Value, ValueKind.Integer),
                    ],
                    cut.Length,
                    trial.Window
                ),
                [.. counts.Select((n, i) => new[] { Value.Time(cut.Starts[i]), Value.Of(n) })]
            ),
            []
        );
    }

    /// <summary>How the number of alerts moves with the limit; null where there is none that moves.</summary>
    public static Drawing? Curve(RuleDefinition definition, Trial trial, double width, double height)
    {
        if (trial.Curve.Count < 2)
            return null;
        var unit = definition.Condition.LimitUnit(RuleWords.UnitOf(definition, trial.Unit));
        var (warning, critical) = definition.Condition.Limits;
        (double, string)[] present =
        [
            .. new[] { (warning, "warning"), (critical, "critical") }
                .Where(p => p.Item1 is not null)
                .Select(p => (p.Item1!.Value, p.Item2)),
        ];
        // Limits far beyond the present ones would leave no room for those that are worth a thought.
        var highest = present.Select(p => p.Item1).DefaultIfEmpty(0).Max();
        var near = trial.Curve.Where(c => highest <= 0 || c.Limit <= MostTimes * highest).ToList();
        if (near.Count < 3)
            near = [.. trial.Curve];
        return LimitCurve.Draw([.. near.Select(c => (c.Limit, c.Alerts))], present, ChartUnit.Of(unit), width, height);
    }
}
