using System.Globalization;
using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>The first <paramref name="Count"/> rows, of each key where there are keys.</summary>
public sealed record Limit(long Count, Seq<Expr> By) : PipelineStage
{
    public static readonly StageKind Kind = new(
        "limit",
        "limit n for each field",
        "keeps the first rows, of each field where one is named",
        Read
    )
    {
        Keywords = ["for", "each"],
        TakesExpressions = false,
    };

    private static Limit? Read(QueryParser parser)
    {
        if (parser.WholeNumber("After limit comes a whole number, such as 20.") is not { } count)
            return null;
        var by = new List<Expr>();
        var start = parser.Begin();
        if (parser.TakeKeyword("for") && !parser.TakeKeyword("each"))
        {
            parser.Error(parser.SinceOrOne(start), "Write limit 1 for each, then the fields.");
            return null;
        }
        if (parser.Position > start || (parser.TakeKeyword("by") && parser.Renamed("for each", start)))
            do
            {
                if (parser.Expression() is not { } key)
                    return null;
                by.Add(key);
            } while (parser.Take(','));
        return new Limit(count, new Seq<Expr>(by));
    }

    public override string Print() =>
        "limit "
        + Count.ToString(CultureInfo.InvariantCulture)
        + (By.Count > 0 ? " for each " + string.Join(", ", By.Select(key => QueryPrinter.Print(key))) : "");

    public override IEnumerable<Expr> Expressions => By;

    public override bool TakesConstants => false;

    public override Stage Rewrite(Func<Expr, Expr> visit) => this with { By = new Seq<Expr>(By.Select(visit)) };

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        if (By.Count == 0)
        {
            builder.Step(rows => rows.Take((int)Math.Min(Count, int.MaxValue)));
            return;
        }
        var keys = By.Select(builder.Compiler.Value).ToArray();
        var memory = builder.Context.Memory;
        builder.Step(rows => Each(rows));

        IEnumerable<Row> Each(IEnumerable<Row> rows)
        {
            var seen = new Dictionary<string, long>(StringComparer.Ordinal);
            foreach (var row in rows)
            {
                var key = GroupTable.NameOf(Array.ConvertAll(keys, k => k(row)));
                if (!seen.ContainsKey(key))
                    memory.Take(100);
                if ((seen[key] = seen.GetValueOrDefault(key) + 1) <= Count)
                    yield return row;
            }
        }
    }
}
