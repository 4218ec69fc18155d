using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// The rows of a set in a window, ready to be read. Making one, asking for its columns and narrowing it read none of them.
/// </summary>
public abstract class RowScan
{
    public abstract IReadOnlyList<Column> Columns { get; }

    /// <summary>The scan with only the rows that meet a condition; null where it cannot tell without testing each, which is then
    /// done behind it.</summary>
    public virtual RowScan? Narrow(Expr condition) => null;

    /// <summary>All rows, newest first where they have a time.</summary>
    /// <param name="moved">Nanoseconds by which times are moved forward.</param>
    /// <param name="sorted">Whether their order matters.</param>
    public abstract IEnumerable<Row> Rows(long moved, bool sorted);

    /// <summary>Whether all of its rows may be read as they are: they are made of rows that may, or are no collected data. Others
    /// are tested by the condition of <see cref="Access"/>.</summary>
    public virtual bool IsAllowed => false;

    /// <summary>Whether each of its rows is a sample of a series, so that growth follows the series and not the rows.</summary>
    public virtual bool HasSeries => false;

    /// <summary>Whether its values hold many values each.</summary>
    public virtual bool AreDistributions => false;

    /// <summary>One row for each thing that has many rows, such as a series of samples: what Fields count. Null where each row
    /// stands for itself.</summary>
    public virtual IEnumerable<Row>? Things() => null;

    /// <summary>Whether it can answer a group without a row for each of its rows.</summary>
    public virtual bool CanGather(GroupPlan plan) => false;

    /// <summary>What such a plan gathers.</summary>
    public virtual GroupTable GatherTable(GroupPlan plan, long moved) => throw new NotSupportedException();

    /// <summary>The answer of such a plan, as <see cref="GroupTable.Collect"/> gives it.</summary>
    public virtual Frame Gather(GroupPlan plan, Highest? highest, long moved) => GatherTable(plan, moved).Collect(highest);
}

/// <summary>A scan of rows with fixed columns, which a store gives one after another.</summary>
/// <param name="columns">One called <c>time</c> is moved where times are.</param>
/// <param name="read">The rows, in order, each with a value for each column; read only as far as asked.</param>
public sealed class ColumnScan(IReadOnlyList<Column> columns, Func<IEnumerable<Value[]>> read, CancellationToken cancel) : RowScan
{
    private const int CancelEvery = 8_192;

    /// <summary>Whether all of its rows may be read as they are.</summary>
    public bool MayAllBeRead { get; init; }

    public override bool IsAllowed => MayAllBeRead;

    public override IReadOnlyList<Column> Columns => columns;

    public override IEnumerable<Row> Rows(long moved, bool sorted)
    {
        var time = moved == 0 ? -1 : new ColumnScope(columns).IndexOf("time");
        var place = 0;
        foreach (var values in read())
        {
            if (place % CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            var slots = values;
            if (time >= 0)
            {
                slots = [.. values];
                slots[time] = Value.Time(values[time].AsLong + moved);
            }
            yield return new Row(RowSource.Columns, place++, slots);
        }
    }
}
