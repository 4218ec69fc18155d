using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>Which unit a computed figure has, as UCUM spells it: sums keep it, a quotient of two alike is a share, what is not
/// known has none.</summary>
public static class UnitRules
{
    private static readonly HashSet<string> Keeping = new(StringComparer.Ordinal) { "abs", "round", "floor", "ceil", "floor_to" };

    /// <param name="unitOf">The unit of a name; empty where none is known.</param>
    public static string Of(Expr expr, Func<string, string> unitOf) => Find(expr, unitOf) ?? "";

    /// <summary>Null for a plain number, which takes on the unit of its company.</summary>
    private static string? Find(Expr expr, Func<string, string> unitOf) =>
        expr switch
        {
            Field field => unitOf(field.Name),
            Literal => null,
            Negate negate => Find(negate.Inner, unitOf),
            Arithmetic { Op: '+' or '-' or '%' } sum => Same(Find(sum.Left, unitOf), Find(sum.Right, unitOf)),
            Arithmetic { Op: '*' } product => Times(Find(product.Left, unitOf), Find(product.Right, unitOf)),
            Arithmetic { Op: '/' } quotient => Per(Find(quotient.Left, unitOf), Find(quotient.Right, unitOf)),
            Call { Name: "coalesce" } call => call.Arguments.Select(a => Find(a, unitOf)).Aggregate(Same),
            Call { Name: "if", Arguments: [_, var then, var other] } => Same(Find(then, unitOf), Find(other, unitOf)),
            Call { Arguments: [var first, ..] } call when Keeping.Contains(call.Name) => Find(first, unitOf),
            _ => "",
        };

    private static string? Same(string? a, string? b)
    {
        if (a is null)
            return b;
        if (b is null || a == b)
            return a;
        return "";
    }

    private static string? Times(string? a, string? b) =>
        a switch
        {
            null or "1" => b,
            _ => b is null or "1" ? a : "",
        };

    private static string? Per(string? a, string? b) =>
        (a, b) switch
        {
            (_, null) => a,
            (null, _) => "",
            (not "", _) when a == b => "1",
            (not "", not "") when !a.Contains('/') && !b.Contains('/') => b == "1" ? a : $"{a}/{b}",
            _ => "",
        };
}
