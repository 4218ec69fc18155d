using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>How an objective stands.</summary>
/// <param name="Kept">The share of good events over its period; null where there were none.</param>
/// <param name="Left">The share of its budget that is left; below 0 where more failed than may.</param>
/// <param name="Hour">The burn rate over an hour: 1 burns the whole budget in the whole period.</param>
/// <param name="Minutes">The burn rate over five minutes.</param>
/// <param name="Problem">Why it cannot be told; null where it can.</param>
public sealed record ObjectiveNow(double? Kept, double? Left, double? Hour, double? Minutes, string? Problem);

/// <summary>Reads how objectives stand and stood.</summary>
public sealed class ObjectiveReader(RuleValueReader values)
{
    public const long Long = Instants.Hour;
    public const long Short = 5 * Instants.Minute;

    private static RuleDefinition Asking(Objective objective, long inTheLast, long checkedEvery) =>
        new()
        {
            Quantity = new BudgetBurnt(objective.Id),
            Condition = new Beyond(false, 0, null),
            InTheLast = inTheLast,
            CheckedEvery = checkedEvery,
            Zone = objective.Zone,
        };

    public async Task<ObjectiveNow> Now(Objective objective, long now, Snapshot snapshot, CancellationToken cancel)
    {
        try
        {
            var end = now / Instants.Minute * Instants.Minute;
            var request = values.Request(Asking(objective, Instants.Hour, Instants.Minute), [end], snapshot, cancel);
            var (good, all) = (await values.Objectives.Counts(objective, request))[0];
            async Task<double?> Rate(long length)
            {
                var asked = values.Request(Asking(objective, length, Instants.Minute), [end], snapshot, cancel);
                var failing = (await values.Objectives.Failing(objective, asked))[0];
                return double.IsFinite(failing) ? failing / objective.Budget : null;
            }
            var bad = Math.Max(0, all - good);
            return new ObjectiveNow(
                all > 0 ? 1 - (bad / all) : null,
                all > 0 ? 1 - (bad / all / objective.Budget) : null,
                await Rate(Long),
                await Rate(Short),
                null
            );
        }
        catch (QueryRefusedException e)
        {
            return new ObjectiveNow(null, null, null, null, e.Message);
        }
    }

    /// <summary>The share of the budget left, and the burn rate over an hour, at the end of each step of a stretch.</summary>
    /// <returns>Columns time, budget left, burn rate.</returns>
    public async Task<Frame> History(Objective objective, Window window, long step, Snapshot snapshot, CancellationToken cancel)
    {
        var ends = new List<long>();
        for (var at = (window.From / step * step) + step; at <= window.To; at += step)
            ends.Add(at);
        var definition = Asking(objective, Instants.Hour, Math.Min(step, Instants.Hour));
        var request = values.Request(definition, ends, snapshot, cancel);
        var counts = await values.Objectives.Counts(objective, request);
        var rates = await values.Objectives.Failing(objective, request);
        List<Column> columns =
        [
            new("time", ColumnRole.Time, ValueKind.Time),
            new("budget left", ColumnRole.Value) { Unit = "1" },
            new("burn rate", ColumnRole.Value),
        ];
        return new Frame(
            new Schema(columns, step, window),
            [
                .. ends.Select(
                    (end, i) =>
                        new[]
                        {
                            Value.Time(end - step),
                            counts[i].All > 0
                                ? Value.Of(1 - (Math.Max(0, counts[i].All - counts[i].Good) / counts[i].All / objective.Budget))
                                : Value.Missing,
                            double.IsFinite(rates[i]) ? Value.Of(rates[i] / objective.Budget) : Value.Missing,
                        }
                ),
            ]
        );
    }
}
