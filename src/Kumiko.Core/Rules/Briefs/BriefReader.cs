using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules.Briefs;

/// <summary>Computes briefs. What cannot be told of one part is said there, and the other parts are told.</summary>
public sealed class BriefReader(
    AlertValueReader figures,
    DifferenceReader differences,
    ChangeStore changes,
    FollowUpReader followUps,
    TimeProvider clock
)
{
    private const int MostChanges = 5;
    private const int MostCounted = 100;
    private const long ShortestSpan = Instants.Hour;
    private const long LongestSpan = 2 * Instants.Day;

    /// <summary>How far back the figure is shown.</summary>
    public static long SpanOf(RuleDefinition definition) =>
        Math.Clamp(12 * definition.InTheLast, ShortestSpan, Math.Max(LongestSpan, 2 * definition.InTheLast));

    /// <param name="rule">Null where it was removed meanwhile.</param>
    /// <param name="turn">How it started.</param>
    public async Task<Brief> Read(Alert alert, Rule? rule, AlertEvent? turn, CancellationToken cancel)
    {
        var focus = AlertRecords.Focus(alert);
        var (drawn, problem) = await Figures(alert, cancel);
        var recent = changes.In(new Window(focus.From - Instants.Hour, focus.To + alert.Definition.Delay), MostCounted);
        AlertLevel level;
        if (turn is { Level: "critical" })
            level = AlertLevel.Critical;
        else if (turn is { Level: "warning" })
            level = AlertLevel.Warning;
        else
            level = alert.Level;
        return new Brief
        {
            At = Instants.FromDateTime(clock.GetUtcNow()),
            Focus = focus,
            Level = level,
            Value = turn is null ? alert.Value : turn.Value,
            Compared = alert.Compared,
            Figures = drawn,
            FiguresProblem = problem,
            Differences = await Differences(alert, cancel),
            Changes = [.. recent.Reverse().Take(MostChanges)],
            MoreChanges = Math.Max(0, recent.Count - MostChanges),
            FollowUp = rule is { FollowUp.Length: > 0 } ? await followUps.Ask(rule, alert, cancel) : null,
            Runbook = rule?.Runbook ?? "",
        };
    }

    private async Task<(AlertValues?, string?)> Figures(Alert alert, CancellationToken cancel)
    {
        try
        {
            return (
                await figures.Read(
                    alert,
                    new Window(
                        alert.Started - SpanOf(alert.Definition),
                        alert.Started + (alert.Definition.Quantity.IsFigure ? 0 : Instants.Minute)
                    ),
                    cancel
                ),
                null
            );
        }
        catch (Exception e) when (e is QueryRefusedException or InvalidDataException or IOException)
        {
            return (null, e.Message);
        }
    }

    private async Task<BriefDifferences> Differences(Alert alert, CancellationToken cancel)
    {
        try
        {
            return await differences.Read(alert, cancel);
        }
        catch (Exception e) when (e is QueryRefusedException or InvalidDataException or IOException)
        {
            return BriefDifferences.None(e.Message);
        }
    }
}
