using Kumiko.Core.Language;

namespace Kumiko.Core.Query;

/// <summary>How many records one condition takes.</summary>
/// <param name="Stage">The stage it stands in; 0 for the match.</param>
/// <param name="Condition">As written; an <c>or</c> group is one.</param>
/// <param name="Alone">Records of the focus that meet it.</param>
/// <param name="Left">Those that meet it and all conditions written before it.</param>
/// <param name="Missing">For <c>!=</c>: how many of <paramref name="Alone"/> do not have the field at all; else null.</param>
public sealed record ConditionCount(int Stage, Expr Condition, long Alone, long Left, long? Missing);

/// <summary>How many rows a <c>parse</c> fitted, of those that reached it.</summary>
public sealed record FitCount(int Stage, long Fitted, long Of);

/// <summary>Rows of a join that found no partner, and that found several.</summary>
public sealed record JoinCount(int Stage, long Unmatched, long Multiplied);

/// <param name="All">Records in the focus before any condition.</param>
/// <param name="Left">What the match left, then each stage: records, and rows behind a group; <see cref="NotCounted"/> where rows
/// were gathered without being read one by one.</param>
/// <param name="RecordStages">How many of them count records; the rest count rows. None where another set than the logs is
/// read.</param>
public sealed record StageCounts(long All, IReadOnlyList<long> Left, int RecordStages)
{
    /// <summary>False while counting goes on: then every number is at least so large.</summary>
    public bool IsDone { get; init; } = true;

    public IReadOnlyList<ConditionCount> Conditions { get; init; } = [];
    public IReadOnlyList<FitCount> Fits { get; init; } = [];
    public IReadOnlyList<JoinCount> Joins { get; init; } = [];

    /// <summary>Records that the answer is made of.</summary>
    public long Records => RecordStages == 0 ? 0 : Left[RecordStages - 1];

    public const long NotCounted = -1;
}
