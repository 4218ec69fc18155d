namespace Kumiko.Core.Language;

/// <summary>Makes a query from a query, changing what a derived class says and leaving all else as it is.</summary>
public abstract class QueryRewriter
{
    public virtual Query Visit(Query query) =>
        query with
        {
            With = new Seq<Binding>(query.With.Select(b => b.Query is { } inner ? b with { Query = Visit(inner) } : b)),
            Match = query.Match is { } match ? VisitMatch(match) : null,
            Stages = new Seq<Stage>(query.Stages.Select(Visit)),
        };

    protected virtual Expr VisitMatch(Expr match) => Visit(match);

    protected virtual Stage Visit(Stage stage) => stage.Rewrite(Visit);

    private Seq<Expr> Visit(Seq<Expr> items) => new(items.Select(Visit));

    protected virtual Expr Visit(Expr expr) =>
        expr switch
        {
            And and => and with { Items = Visit(and.Items) },
            Or or => or with { Items = Visit(or.Items) },
            Not not => not with { Inner = Visit(not.Inner) },
            Compare compare => compare with { Left = Visit(compare.Left), Right = Visit(compare.Right) },
            InList list => list with { Left = Visit(list.Left), Items = new Seq<Literal>(list.Items.Select(Literal)) },
            InRange range => range with
            {
                Left = Visit(range.Left),
                From = range.From is { } from ? Literal(from) : null,
                To = range.To is { } to ? Literal(to) : null,
            },
            InNetwork network => network with { Left = Visit(network.Left) },
            RegexMatch regex => regex with { Left = Visit(regex.Left) },
            Negate negate => negate with { Inner = Visit(negate.Inner) },
            Arithmetic sum => sum with { Left = Visit(sum.Left), Right = Visit(sum.Right) },
            Call call => call with { Arguments = Visit(call.Arguments) },
            Literal literal => Literal(literal),
            _ => expr,
        };

    protected virtual Literal Literal(Literal literal) => literal;
}
