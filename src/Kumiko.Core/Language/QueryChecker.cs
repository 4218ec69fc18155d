namespace Kumiko.Core.Language;

/// <summary>What is well written but cannot mean anything: aggregates outside group, columns of the same name.</summary>
internal static class QueryChecker
{
    public static void Check(Query query, List<SyntaxError> errors)
    {
        HashSet<string>? columns = null;
        foreach (var stage in query.Stages)
        {
            foreach (var call in Expressions(stage).SelectMany(Calls))
                if (Functions.Find(call.Name)!.Aggregate && columns?.Contains(QueryPrinter.Print(call)) != true)
                    errors.Add(new SyntaxError(call.Span, $"{call.Name}( ) is an aggregate. Use it right after group, or give its name from an earlier group."));
            if (stage is Group group) columns = Columns(group, errors);
        }
    }

    private static HashSet<string> Columns(Group group, List<SyntaxError> errors)
    {
        var columns = new HashSet<string>(StringComparer.Ordinal);
        if (group.Every is not null) columns.Add("time");
        foreach (var named in group.By.Concat(group.Aggregates))
            if (!columns.Add(named.Name))
                errors.Add(new SyntaxError(named.Span, $"Two columns are called “{named.Name}”. Give one another name with as."));
        return columns;
    }

    private static IEnumerable<Expr> Expressions(Stage stage) => stage switch
    {
        Where where => [where.Condition],
        Group group => group.By.Select(b => b.Expr).Concat(group.Aggregates.SelectMany(a => ((Call)a.Expr).Arguments)),
        OrderBy order => order.Items.Select(i => i.Expr),
        Limit limit => limit.By,
        _ => [],
    };

    private static IEnumerable<Call> Calls(Expr expr) => expr switch
    {
        // The arguments of an aggregate that is found as a column are part of its name.
        Call call => Functions.Find(call.Name)!.Aggregate ? [call] : call.Arguments.SelectMany(Calls),
        And and => and.Items.SelectMany(Calls),
        Or or => or.Items.SelectMany(Calls),
        Not not => Calls(not.Inner),
        Negate negate => Calls(negate.Inner),
        Arithmetic sum => Calls(sum.Left).Concat(Calls(sum.Right)),
        Compare compare => Calls(compare.Left).Concat(Calls(compare.Right)),
        InList list => Calls(list.Left),
        InRange range => Calls(range.Left),
        InNetwork network => Calls(network.Left),
        RegexMatch regex => Calls(regex.Left),
        _ => [],
    };
}
