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
        HashSet<string>? columns = null;
        Stage? before = null;
        var (grouped, perStep) = ((Group?)null, false);
        foreach (var stage in query.Stages)
        {
            foreach (var call in Expressions(stage).SelectMany(Calls))
                if (Functions.Find(call.Name)!.Aggregate && columns?.Contains(QueryPrinter.Print(call)) != true)
                    errors.Add(
                        new SyntaxError(
                            call.Span,
                            $"{call.Name}( ) is an aggregate. Use it right after group, or give its name from an earlier group."
                        )
                    );
            foreach (var expr in Expressions(stage).Concat(stage is Group g ? g.Aggregates.Select(a => a.Expr) : []))
                CheckRegexes(expr, errors);
            switch (stage)
            {
                case Group group:
                    (columns, grouped, perStep) = (Columns(group, errors), group, group.Per is not null);
                    break;
                case SetFields set:
                    columns?.UnionWith(set.Items.Select(i => i.Name));
                    break;
                case Select select:
                    columns = Distinct(select.Columns, [], errors);
                    perStep &= columns.Contains("time");
                    break;
                case Highest highest:
                    CheckHighest(highest, before as Group, errors);
                    break;
                case Gaps when !perStep:
                    errors.Add(new SyntaxError(stage.Span, "gaps fills empty steps. Write it behind a group with per."));
                    break;
                case Join join when grouped is null && join.On.Count == 0 && join.Kind != JoinKind.Nearest:
                    errors.Add(new SyntaxError(stage.Span, "After on come the columns that both sides have."));
                    break;
            }
            before = stage;
        }
    }

    private static void CheckHighest(Highest highest, Group? group, List<SyntaxError> errors)
    {
        if (group is null)
            errors.Add(new SyntaxError(highest.Span, "highest stands right behind a group."));
        else if (!group.By.Any(b => b.Expr == highest.Key || (highest.Key is Field key && key.Name == b.Name)))
            errors.Add(
                new SyntaxError(highest.Key.Span, "highest ranks a key of the group before it. Name one of its keys here.")
            );
        else if (!group.Aggregates.Any(a => a.Expr == highest.By || (highest.By is Field by && by.Name == a.Name)))
            errors.Add(
                new SyntaxError(highest.By.Span, "highest ranks by an aggregate of the group before it. Name one of them here.")
            );
    }

    private static HashSet<string> Columns(Group group, List<SyntaxError> errors) =>
        Distinct(group.By.Concat(group.Aggregates), group.Per is null ? [] : ["time"], errors);

    private static HashSet<string> Distinct(IEnumerable<Named> items, IEnumerable<string> already, List<SyntaxError> errors)
    {
        var columns = new HashSet<string>(already, StringComparer.Ordinal);
        foreach (var named in items)
            if (!columns.Add(named.Name))
                errors.Add(new SyntaxError(named.Span, $"Two columns are called “{named.Name}”. Give one another name with as."));
        return columns;
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

    internal static IEnumerable<Expr> Expressions(Stage stage) =>
        stage switch
        {
            Where where => [where.Condition],
            Group group => group.By.Select(b => b.Expr).Concat(group.Aggregates.SelectMany(a => ((Call)a.Expr).Arguments)),
            OrderBy order => order.Items.Select(i => i.Expr),
            Limit limit => limit.By,
            SetFields set => set.Items.Select(i => i.Expr),
            Select select => select.Columns.Select(c => c.Expr),
            Parse parse => [parse.Source],
            _ => [],
        };

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
