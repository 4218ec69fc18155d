using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>Figures of one key at several checks, as they lie in a brief.</summary>
/// <param name="Checks">Instants, rising.</param>
/// <param name="Values">One for each check; null where there was none.</param>
/// <param name="Compared">What each was held against; null where there was nothing.</param>
/// <param name="Others">How many other keys there are.</param>
public sealed record AlertValues(
    IReadOnlyList<long> Checks,
    IReadOnlyList<double?> Values,
    IReadOnlyList<double?> Compared,
    string Unit,
    bool IsWhole,
    int Others
)
{
    public long Step => Checks.Count < 2 ? Instants.Minute : Checks[1] - Checks[0];
}

/// <summary>Reads the figures of an alert over a stretch, by the same path as its checks.</summary>
public sealed class AlertValueReader(RecordStore records, RuleReader reader, QuerySources sources)
{
    private const int MostPoints = 120;
    private const int MostSlowPoints = 16;

    /// <summary>Null where the rule has no figure to read.</summary>
    /// <exception cref="QueryRefusedException">It cannot be asked; the message says why.</exception>
    public async Task<AlertValues?> Read(Alert alert, Window window, CancellationToken cancel)
    {
        var definition = alert.Definition;
        if (definition.Quantity is EachRecord each)
            return await Happenings(alert, each, window, cancel);
        if (!definition.Quantity.IsFigure)
            return null;
        var (interval, most) = (definition.CheckedEvery, definition.Quantity.IsQuick ? MostPoints : MostSlowPoints);
        var step = Math.Max(1, (window.Length + (interval * most) - 1) / (interval * most)) * interval;
        var last = window.To / interval * interval;
        var checks = new List<long>();
        for (var at = last; at > window.From; at -= step)
            checks.Add(at);
        checks.Reverse();
        if (checks.Count == 0)
            return null;
        using var snapshot = records.Current;
        var measurements = await reader.Read(definition, checks, snapshot, cancel);
        var line = measurements.Lines.FirstOrDefault(l => l.Name == alert.Key);
        var none = double.IsFinite(measurements.Nothing) ? measurements.Nothing : (double?)null;
        return new AlertValues(
            checks,
            line is null ? [.. checks.Select(_ => none)] : [.. line.Measurements.Select(r => Finite(r.Value))],
            line is null ? [.. checks.Select(_ => (double?)null)] : [.. line.Measurements.Select(r => Finite(r.Compared))],
            RuleChecker.UnitOf(measurements),
            measurements.Kind == ValueKind.Integer || measurements.Nothing == 0,
            Math.Max(0, measurements.Lines.Count - 1)
        );
    }

    private async Task<AlertValues?> Happenings(Alert alert, EachRecord each, Window window, CancellationToken cancel)
    {
        var step = Steps.RoundFor(window, MostPoints);
        using var run = new Run(
            new Question(
                "rule",
                Language.QueryParser.Parse(AlertRecords.With(each.Query, alert.Definition.Keys, alert.Keys)),
                window,
                window.To,
                alert.Definition.TimeZone,
                Limits.Default
            ),
            records.Current,
            sources
        );
        using var reading = run.Attach(cancel);
        var span = new Window(window.From / step * step, window.To);
        var histogram = await run.Histogram(span, step);
        return new AlertValues(
            [.. Enumerable.Range(1, histogram.Steps).Select(i => span.From + (i * step))],
            [.. Enumerable.Range(0, histogram.Steps).Select(i => (double?)histogram.Total(i))],
            [.. new double?[histogram.Steps]],
            "",
            true,
            0
        );
    }

    private static double? Finite(double value) => double.IsFinite(value) ? value : null;
}
