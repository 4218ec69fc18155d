namespace Kumiko.Core.Language;

/// <summary>A function of the language: how often it takes an argument, and a line of help.</summary>
public sealed record Function(string Name, int Fewest, int Most, bool Aggregate, string Signature, string Help);

/// <summary>All functions that a query can call.</summary>
public static class Functions
{
    private static readonly Function[] All =
    [
        Aggregate("count", 0, 1, "count() · count(condition)", "records, or those for which a condition holds"),
        Aggregate("distinct", 1, 1, "distinct(field)", "number of different values"),
        Aggregate("sum", 1, 1, "sum(field)", "total"),
        Aggregate("avg", 1, 1, "avg(field)", "mean"),
        Aggregate("min", 1, 1, "min(field)", "smallest"),
        Aggregate("max", 1, 1, "max(field)", "largest"),
        Aggregate("median", 1, 1, "median(field)", "the middle value"),
        Aggregate("p50", 1, 1, "p50(field)", "50th percentile"),
        Aggregate("p75", 1, 1, "p75(field)", "75th percentile"),
        Aggregate("p90", 1, 1, "p90(field)", "90th percentile"),
        Aggregate("p95", 1, 1, "p95(field)", "95th percentile"),
        Aggregate("p99", 1, 1, "p99(field)", "99th percentile"),
        Aggregate("p999", 1, 1, "p999(field)", "99.9th percentile"),
        Aggregate("percentile", 2, 2, "percentile(field, 97.5)", "any percentile"),
        Aggregate("stddev", 1, 1, "stddev(field)", "sample standard deviation"),
        Aggregate("first", 1, 1, "first(field)", "value of the earliest record"),
        Aggregate("last", 1, 1, "last(field)", "value of the latest record"),
        Aggregate(
            "per_second",
            0,
            1,
            "per_second() · per_second(counter)",
            "rows in a second, or growth of a counter in a second, its resets seen to"
        ),
        Aggregate("growth", 1, 1, "growth(counter)", "growth of a counter, its resets seen to"),
        Aggregate("share", 0, 0, "share()", "part of all rows of the step"),
        Aggregate("correlate", 2, 2, "correlate(a, b)", "Pearson's correlation, -1 to 1"),
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

    private static readonly Dictionary<string, Function> ByName = All.ToDictionary(f => f.Name, StringComparer.OrdinalIgnoreCase);

    public static IReadOnlyList<Function> List => All;

    public static Function? Find(string name) => ByName.GetValueOrDefault(name);

    private static Function Aggregate(string name, int fewest, int most, string signature, string help) =>
        new(name, fewest, most, true, signature, help);

    private static Function Scalar(string name, int fewest, int most, string signature, string help) =>
        new(name, fewest, most, false, signature, help);
}
