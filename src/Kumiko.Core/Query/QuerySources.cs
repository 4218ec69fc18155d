using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;

namespace Kumiko.Core.Query;

/// <summary>What queries can reach besides records: other sets of rows, look-up tables.</summary>
public sealed record QuerySources(RowSetBook Sets)
{
    /// <summary>What the records alone give.</summary>
    public static readonly QuerySources None = new(new RowSetBook([]));

    /// <summary>A look at a table by key, for a table and a column of it.</summary>
    public Func<string, string, Func<Value, Value>> Lookup { get; init; } = (_, _) => _ => Value.Missing;

    /// <summary>Whether a span failed, as people have set it for its service; null where its status tells.</summary>
    public Func<Evaluation.Row, bool>? Failed { get; init; }

    /// <summary>Lets runs work in turn; null for those that always may.</summary>
    public WorkGate? Gate { get; init; }

    /// <summary>What the values held for all answers together may take; null for no limit.</summary>
    public MemoryBudget? Memory { get; init; }

    /// <summary>Sentences on what of a stretch is damaged and missing in answers over it.</summary>
    public Func<Window, IReadOnlyList<string>> Damage { get; init; } = _ => [];

    /// <summary>By which the limit of time goes.</summary>
    public TimeProvider Clock { get; init; } = TimeProvider.System;
}

/// <summary>Ids of patterns in a query, each as the pattern it was merged into: links to old ones go on working.</summary>
internal static class PatternNames
{
    public static Language.Query Settle(Language.Query query, PatternView? patterns) =>
        patterns is null ? query : new Settler(patterns).Visit(query);

    private sealed class Settler(PatternView patterns) : QueryRewriter
    {
        protected override Expr Visit(Expr expr) =>
            expr switch
            {
                Compare { Left: Field { Name: "pattern" }, Right: Literal literal } compare => compare with
                {
                    Right = Settled(literal),
                },
                InList { Left: Field { Name: "pattern" } } list => list with
                {
                    Items = new Seq<Literal>(list.Items.Select(Settled)),
                },
                _ => base.Visit(expr),
            };

        private Literal Settled(Literal literal) => literal with { Text = patterns.Today(literal.Text) };
    }
}
