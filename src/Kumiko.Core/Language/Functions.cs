using System.Collections.Immutable;

namespace Kumiko.Core.Language;

/// <summary>A function of the language: how often it takes an argument, and a line of help.</summary>
public sealed record Function(string Name, int Fewest, int Most, bool Aggregate, string Signature, string Help);

/// <summary>All functions that a query can call.</summary>
public static class Functions
{
    private static readonly Function[] Scalars =
    [
        Scalar("if", 3, 3, "if(condition, a, b)", "a where the condition holds, else b"),
        Scalar("coalesce", 1, 16, "coalesce(a, b, …)", "the first that is there"),
        Scalar("number", 1, 1, "number(text)", "text read as a number or quantity"),
        Scalar("text", 1, 1, "text(value)", "the value as text"),
        Scalar("lower", 1, 1, "lower(text)", "in small letters"),
        Scalar("upper", 1, 1, "upper(text)", "in capitals"),
        Scalar("length", 1, 1, "length(text)", "number of characters, or of list items"),
        Scalar("contains", 2, 2, "contains(text, part)", "whether the part is in it, spelled so"),
        Scalar("starts", 2, 2, "starts(text, part)", "whether it begins with the part"),
        Scalar("ends", 2, 2, "ends(text, part)", "whether it ends with the part"),
        Scalar("replace", 3, 3, "replace(text, part, with)", "every such part replaced"),
        Scalar("extract", 2, 2, "extract(text, /re/)", "what the expression's first group matches, or all of it"),
        Scalar("round", 1, 2, "round(number, digits)", "to the nearest"),
        Scalar("floor", 1, 1, "floor(number)", "down to a whole number"),
        Scalar("ceil", 1, 1, "ceil(number)", "up to a whole number"),
        Scalar("floor_to", 2, 2, "floor_to(x, width)", "down to a multiple of the width"),
        Scalar("abs", 1, 1, "abs(number)", "without its sign"),
        Scalar("log", 1, 2, "log(number) · log(number, base)", "natural logarithm, or to a base"),
        Scalar("sqrt", 1, 1, "sqrt(number)", "square root"),
        Scalar("exp", 1, 1, "exp(number)", "e to this power"),
        Scalar("hour", 1, 1, "hour(time)", "hour of the day in the query's zone"),
        Scalar("weekday", 1, 1, "weekday(time)", "1 for Monday to 7 for Sunday, in the query's zone"),
        Scalar("date", 1, 1, "date(time)", "the day in the query's zone, as 2026-11-23"),
        Scalar("lookup", 3, 3, "lookup(\"table\", key, \"column\")", "the column of the table's row with this key"),
        Scalar("now", 0, 0, "now()", "the instant of this run"),
    ];

    private static ImmutableArray<Function> _aggregates = [];

    /// <summary>Makes an aggregate known, once and for all.</summary>
    public static void Add(Function aggregate) =>
        ImmutableInterlocked.Update(
            ref _aggregates,
            (all, added) => all.Any(f => f.Name == added.Name) ? all : all.Add(added),
            aggregate
        );

    public static IReadOnlyList<Function> List => [.. _aggregates, .. Scalars];

    public static Function? Find(string name)
    {
        foreach (var aggregate in _aggregates)
            if (Keywords.Is(aggregate.Name, name))
                return aggregate;
        return ScalarsByName.GetValueOrDefault(name);
    }

    private static readonly Dictionary<string, Function> ScalarsByName = Scalars.ToDictionary(
        f => f.Name,
        StringComparer.OrdinalIgnoreCase
    );

    private static Function Scalar(string name, int fewest, int most, string signature, string help) =>
        new(name, fewest, most, false, signature, help);
}
