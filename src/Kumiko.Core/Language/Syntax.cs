namespace Kumiko.Core.Language;

/// <summary>A parsed query: what it reads, the match (null for all), then stages in order.</summary>
/// <param name="Match">The condition of the first line; null when it is empty.</param>
/// <param name="Stages">What stands behind each pipe.</param>
/// <param name="From">What is read; null where the text does not say, which means logs of the run's window.</param>
public sealed record Query(Expr? Match, Seq<Stage> Stages, From? From = null)
{
    public static readonly Query All = new(null, new Seq<Stage>([]));

    /// <summary>Names for queries and literals, bound before the body.</summary>
    public Seq<Binding> With { get; init; } = Seq<Binding>.Empty;

    /// <summary>Comments in their order; they print back, and do not take part in equality.</summary>
    public Comments Comments { get; init; } = Comments.None;

    /// <summary>Where the match stands in the text; where it would stand when there is none.</summary>
    public TextSpan MatchSpan { get; init; }
}

/// <summary>A set of rows to read.</summary>
/// <param name="Set"><c>logs</c>, another known set, or a name bound by <c>with</c>.</param>
/// <param name="Over">The length of time that is read, ending at the window's end, as spelled; null for the window.</param>
/// <param name="Earlier">How much before the window is read, its times moved forward, as spelled.</param>
public sealed record From(string Set, string? Over = null, string? Earlier = null)
{
    public TextSpan Span { get; init; }
}

/// <summary>A name for a query or for a literal; one of the two is null.</summary>
public sealed record Binding(string Name, Query? Query, Literal? Literal) : Node;

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
        if (list.Count == 1)
            return list[0];
        // The place is that of the items as written, brackets and all.
        var span = TextSpan.Between(list[0].Span.Start, list[^1].Span.End);
        return make(new Seq<Expr>(list.SelectMany(item => inner(item) is { } more ? more : (IEnumerable<Expr>)[item]))) with
        {
            Span = span,
        };
    }
}

public sealed record And(Seq<Expr> Items) : Expr;

public sealed record Or(Seq<Expr> Items) : Expr;

public sealed record Not(Expr Inner) : Expr;

/// <summary>A word (with <c>*</c> as wildcard) or a quoted phrase, searched in a record's texts.</summary>
public sealed record Term(string Text, bool Quoted) : Expr;

public sealed record Exists(Field Field) : Expr;

public enum CompareOp
{
    Equal,
    NotEqual,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
}

public sealed record Compare(Expr Left, CompareOp Op, Expr Right) : Expr;

public sealed record InList(Expr Left, Seq<Literal> Items) : Expr;

/// <summary>Between two ends, both included; a null end is open.</summary>
public sealed record InRange(Expr Left, Literal? From, Literal? To) : Expr;

/// <summary>Inside a network in CIDR notation.</summary>
public sealed record InNetwork(Expr Left, string Network) : Expr;

/// <summary>A regular expression that must match somewhere in the text.</summary>
public sealed record RegexMatch(Expr Left, string Pattern, string Flags, bool Negated) : Expr;

/// <summary>
/// A literal as it was spelled. A quoted one is text; a bare one is typed by its spelling, and one such as
/// <c>:terminal</c> is a parameter, optional with a question mark behind it.
/// </summary>
public sealed record Literal(string Text, bool Quoted) : Expr
{
    /// <summary>The name of the parameter that this stands for; null where it is none.</summary>
    public string? Parameter =>
        !Quoted
        && Text.Length > 1
        && Text[0] == ':'
        && Keywords.IsIdentifier(Text[1..].TrimEnd('?'))
        && !Text.EndsWith("??", StringComparison.Ordinal)
            ? Text[1..].TrimEnd('?')
            : null;

    public bool IsOptional => Text[^1] == '?';
}

/// <summary>A regular expression as an argument of a function.</summary>
public sealed record RegexLiteral(string Pattern, string Flags) : Expr;

public sealed record Field(string Name) : Expr;

public sealed record Call(string Name, Seq<Expr> Arguments) : Expr;

public sealed record Negate(Expr Inner) : Expr;

/// <summary>One of <c>+ - * / %</c>.</summary>
public sealed record Arithmetic(Expr Left, char Op, Expr Right) : Expr;

/// <summary>An expression and the name it was given, if any.</summary>
public sealed record Named(Expr Expr, string? Alias) : Node
{
    /// <summary>The column's name: the alias, a field's own name, or the printed text.</summary>
    public string Name => Alias ?? (Expr is Field plain ? plain.Name : QueryPrinter.Print(Expr));
}
