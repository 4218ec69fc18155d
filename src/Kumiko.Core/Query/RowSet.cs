using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>Rows that queries read by a name, <c>from NAME</c>; the room that owns the rows has one.</summary>
public abstract class RowSet
{
    public abstract string Name { get; }

    /// <summary>What its rows are, in a few words, for those who choose between sets.</summary>
    public abstract string Title { get; }

    /// <summary>What one of its rows, or of the things that its rows are of, is called, and what several are.</summary>
    public virtual (string One, string Many) Noun => ("row", "rows");

    /// <summary>What its rows are called, where they are not the things that Fields count.</summary>
    public virtual (string One, string Many) RowNoun => Noun;

    /// <summary>Makes a scan of what may be read. It reads no rows. Not asked of what lies in the store of records, which the
    /// executor reads.</summary>
    /// <exception cref="QueryRefusedException">There is nothing that may be read.</exception>
    public virtual RowScan Scan(ScanRequest request) => throw new NotSupportedException();

    /// <summary>Fields that could be written, where the set knows them without being read; null where its rows tell.</summary>
    /// <param name="before">All text before the caret.</param>
    public virtual IEnumerable<Completion>? Fields(CompletionPlace place, string before) => null;

    /// <summary>Values that could be written for a field, likewise.</summary>
    public virtual IEnumerable<Completion>? Values(CompletionPlace place, string field, string before) => null;
}

/// <summary>What is wanted of a set.</summary>
/// <param name="Question">Who asks, what they may read, and when.</param>
/// <param name="Snapshot">The records of the run, for sets that are made of them.</param>
/// <param name="Window">In which rows lie.</param>
/// <param name="Context">The run's instant and zone, for conditions that a set takes over.</param>
/// <param name="Cancel">Looked at while rows are read.</param>
public sealed record ScanRequest(
    Question Question,
    Snapshot Snapshot,
    Window Window,
    EvaluationContext Context,
    CancellationToken Cancel
)
{
    public Access Access => Question.Access;

    /// <summary>A run of another query over the same records, for the same person; to be disposed.</summary>
    public Run Open(ParseResult query, Window window) =>
        new(
            Question with
            {
                Parsed = query,
                Window = window,
                Parameters = System.Collections.Immutable.ImmutableDictionary<string, string>.Empty,
            },
            Snapshot.Share()
        );

    /// <summary>The answer of a query over the same records, for the same person.</summary>
    public Frame Ask(ParseResult query, Window window)
    {
        using var run = Open(query, window);
        using var stop = Cancel.Register(run.Stop);
        return run.Frame().GetAwaiter().GetResult();
    }
}

/// <summary>Sets whose names come and go while Kumiko runs.</summary>
public interface IRowSetFamily
{
    IReadOnlyCollection<string> Names();

    /// <summary>Null where there is none of this name.</summary>
    RowSet? Find(string name);
}

/// <summary>All sets that queries can read besides the logs.</summary>
public sealed class RowSetBook(IEnumerable<RowSet> sets, IRowSetFamily? family = null)
{
    private readonly Dictionary<string, RowSet> _sets = sets.ToDictionary(s => s.Name, StringComparer.Ordinal);

    public RowSet? Find(string name) => _sets.GetValueOrDefault(name) ?? family?.Find(name);

    public IEnumerable<RowSet> All => _sets.Values.Concat(FamilyNames().Select(n => family!.Find(n)).OfType<RowSet>());

    /// <summary>Names that queries can use.</summary>
    public IReadOnlyCollection<string> Names() => [.. _sets.Keys, .. FamilyNames()];

    private IReadOnlyCollection<string> FamilyNames() => family?.Names() ?? [];

    /// <summary>The same sets with another, in the place of one of its name.</summary>
    public RowSetBook With(RowSet set) => new([.. _sets.Values.Where(s => s.Name != set.Name), set], family);
}
