using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>A series for those who point: what is measured, which of it, how it becomes one figure, by what, in which
/// steps.</summary>
/// <param name="Metric">Name of a metric; empty where records are counted or a field of theirs is.</param>
/// <param name="Where">Conditions as text; empty for all.</param>
/// <param name="Function">Name of an aggregate.</param>
/// <param name="Field">What it is of; empty for those of rows.</param>
/// <param name="By">Fields that tell series apart.</param>
/// <param name="Per">The step as spelled.</param>
public sealed record SeriesBuilder(
    string Metric,
    string Where,
    string Function,
    string Field,
    IReadOnlyList<string> By,
    string Per
)
{
    /// <summary>What can be chosen, with what it means.</summary>
    public static IReadOnlyList<(string Name, string Words, bool TakesField)> Functions =>
        [.. AggregateKinds.All.SelectMany(kind => kind.Choices)];

    /// <summary>What is chosen by a call: without a field, a rate is one of rows.</summary>
    private static string ChoiceOf(Call call) =>
        call.Arguments.Count == 0 && call.Name == "per_second" ? "per_second()" : call.Name;

    public static readonly IReadOnlyList<string> Steps = ["auto", "10s", "30s", "1m", "5m", "15m", "1h", "6h", "1d"];

    /// <summary>Reads a query; null where it says more than can be pointed at.</summary>
    public static SeriesBuilder? Read(string text)
    {
        if (text.Trim().Length == 0)
            return new SeriesBuilder("", "", "count", "", [], "auto");
        var parsed = QueryParser.Parse(text);
        if (
            !parsed.Ok
            || parsed.Query.With.Count > 0
            || parsed.Query.From is { Over: not null } or { Earlier: not null } or { Set: not ("logs" or "metrics") }
        )
            return null;
        var (function, field, by, per) = ("count", "", new List<string>(), "auto");
        switch (parsed.Query.Stages.Count)
        {
            case 0:
                break;
            case 1
                when parsed.Query.Stages[0] is Group { Aggregates: [{ Expr: Call call }] } group
                    && group.By.All(b => b.Expr is Field && b.Alias is null):
                if (
                    !Functions.Any(f => f.Name == ChoiceOf(call))
                    || call.Arguments.Count > 1
                    || call.Arguments.Any(a => a is not Language.Field)
                )
                    return null;
                (function, field) = (ChoiceOf(call), call.Arguments is [Field only] ? only.Name : "");
                by = [.. group.By.Select(b => b.Name)];
                per = group.Per ?? "auto";
                break;
            default:
                return null;
        }
        List<Expr> conditions;
        if (parsed.Query.Match is And and)
            conditions = and.Items.ToList();
        else if (parsed.Query.Match is { } one)
            conditions = [one];
        else
            conditions = [];
        var metric = "";
        if (parsed.Query.From is { Set: "metrics" })
        {
            if (
                conditions.Find(c => c is Compare { Op: CompareOp.Equal, Left: Field { Name: "name" }, Right: Literal })
                is not Compare { Right: Literal name } found
            )
                return null;
            metric = name.Text;
            conditions.Remove(found);
        }
        return new SeriesBuilder(
            metric,
            conditions.Count == 0 ? "" : QueryPrinter.PrintMatch(Expr.And(conditions)),
            function,
            field,
            by,
            per
        );
    }

    /// <summary>The query; its aggregate keeps no name, so that the series' own holds.</summary>
    public string Text
    {
        get
        {
            var takes = Functions.First(f => f.Name == Function).TakesField;
            var of = Metric.Length > 0 && Field.Length == 0 ? "value" : Field;
            var group = new Group(
                new Seq<Named>([
                    new Named(new Call(Function.TrimEnd('(', ')'), new Seq<Expr>(takes ? [new Field(of)] : [])), null),
                ]),
                new Seq<Named>(By.Select(b => new Named(new Field(b), null))),
                Per
            );
            var name =
                Metric.Length == 0
                    ? null
                    : QueryPrinter.PrintMatch(new Compare(new Field("name"), CompareOp.Equal, Literals.For(Value.Of(Metric))));
            var where = Where.Trim();
            if (name is not null && where.Length > 0 && QueryParser.Parse(where).Query.Match is Or)
                where = $"({where})";
            var match = string.Join(" and ", new[] { name, where.Length > 0 ? where : null }.OfType<string>());
            return $"{(Metric.Length > 0 ? "from metrics " : "")}{match}{(match.Length > 0 ? " " : "")}| {QueryPrinter.Print(group)}";
        }
    }

    /// <summary>Why these cannot be a query; null where they can.</summary>
    public string? Problem()
    {
        if (!Functions.Any(f => f.Name == Function))
            return "Choose how it becomes one figure.";
        if (Functions.First(f => f.Name == Function).TakesField && Metric.Length == 0 && Field.Length == 0)
            return "Say which field it is of.";
        var where = QueryParser.Parse(Where);
        if (!where.Ok)
            return where.Errors[0].Describe(Where);
        if (where.Query is { Stages.Count: > 0 } or { From: not null })
            return "Write conditions alone here, such as terminal = Tarnhead.";
        return QueryParser.Parse(Text) is { Ok: false } parsed ? parsed.Errors[0].Describe(parsed.Text) : null;
    }
}
