using System.Text.RegularExpressions;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Alerts of several rules that begin one after another.</summary>
/// <param name="Rules">Ids of rules, at least two, in their order.</param>
/// <param name="Within">From each to the next, at most; nanoseconds.</param>
/// <param name="SameKey">Whether all must have the same key.</param>
public sealed partial record InOrder(IReadOnlyList<long> Rules, long Within, bool SameKey) : Happening
{
    private const int MostRules = 10;

    private static readonly RuleInput[] Steps =
    [
        Step("First", "first", "the first rule", "choose…"),
        Step("Second", "then", "the second rule", "choose…"),
        Step("Third", "then", "the third rule", "nothing more"),
    ];
    private static readonly RuleInput Apart = new("Within", RuleInputKind.Figure, "Within")
    {
        Before = "each within",
        Named = "within how long",
        Default = "10m",
        Place = RuleInputPlace.Behind,
    };
    private static readonly RuleInput Same = new("SameKey", RuleInputKind.Check, "on the same key")
    {
        Default = "true",
        Place = RuleInputPlace.Behind,
    };

    private static RuleInput Step(string name, string before, string named, string none) =>
        new(name, RuleInputKind.Rule, name + " rule")
        {
            Before = before,
            Named = named,
            Placeholder = none,
            Place = RuleInputPlace.Behind,
        };

    public static readonly QuantityKind Kind = new("order", typeof(InOrder), "alerts of rules, one after another", Read)
    {
        Inputs = [.. Steps, Apart, Same],
        TakesKeys = false,
        Begins = "rules",
        ReadText = (_, line) => Line().Match(line) is { Success: true } order ? Read(order.Groups) : null,
    };

    private static InOrder Read(RuleFieldReader form)
    {
        var rules = Steps.Where((s, i) => i < 2 || form.Text(s).Length > 0).Select(form.Chosen).ToList();
        return new InOrder(rules, form.Length(Apart), form.Is(Same, "true"));
    }

    private static InOrder Read(GroupCollection of) =>
        new(
            [.. of[1].Value.Split(" then ").Select(r => (long)RuleTextReader.Whole(r))],
            RuleTextReader.Length(of[2].Value),
            of[3].Success
        );

    public override bool IsOfAlerts => true;

    public override void Check(RuleDefinition definition, ICollection<string> faults)
    {
        if (Rules.Count is < 2 or > MostRules)
            faults.Add($"Choose 2 to {MostRules} rules, in their order.");
        if (Within is < Instants.Second or > RuleDefinition.LongestWindow)
            faults.Add("Let the next follow within 1s to 28d.");
    }

    public override string Print() =>
        FormattableString.Invariant($"rules {string.Join(" then ", Rules)} within {RuleText.Length(Within)}")
        + (SameKey ? " on the same key\n" : "\n");

    public override void Fill(RuleFields fields)
    {
        for (var i = 0; i < Steps.Length; i++)
            fields[Steps[i]] = i < Rules.Count ? RuleFields.Number(Rules[i]) : null;
        (fields[Apart], fields[Same]) = (RuleFields.Length(Within), SameKey ? "true" : null);
    }

    public override string Words(RuleWording words, string each) =>
        $"{string.Join(", then ", Rules.Select(words.Rule))} within {words.Duration(Within)}"
        + (SameKey ? ", of the same key" : "");

    public override string WordsOfRows => "alerts of other rules";

    public override string Times(RuleWording words, double? times) =>
        times > 1 ? words.Count((long)times.Value, "time", "times") + " in order" : "happened in order";

    public override Func<EvaluationState, IReadOnlyList<AlertTransition>> Check(HappeningCheck check)
    {
        var starts = check.Starts(Rules, new Window(check.After - (Within * Rules.Count), check.Now));
        return state => Sequences(check.Definition, state, starts, check.After, check.Now);
    }

    /// <summary>What began in order since the last check; and what has been quiet since.</summary>
    private List<AlertTransition> Sequences(
        RuleDefinition definition,
        EvaluationState state,
        IReadOnlyList<RuleStart> starts,
        long after,
        long until
    )
    {
        var (evaluator, transitions) = (new RuleEvaluator(definition, state), new List<AlertTransition>());
        foreach (var found in AlertSequences.Find(this, starts).Where(s => s.Last.At >= after && s.Last.At < until))
        {
            transitions.AddRange(evaluator.Calm(found.Last.At));
            if (evaluator.Happened(found.Last.Name, found.Last.Keys, found.Last.At) is { } transition)
                transitions.Add(transition);
        }
        transitions.AddRange(evaluator.Calm(until));
        return transitions;
    }

    public override async Task<Trial> Try(HappeningTrial trial)
    {
        var (window, starts) = (trial.Window, new List<RuleStart>());
        var before = Within * (Rules.Count - 1);
        foreach (var id in Rules.Distinct())
        {
            var step = trial.Find(id) ?? throw new QueryRefusedException($"One of the rules is no longer there. Choose another.");
            if (step.Quantity is Happening { IsOfAlerts: true })
                throw new QueryRefusedException($"A rule of alerts in order cannot be part of another.");
            var from = Math.Max(window.From - before, window.To - RuleTrial.Longest);
            var tried = await trial.Other(step, new Window(from, window.To));
            starts.AddRange(tried.Episodes.Select(e => new RuleStart(id, e.From, e.Key, e.Keys)));
        }
        starts.Sort((a, b) => a.At.CompareTo(b.At));
        var episodes = new TrialEpisodes();
        episodes.Add(Sequences(trial.Definition, new EvaluationState(), starts, window.From, window.To));
        return new Trial(window, new RuleMeasurements([], [], 0), episodes.All) { Turns = episodes.Turns };
    }

    public bool Equals(InOrder? other) =>
        other is not null && Rules.SequenceEqual(other.Rules) && Within == other.Within && SameKey == other.SameKey;

    public override int GetHashCode() => HashCode.Combine(Rules.Count, Within, SameKey);

    [GeneratedRegex(@"^rules (\d+(?: then \d+)*) within (\S+)( on the same key)?$")]
    private static partial Regex Line();
}
