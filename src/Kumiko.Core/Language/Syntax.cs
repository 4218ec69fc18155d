namespace Kumiko.Core.Language;

/// <summary>A parsed query: the match (null for all records), then stages in order.</summary>
/// <param name="Match">The condition of the first line; null when it is empty.</param>
/// <param name="Stages">What stands behind each pipe.</param>
/// <param name="FromLogs">Whether the text says <c>from logs</c>, which is also the default.</param>
public sealed record Query(Expr? Match, Seq<Stage> Stages, bool FromLogs = false)
{
    public static readonly Query All = new(null, new Seq<Stage>([]));

    /// <summary>Comments in their order; they print back, and do not take part in equality.</summary>
    public Comments Comments { get; init; } = Comments.None;

    /// <summary>Where the match stands in the text; where it would stand when there is none.</summary>
    public TextSpan MatchSpan { get; init; }
}

/// <param name="Text">From the dashes to the end of the line.</param>
/// <param name="Stage">0 for the match, n for the n-th stage.</param>
/// <param name="Before">Whether it stands before the first word of its stage.</param>
/// <param name="OwnLine">Whether nothing else stands before it on its line.</param>
public sealed record Comment(string Text, int Stage, bool Before, bool OwnLine);

/// <summary>The comments of a query. All sets of comments are equal, as they mean nothing.</summary>
public sealed class Comments(IReadOnlyList<Comment> items) : IEquatable<Comments>
{
    public static readonly Comments None = new([]);
    public IReadOnlyList<Comment> Items { get; } = items;
    public bool Equals(Comments? other) => other is not null;
    public override bool Equals(object? obj) => obj is Comments;
    public override int GetHashCode() => 0;
}

public abstract record Node
{
    public TextSpan Span { get; init; }
}

/// <summary>An expression or a condition. Conditions have two values: true and false.</summary>
public abstract record Expr : Node
{
    /// <summary>All of several conditions, flat: no <see cref="Language.And"/> directly inside another.</summary>
    public static Expr And(IEnumerable<Expr> items) => Flat(items, e => e is And and ? and.Items : null, s => new And(s));

    public static Expr Or(IEnumerable<Expr> items) => Flat(items, e => e is Or or ? or.Items : null, s => new Or(s));

    private static Expr Flat(IEnumerable<Expr> items, Func<Expr, Seq<Expr>?> inner, Func<Seq<Expr>, Expr> make)
    {
        var list = items.ToList();
        if (list.Count == 1) return list[0];
        // The place is that of the items as written, brackets and all.
        var span = TextSpan.Between(list[0].Span.Start, list[^1].Span.End);
        return make(new Seq<Expr>(list.SelectMany(item => inner(item) is { } more ? more : (IEnumerable<Expr>)[item]))) with { Span = span };
    }
}

public sealed record And(Seq<Expr> Items) : Expr;
public sealed record Or(Seq<Expr> Items) : Expr;
public sealed record Not(Expr Inner) : Expr;

/// <summary>A word (with <c>*</c> as wildcard) or a quoted phrase, searched in a record's texts.</summary>
public sealed record Term(string Text, bool Quoted) : Expr;

public sealed record Exists(Field Field) : Expr;

public enum CompareOp { Equal, NotEqual, Less, LessOrEqual, Greater, GreaterOrEqual }

public sealed record Compare(Expr Left, CompareOp Op, Expr Right) : Expr;
public sealed record InList(Expr Left, Seq<Literal> Items) : Expr;

/// <summary>Between two ends, both included; a null end is open.</summary>
public sealed record InRange(Expr Left, Literal? From, Literal? To) : Expr;

/// <summary>Inside a network in CIDR notation.</summary>
public sealed record InNetwork(Expr Left, string Network) : Expr;

/// <summary>A regular expression that must match somewhere in the text.</summary>
public sealed record RegexMatch(Expr Left, string Pattern, string Flags, bool Negated) : Expr;

/// <summary>A literal as it was spelled. A quoted one is text; a bare one is typed by its spelling.</summary>
public sealed record Literal(string Text, bool Quoted) : Expr;

public sealed record Field(string Name) : Expr;
public sealed record Call(string Name, Seq<Expr> Arguments) : Expr;
public sealed record Negate(Expr Inner) : Expr;

/// <summary>One of <c>+ - * / %</c>.</summary>
public sealed record Arithmetic(Expr Left, char Op, Expr Right) : Expr;

public abstract record Stage : Node;

public sealed record Where(Expr Condition) : Stage;

/// <param name="Aggregates">At least one.</param>
/// <param name="By">Keys; empty for one row over all.</param>
/// <param name="Every">The step as it was spelled (<c>5m</c>, <c>auto</c>), or null.</param>
public sealed record Group(Seq<Named> Aggregates, Seq<Named> By, string? Every) : Stage
{
    public TextSpan EverySpan { get; init; }
}

/// <summary>An expression and the name it was given, if any.</summary>
public sealed record Named(Expr Expr, string? Alias) : Node
{
    /// <summary>The column's name: the alias, a field's own name, or the printed text.</summary>
    public string Name => Alias ?? (Expr is Field plain ? plain.Name : QueryPrinter.Print(Expr));
}

public sealed record OrderItem(Expr Expr, bool Descending) : Node;
public sealed record OrderBy(Seq<OrderItem> Items) : Stage;

/// <summary>The first <paramref name="Count"/> rows, of each key where there are keys.</summary>
public sealed record Limit(long Count, Seq<Expr> By) : Stage;
