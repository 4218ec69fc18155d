using Kumiko.Core.Records;

namespace Kumiko.Core.Frames;

/// <summary>What a column of a frame means to a chart, an analysis or an export.</summary>
public enum ColumnRole : byte
{
    /// <summary>The start of a step.</summary>
    Time,

    /// <summary>Tells rows of one step apart.</summary>
    Key,

    /// <summary>A figure.</summary>
    Value,

    /// <summary>Anything else, such as a record's body.</summary>
    Detail,
}

/// <param name="Name">As the query names it.</param>
/// <param name="Role">What the column is for.</param>
/// <param name="Kind">The kind its values have where they have one; text where mixed.</param>
public sealed record Column(string Name, ColumnRole Role, ValueKind Kind = ValueKind.Text)
{
    /// <summary>The unit of its numbers as UCUM spells it; empty where none is known or the kind says it.</summary>
    public string Unit { get; init; } = "";
}

/// <summary>The columns of an answer and, where rows are steps of time, their length.</summary>
/// <param name="Columns">In the order of the answer.</param>
/// <param name="Step">Nanoseconds of a step; null where rows are no steps.</param>
/// <param name="Window">The stretch of time that was asked about.</param>
public sealed record Schema(IReadOnlyList<Column> Columns, long? Step, Window Window)
{
    /// <summary>Starts of steps that the window covers only in part.</summary>
    public IReadOnlySet<long> PartialSteps { get; init; } = System.Collections.Immutable.ImmutableHashSet<long>.Empty;

    public int IndexOf(string name)
    {
        for (var i = 0; i < Columns.Count; i++)
            if (string.Equals(Columns[i].Name, name, StringComparison.Ordinal))
                return i;
        return -1;
    }

    public int IndexOf(ColumnRole role)
    {
        for (var i = 0; i < Columns.Count; i++)
            if (Columns[i].Role == role)
                return i;
        return -1;
    }
}

/// <summary>A bounded answer: a schema and its rows, one value a column.</summary>
public sealed record Frame(Schema Schema, IReadOnlyList<Value[]> Rows)
{
    /// <summary>The columns with the kind that their first value in some rows has.</summary>
    public static IReadOnlyList<Column> WithKinds(IReadOnlyList<Column> columns, IReadOnlyList<Value[]> rows) =>
        [
            .. columns.Select(
                (c, i) =>
                    c.Role is ColumnRole.Value
                        ? c with
                        {
                            Kind = rows.Select(r => r[i]).FirstOrDefault(v => !v.IsMissing, Value.Of(0.0)).Kind,
                        }
                        : c
            ),
        ];
}

/// <summary>An answer of any length: a schema and chunks of rows, read once. The first chunk is there when the answer
/// is.</summary>
public sealed class FrameStream(Schema schema, IAsyncEnumerable<IReadOnlyList<Value[]>> chunks) : IAsyncDisposable
{
    private readonly IAsyncEnumerator<IReadOnlyList<Value[]>> _chunks = chunks.GetAsyncEnumerator();
    private bool? _hasFirst;

    public FrameStream(Frame frame)
        : this(frame.Schema, Once(frame.Rows)) { }

    public Schema Schema => schema;

    /// <summary>Makes the first chunk, so that what fails before it fails here.</summary>
    public async Task<FrameStream> Begin()
    {
        _hasFirst ??= await _chunks.MoveNextAsync();
        return this;
    }

    /// <summary>All chunks in order; to be read once.</summary>
    public async IAsyncEnumerable<IReadOnlyList<Value[]>> Chunks()
    {
        await Begin();
        for (var has = _hasFirst!.Value; has; has = await _chunks.MoveNextAsync())
            yield return _chunks.Current;
    }

    private static async IAsyncEnumerable<IReadOnlyList<Value[]>> Once(IReadOnlyList<Value[]> rows)
    {
        await Task.CompletedTask;
        yield return rows;
    }

    public ValueTask DisposeAsync() => _chunks.DisposeAsync();
}
