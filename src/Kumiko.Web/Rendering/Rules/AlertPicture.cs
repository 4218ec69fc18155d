using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>The figure of an alert with its limits, the window of the check that started it, and the alert itself.</summary>
public static class AlertPicture
{
    private const string Figure = "figure";
    private const string Compared = "compared with";

    /// <param name="until">To where the alert is drawn; null for its start alone.</param>
    public static Drawing? Draw(
        Alert alert,
        AlertValues figures,
        Window focus,
        long? until,
        string title,
        double width,
        double height,
        DateTimeZone zone,
        bool alone = false,
        IReadOnlyList<ChartEvent>? changes = null
    )
    {
        if (figures.Checks.Count < 2)
            return null;
        var (definition, unit) = (alert.Definition, RuleWords.UnitOf(alert.Definition, figures.Unit));
        var hasCompared = definition.Condition.ComparedWith is not null && figures.Compared.Any(c => c is not null);
        List<Column> columns =
        [
            new("time", ColumnRole.Time, ValueKind.Time),
            new(Figure, ColumnRole.Value, figures.IsWhole ? ValueKind.Integer : ValueKind.Decimal) { Unit = unit },
        ];
        if (hasCompared)
            columns.Add(new Column(Compared, ColumnRole.Value, ValueKind.Decimal) { Unit = unit });
        // Each figure stands at the end of its window; a step's picture begins with the step.
        var rows = figures
            .Checks.Select(
                (at, i) =>
                    (Value[])
                        [
                            Value.Time(at - figures.Step),
                            Number(figures.Values[i], figures.IsWhole),
                            .. hasCompared ? (Value[])[Number(figures.Compared[i], false)] : [],
                        ]
            )
            .ToList();
        var window = new Window(figures.Checks[0] - figures.Step, figures.Checks[^1]);
        var over = new ChartOver
        {
            Spans =
            [
                new ChartSpan(
                    alert.Started,
                    Math.Max(until ?? window.To, alert.Started + 1),
                    alert.Level.ToString().ToLowerInvariant(),
                    alert.Level == AlertLevel.Critical ? "critical" : "warning"
                ),
            ],
            Events = changes ?? [],
        };
        var spec = new ChartSpec
        {
            Form = definition.Quantity.IsFigure ? ChartForms.Line : ChartForms.Column,
            Title = title,
            Thresholds = [.. TrialPicture.Limits(definition, unit).Select(t => t with { Handle = null })],
            Layers = hasCompared
                ? [new LayerSpec(Compared) { GhostOf = Figure, Label = definition.Condition.ComparedWith! }]
                : [],
        };
        return Chart.Draw(
            new Frame(new Schema(columns, figures.Step, window), rows),
            spec,
            new ChartView(width, height, zone, window.To + figures.Step)
            {
                Over = over,
                Focus = focus,
                Alone = alone,
            }
        );
    }

    private static Value Number(double? number, bool whole)
    {
        if (number is not { } there)
            return Value.Missing;
        if (whole)
            return Value.Of((long)there);
        return Value.Of(there);
    }
}
