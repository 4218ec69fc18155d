using System.Collections.Immutable;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>What of a metric's samples an aggregate is made from.</summary>
public enum SampleNeed
{
    /// <summary>It is made from rows alone.</summary>
    Rows,

    /// <summary>Their number, sum and extremes, which are kept by the minute and hour.</summary>
    Totals,

    /// <summary>How much the mean of what is kept deviates.</summary>
    Moments,

    /// <summary>The earliest and the latest.</summary>
    Edges,

    /// <summary>What each series grew by.</summary>
    Growth,

    /// <summary>The values themselves, or sketches of them.</summary>
    Values,
}

/// <summary>An aggregate by its name: how it is called, how it gathers, and what a column, a sample and a slice can do for
/// it.</summary>
/// <param name="name">As queries call it.</param>
/// <param name="fewest">Arguments.</param>
/// <param name="signature">How it is written.</param>
/// <param name="help">What it gives, in a few words.</param>
public abstract class AggregateKind(string name, int fewest, int most, string signature, string help)
{
    /// <summary>The function as the language knows it.</summary>
    public Function Function { get; } = new(name, fewest, most, true, signature, help);

    /// <summary>What it is called where one chooses between aggregates; null where it is no choice.</summary>
    public string? Choice { get; init; }

    /// <summary>Its choices, each with what is written for it and whether a field belongs to it.</summary>
    public virtual IEnumerable<(string Name, string Words, bool TakesField)> Choices =>
        Choice is null ? [] : [(Function.Name, Choice, Function.Fewest > 0)];

    /// <summary>The kind that a call is of, where the number of arguments decides.</summary>
    public virtual AggregateKind Of(Call call) => this;

    /// <summary>What gathers the values of one group.</summary>
    public abstract Accumulator Create(Call call, MemoryMeter memory);

    /// <summary>What an empty step holds: nothing was counted, everything else is not known.</summary>
    public virtual Value Empty => Value.Missing;

    /// <summary>What it is measured in.</summary>
    /// <param name="of">The unit of its argument; empty for none.</param>
    /// <param name="areDistributions">Whether each value holds many.</param>
    public virtual string UnitOf(string of, bool areDistributions) => of;

    /// <summary>Whether it is of two values of each row.</summary>
    public virtual bool TakesTwo => false;

    /// <summary>Whether a condition as its argument says which rows count.</summary>
    public virtual bool TakesCondition => false;

    /// <summary>Whether it asks for texts as well as for quantities, so that whole numbers of a column are no short cut.</summary>
    public virtual bool TakesAnyValue => false;

    /// <summary>Whether it depends on which record a value is of.</summary>
    public virtual bool NeedsIds => false;

    /// <summary>Whether it follows a counter from step to step.</summary>
    public virtual bool FollowsCounter => false;

    /// <summary>Whether it tells something of each second, so that several stretches have its mean.</summary>
    public virtual bool IsRate => false;

    /// <summary>Whether it is a part of all rows of the step.</summary>
    public virtual bool IsPartOfRows => false;

    /// <summary>What it gives where so many rows alone tell; null where that is not enough.</summary>
    public virtual Value? OfRows(long rows, in StepFacts step) => null;

    /// <summary>What of samples it is made from.</summary>
    public virtual SampleNeed Need => SampleNeed.Rows;

    /// <summary>What it gives of samples that came to so much, where that is all it needs.</summary>
    public virtual Value OfTotals(in SampleTotals totals, in StepFacts step) => throw new NotSupportedException();

    /// <summary>Whether it takes as many arguments of samples as their value alone has.</summary>
    public bool TakesSamples(Call call) =>
        Need != SampleNeed.Rows
        && call.Arguments is [] or [Field { Name: "value" }, ..]
        && (call.Arguments.Count > 0 || CountsRows);

    /// <summary>Whether it can be called without saying of what.</summary>
    private bool CountsRows => Function.Fewest == 0;
}

/// <summary>The aggregates that queries know.</summary>
public static class AggregateKinds
{
    private static ImmutableArray<AggregateKind> _all = [];

    public static IReadOnlyList<AggregateKind> All => _all;

    /// <summary>Makes one known, once and for all.</summary>
    public static void Add(AggregateKind kind)
    {
        Functions.Add(kind.Function);
        ImmutableInterlocked.Update(
            ref _all,
            (all, added) => all.Any(k => k.Function.Name == added.Function.Name) ? all : all.Add(added),
            kind
        );
    }

    /// <summary>The kind of a call to an aggregate.</summary>
    public static AggregateKind Of(Call call) => _all.First(kind => Keywords.Is(kind.Function.Name, call.Name)).Of(call);
}
