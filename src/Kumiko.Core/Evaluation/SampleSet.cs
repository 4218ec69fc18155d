using Kumiko.Core.Frames;
using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>The samples of some series in a window, as a set that a query can read. Conditions and groups that ask only what
/// series have are answered without a row for each sample.</summary>
public abstract class SampleSet
{
    /// <summary>Time, name and value first, then the fields that its series have.</summary>
    public abstract IReadOnlyList<Column> Columns { get; }

    /// <summary>Whether its samples hold many values each.</summary>
    public abstract bool AreDistributions { get; }

    /// <summary>The set with only the series that meet a condition; null where the condition asks what samples have.</summary>
    public abstract SampleSet? Narrow(Expr condition);

    /// <summary>All samples that have a value, newest first.</summary>
    /// <param name="moved">Nanoseconds by which times are moved forward.</param>
    /// <param name="sorted">Whether their order matters.</param>
    public abstract IEnumerable<Row> Rows(long moved, bool sorted);

    /// <summary>Whether a group asks only for what series have and for figures of <c>value</c>.</summary>
    public abstract bool CanGather(GroupPlan plan);

    /// <summary>The answer of such a plan, as <see cref="GroupTable.Collect"/> gives it.</summary>
    public abstract Frame Gather(GroupPlan plan, Highest? highest, long moved);

    /// <summary>What such a plan gathers, before it is an answer.</summary>
    public abstract GroupTable GatherTable(GroupPlan plan, long moved);
}
