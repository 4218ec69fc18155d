using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>A quantity that is no figure at each check, but happens at its own times.</summary>
public abstract record Happening : Quantity
{
    public sealed override bool IsFigure => false;

    public sealed override bool IsCount => true;

    /// <summary>Whether it looks at alerts, so that all other rules are judged before it.</summary>
    public virtual bool IsOfAlerts => false;

    /// <summary>Whether it can happen between checks, by what comes in.</summary>
    public virtual bool ComesIn => false;

    /// <summary>How often it happened, in words.</summary>
    public abstract string Times(RuleWording words, double? times);

    /// <summary>Reads what a check judges.</summary>
    /// <returns>Judges it, with the state that the rule then has.</returns>
    /// <exception cref="Evaluation.QueryRefusedException">It cannot be asked; the message says why.</exception>
    public abstract Func<EvaluationState, IReadOnlyList<AlertTransition>> Check(HappeningCheck check);

    /// <summary>What it would have done in a stretch.</summary>
    /// <exception cref="Evaluation.QueryRefusedException">It cannot be asked; the message says why.</exception>
    public abstract Task<Trial> Try(HappeningTrial trial);
}

/// <summary>A check of something that happens.</summary>
/// <param name="After">The check before it.</param>
/// <param name="Now">The check.</param>
/// <param name="Starts">Alerts of rules that began in a stretch.</param>
public sealed record HappeningCheck(
    RuleDefinition Definition,
    long After,
    long Now,
    RuleValueReader Values,
    Func<Snapshot> Snapshot,
    Func<IReadOnlyList<long>, Window, IReadOnlyList<RuleStart>> Starts
);

/// <summary>A trial of something that happens.</summary>
/// <param name="Find">A rule by its id.</param>
/// <param name="Other">A trial of another rule.</param>
public sealed record HappeningTrial(
    RuleDefinition Definition,
    Window Window,
    Snapshot Snapshot,
    QuerySources Sources,
    Func<long, RuleDefinition?> Find,
    Func<RuleDefinition, Window, Task<Trial>> Other,
    CancellationToken Cancel
);
