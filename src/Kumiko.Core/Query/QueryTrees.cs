using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;

namespace Kumiko.Core.Query;

/// <summary>Edits of queries that nobody sees written: for what people see, <see cref="QueryEdits"/> keeps their text.</summary>
public static class QueryTrees
{
    /// <summary>The records that a query chooses: its match and the where stages before anything else.</summary>
    public static Language.Query Records(this Language.Query query) =>
        query with
        {
            Stages = new Seq<Stage>(query.Stages.TakeWhile(s => s is Where)),
        };

    /// <summary>The query with one more condition on its records.</summary>
    public static Language.Query And(this Language.Query query, Expr condition) =>
        query.Match switch
        {
            null => query with { Match = condition },
            And all when all.Items.Contains(condition) => query,
            var match when match == condition => query,
            And all => query with { Match = Expr.And([.. all.Items, condition]) },
            var match => query with { Match = Expr.And([match, condition]) },
        };

    /// <summary>An aggregate of the rows of a query.</summary>
    /// <param name="per">The step of time as spelled; null for none.</param>
    public static Language.Query Grouped(
        this Language.Query query,
        Call aggregate,
        IEnumerable<Expr>? by = null,
        string? per = null
    )
    {
        var group = new Group(
            new Seq<Named>([new Named(aggregate, null)]),
            new Seq<Named>((by ?? []).Select(k => new Named(k, null))),
            per
        );
        return query with { Stages = new Seq<Stage>([.. query.Stages, group]) };
    }

    /// <summary>The rows of a query, counted.</summary>
    public static Language.Query Counted(this Language.Query query, IEnumerable<Expr>? by = null, string? per = null) =>
        query.Grouped(new Call("count", new Seq<Expr>([])), by, per);
}
