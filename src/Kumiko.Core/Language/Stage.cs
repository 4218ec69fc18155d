namespace Kumiko.Core.Language;

/// <summary>A step of a query, which takes rows and gives rows. What a kind of stage is stands in one file: how it is written, read,
/// checked and done.</summary>
public abstract record Stage : Node
{
    /// <summary>The stage as text.</summary>
    public abstract string Print();

    /// <summary>The expressions that are asked of the rows before it.</summary>
    public virtual IEnumerable<Expr> Expressions => [];

    /// <summary>All its expressions, the aggregates among them.</summary>
    public virtual IEnumerable<Expr> AllExpressions => Expressions;

    /// <summary>The stage with each of its expressions as they are made anew.</summary>
    public virtual Stage Rewrite(Func<Expr, Expr> visit) => this;

    /// <summary>Finds what is well written but cannot mean anything, and says which columns there are behind it.</summary>
    public virtual void Check(StageChecks checks) { }

    /// <summary>Names that it makes.</summary>
    public virtual IEnumerable<string> Makes => [];

    /// <summary>Whether only what it makes is there behind it.</summary>
    public virtual bool HidesOthers => false;

    /// <summary>Whether names that are bound to values stand for them in it; in others they are names of columns.</summary>
    public virtual bool TakesConstants => true;

    /// <summary>Whether it looks at one row after the other, so that what it leaves can be counted while records are read.</summary>
    public virtual bool IsRowByRow => false;

    /// <summary>Whether records behind it are still records.</summary>
    public virtual bool KeepsRecords => false;

    /// <summary>A column keeps the name it had before its expression changed.</summary>
    protected static Seq<Named> Rewritten(Seq<Named> items, Func<Expr, Expr> visit) =>
        new(items.Select(i => visit(i.Expr) is var expr && expr == i.Expr ? i : i with { Expr = expr, Alias = i.Name }));
}

/// <summary>What is known of a query up to the stage that is checked.</summary>
public sealed class StageChecks(List<SyntaxError> errors)
{
    /// <summary>Columns of the rows; null while they are records, or not told.</summary>
    public HashSet<string>? Columns { get; set; }

    /// <summary>Whether there was a group.</summary>
    public bool IsGrouped { get; set; }

    /// <summary>Whether there is a row for each step of time.</summary>
    public bool IsPerStep { get; set; }

    /// <summary>The stage right before; null for the first.</summary>
    public Stage? Before { get; internal set; }

    public void Error(TextSpan span, string message) => errors.Add(new SyntaxError(span, message));

    /// <summary>The names of columns, which have to differ.</summary>
    public HashSet<string> Distinct(IEnumerable<Named> items, IEnumerable<string> already)
    {
        var columns = new HashSet<string>(already, StringComparer.Ordinal);
        foreach (var named in items)
            if (!columns.Add(named.Name))
                Error(named.Span, $"Two columns are called “{named.Name}”. Give one another name with as.");
        return columns;
    }
}

/// <summary>A kind of stage by its word: how it is read, and what helps to write it.</summary>
/// <param name="Word">In small letters.</param>
/// <param name="Title">How it is written.</param>
/// <param name="Help">What it does, in a line.</param>
/// <param name="Parse">Reads what stands behind the word; null where that is wrong, which it has said.</param>
public sealed record StageKind(string Word, string Title, string Help, Func<QueryParser, Stage?> Parse)
{
    /// <summary>Words that can stand in it.</summary>
    public IReadOnlyList<string> Keywords { get; init; } = [];

    /// <summary>The word as a sentence names it.</summary>
    public string Named { get; init; } = Word;

    /// <summary>How it was called once.</summary>
    public string? FormerWord { get; init; }

    /// <summary>Whether a set of rows is named right behind the word.</summary>
    public bool TakesSet { get; init; }

    /// <summary>Whether expressions can stand in it, and not fields alone.</summary>
    public bool TakesExpressions { get; init; } = true;

    /// <summary>Whether aggregates can, and whether they are what is mostly meant.</summary>
    public bool TakesAggregates { get; init; }
    public bool PrefersAggregates { get; init; }
}

/// <summary>The kinds of stages that queries know, in the order in which they are mostly used.</summary>
public static class StageKinds
{
    private static System.Collections.Immutable.ImmutableArray<StageKind> _all = [];

    public static IReadOnlyList<StageKind> All => _all;

    public static IEnumerable<string> Words => _all.Select(kind => kind.Word);

    /// <summary>Makes a kind known, once and for all.</summary>
    public static void Add(StageKind kind) =>
        System.Collections.Immutable.ImmutableInterlocked.Update(
            ref _all,
            (all, added) => all.Any(k => k.Word == added.Word) ? all : all.Add(added),
            kind
        );

    public static StageKind? Find(string word) => _all.FirstOrDefault(kind => Keywords.Is(kind.Word, word));
}
