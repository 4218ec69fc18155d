using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;

namespace Kumiko.Core.Rules;

/// <summary>Every record that meets a query's conditions, as it comes in.</summary>
public sealed record EachRecord(string Query) : Happening
{
    private const int Most = 200_000;

    public static readonly QuantityKind Kind = new(
        "record",
        typeof(EachRecord),
        "every record, as it comes in",
        form => new EachRecord(form.Query(RuleInputs.Query))
    )
    {
        Inputs = [RuleInputs.Query],
        Begins = "every record of",
        ReadText = (text, line) => line == "every record of" ? new EachRecord(text.Block()) : null,
    };

    public override bool ComesIn => true;

    public override IEnumerable<RuleQuery> Queries => [new("The query", Query) { IsOneByOne = true }];

    public override string Rows => Query;

    public override string Print() => RuleText.Block("every record of", Query);

    public override void Fill(RuleFields fields) => fields[RuleInputs.Query] = Query;

    public override string Words(RuleWording words, string each) =>
        $"Every record of {RuleWording.Quoted(Query)}{each}, as it comes in";

    public override string Times(RuleWording words, double? times) => words.Count((long)(times ?? 1), "record", "records");

    /// <summary>Records are judged as they come in; a check ends what has been quiet.</summary>
    public override Func<EvaluationState, IReadOnlyList<AlertTransition>> Check(HappeningCheck check)
    {
        using (var snapshot = check.Snapshot())
            check.Values.Probe(Query, check.Definition, snapshot);
        return state => [.. new RuleEvaluator(check.Definition, state).Calm(check.Now)];
    }

    public override async Task<Trial> Try(HappeningTrial trial)
    {
        var (definition, window) = (trial.Definition, trial.Window);
        using var run = new Run(
            new Question("rule", ValueRequest.Parsed(Query), window, window.To, definition.TimeZone, Limits.Default),
            trial.Snapshot.Share(),
            trial.Sources
        );
        using var reading = run.Attach(trial.Cancel);
        var read = run.Reader(definition.Keys);
        var found = await Task.Run(() => run.Passing(null).Take(Most + 1).ToList(), trial.Cancel);
        if (found.Count > Most)
            throw new QueryRefusedException($"More than {Most:N0} records match. Narrow the query, or take a shorter trial.");
        var (state, episodes) = (new EvaluationState(), new TrialEpisodes());
        var evaluator = new RuleEvaluator(definition, state);
        found.Reverse();
        foreach (var record in found)
        {
            episodes.Add(evaluator.Calm(record.Time));
            if (read(record) is not { } keys)
                continue;
            var texts = keys.Select(k => k.IsMissing ? "" : k.ToText());
            if (evaluator.Happened(NameOf(keys), [.. texts], record.Time) is { } started)
                episodes.Add([started]);
            episodes.Worst(state);
        }
        episodes.Add(evaluator.Calm(window.To));
        return new Trial(window, new RuleMeasurements([], [], 0), episodes.All)
        {
            Turns = episodes.Turns,
            Notes = [found.Count == 1 ? "1 record matches." : FormattableString.Invariant($"{found.Count} records match.")],
        };
    }

    /// <summary>The canonical text of keys together.</summary>
    internal static string NameOf(Records.Value[] keys) => keys.Length == 0 ? "" : GroupTable.NameOf(keys);
}
