using System.Text.Json.Serialization;

namespace Kumiko.Core.Rules;

/// <summary>What a rule looks at: one figure for each key at each check, or something that happens.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "kind")]
[JsonDerivedType(typeof(CountOf), "count")]
[JsonDerivedType(typeof(ShareOf), "share")]
[JsonDerivedType(typeof(DistinctOf), "distinct")]
[JsonDerivedType(typeof(ValueOf), "figure")]
[JsonDerivedType(typeof(SlowSpans), "spans")]
[JsonDerivedType(typeof(BudgetBurnt), "budget")]
[JsonDerivedType(typeof(BurnRate), "burn")]
[JsonDerivedType(typeof(EachRecord), "record")]
[JsonDerivedType(typeof(InOrder), "order")]
public abstract record Quantity
{
    /// <summary>Whether it is a figure at every check; else it happens at its own times.</summary>
    [JsonIgnore]
    public virtual bool IsFigure => true;
}

/// <summary>How many records, samples or other rows meet a query's conditions.</summary>
public sealed record CountOf(string Query) : Quantity;

/// <summary>How many of one query for each of another.</summary>
/// <param name="Part">The query whose rows are counted above the line.</param>
/// <param name="Whole">The query whose rows are counted below it.</param>
/// <param name="Least">With fewer of the whole the share says nothing, and is not judged.</param>
public sealed record ShareOf(string Part, string Whole, long Least) : Quantity;

/// <summary>How many different values of a field.</summary>
public sealed record DistinctOf(string Query, string Field) : Quantity;

/// <summary>The first figure of a query that ends in a group: any aggregate, formula or metric. Its keys are the
/// rule's.</summary>
public sealed record ValueOf(string Query) : Quantity;

/// <summary>Spans that took longer than a limit: their number, or their share of all.</summary>
/// <param name="Service">Empty for all.</param>
/// <param name="Operation">The span's name; empty for all.</param>
/// <param name="Slower">Nanoseconds.</param>
/// <param name="Least">Of a share: with fewer spans it is not judged.</param>
public sealed record SlowSpans(string Service, string Operation, long Slower, bool AsShare, long Least) : Quantity;

/// <summary>How much of an objective's budget is burnt, over its period: 1 is all of it.</summary>
public sealed record BudgetBurnt(long Objective) : Quantity;

/// <summary>How many times as fast as it may an objective's budget burns: the lower of the rates over what is looked at and over
/// a shorter window, so that it is both lasting and present.</summary>
public sealed record BurnRate(long Objective, long Short) : Quantity;

/// <summary>Every record that meets a query's conditions, as it comes in.</summary>
public sealed record EachRecord(string Query) : Quantity
{
    public override bool IsFigure => false;
}

/// <summary>Alerts of several rules that begin one after another.</summary>
/// <param name="Rules">Ids of rules, at least two, in their order.</param>
/// <param name="Within">From each to the next, at most; nanoseconds.</param>
/// <param name="SameKey">Whether all must have the same key.</param>
public sealed record InOrder(IReadOnlyList<long> Rules, long Within, bool SameKey) : Quantity
{
    public override bool IsFigure => false;

    public bool Equals(InOrder? other) =>
        other is not null && Rules.SequenceEqual(other.Rules) && Within == other.Within && SameKey == other.SameKey;

    public override int GetHashCode() => HashCode.Combine(Rules.Count, Within, SameKey);
}
