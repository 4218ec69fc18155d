using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>How much of a processor checking takes: what each rule's last check took, as often as it is checked.</summary>
public sealed class RuleLoad(RuleStore rules)
{
    public double Share => rules.Rules().Where(r => !r.Paused).Sum(r => (double)r.Took / r.Definition.CheckedEvery);

    public string Words
    {
        get
        {
            var share = Share;
            return share < 0.001
                ? "Checking takes less than 0.1\u2009% of one processor."
                : FormattableString.Invariant($"Checking takes {share * 100:0.#}\u2009% of one processor.");
        }
    }
}
