using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>Limits well above what is usual: twice the 95th percentile of a stretch, which a short trouble in it does not
/// lift.</summary>
public sealed class LimitProposal(RuleTrial trials)
{
    private const double Usual = 0.95;
    private const double Above = 2;
    private const double CriticalAbove = 3;
    private const double FewestOfCount = 5;

    /// <returns>Null where the rule is not whole yet.</returns>
    /// <exception cref="Evaluation.QueryRefusedException">Its query cannot be answered.</exception>
    public async Task<(double Warning, double Critical)?> Of(
        RuleDefinition definition,
        Window window,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var probe = definition with { Condition = new Beyond(false, 0, null) };
        if (probe.Faults().Count > 0)
            return null;
        var trial = await trials.Of(probe, window, snapshot, cancel);
        var values = trial
            .Measurements.Lines.SelectMany(l => l.Measurements.Select(r => r.Value))
            .Where(double.IsFinite)
            .Order()
            .ToList();
        var warning = RoundUp(values.Count == 0 ? 0 : Robust.Quantile(values, Usual) * Above);
        if (probe.Quantity is CountOf)
            warning = Math.Max(FewestOfCount, warning);
        return (warning, warning * CriticalAbove);
    }

    private static double RoundUp(double number)
    {
        if (!(number > 0))
            return 1;
        var size = Math.Pow(10, Math.Floor(Math.Log10(number)));
        return (double)((decimal)Math.Ceiling(number / size) * (decimal)size);
    }
}
