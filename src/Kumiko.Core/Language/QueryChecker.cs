namespace Kumiko.Core.Language;

/// <summary>
/// What is well written but cannot mean anything: aggregates outside group, columns of the same name, stages
/// that need another one before them.
/// </summary>
internal static class QueryChecker
{
    public static void Check(Query query, List<SyntaxError> errors)
    {
        foreach (var binding in query.With)
            if (binding.Query is { } inner)
                Check(inner, errors);
        var checks = new StageChecks(errors);
        foreach (var stage in query.Stages)
        {
            foreach (var call in stage.Expressions.SelectMany(Calls))
                if (Functions.Find(call.Name)!.Aggregate && checks.Columns?.Contains(QueryPrinter.Print(call)) != true)
                    checks.Error(
                        call.Span,
                        $"{call.Name}( ) is an aggregate. Use it right after group, or give its name from an earlier group."
                    );
            foreach (var expr in stage.AllExpressions)
                CheckRegexes(expr, errors);
            stage.Check(checks);
            checks.Before = stage;
        }
    }

    private static void CheckRegexes(Expr expr, List<SyntaxError> errors)
    {
        switch (expr)
        {
            case RegexLiteral:
                errors.Add(new SyntaxError(expr.Span, "A regular expression stands behind ~, or inside extract( )."));
                break;
            case Call { Name: "extract" } extract:
                CheckRegexes(extract.Arguments[0], errors);
                if (extract.Arguments[1] is not RegexLiteral)
                    errors.Add(
                        new SyntaxError(
                            extract.Arguments[1].Span,
                            "The second argument of extract( ) is a regular expression, such as /took (\\d+)/."
                        )
                    );
                break;
            case Call { Name: "lookup" } lookup
                when lookup.Arguments[0] is not Literal { Quoted: true } || lookup.Arguments[2] is not Literal { Quoted: true }:
                errors.Add(
                    new SyntaxError(
                        lookup.Span,
                        "lookup( ) takes the table's name and the column's name in quotes, and the key between them."
                    )
                );
                break;
            case Call { Name: "percentile" } percentile
                when percentile.Arguments[1] is not Literal literal || !(literal.ToValue().AsDouble is >= 0 and <= 100):
                errors.Add(
                    new SyntaxError(
                        percentile.Arguments[1].Span,
                        "The second argument of percentile( ) is a number from 0 to 100."
                    )
                );
                break;
            default:
                foreach (var part in Parts(expr))
                    CheckRegexes(part, errors);
                break;
        }
    }

    // The arguments of an aggregate that is found as a column are part of its name.
    private static IEnumerable<Call> Calls(Expr expr) =>
        expr is Call call && Functions.Find(call.Name)!.Aggregate
            ? [call]
            : Parts(expr).SelectMany(Calls).Concat(expr is Call own ? [own] : []).Where(c => Functions.Find(c.Name)!.Aggregate);

    /// <summary>Whether a field of this name stands anywhere in an expression.</summary>
    internal static bool Mentions(Expr expr, string field) =>
        (expr is Field named && named.Name == field) || Parts(expr).Any(part => Mentions(part, field));

    /// <summary>The expressions that one is made of.</summary>
    internal static IEnumerable<Expr> Parts(Expr expr) =>
        expr switch
        {
            Call call => call.Arguments,
            And and => and.Items,
            Or or => or.Items,
            Not not => [not.Inner],
            Negate negate => [negate.Inner],
            Arithmetic sum => [sum.Left, sum.Right],
            Compare compare => [compare.Left, compare.Right],
            InList list => [list.Left],
            InRange range => [range.Left],
            InNetwork network => [network.Left],
            RegexMatch regex => [regex.Left],
            Exists exists => [exists.Field],
            _ => [],
        };
}
