using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Execution;

/// <summary>Conditions with fields called as the store calls them.</summary>
internal sealed class StoredNames : QueryRewriter
{
    private static readonly StoredNames Spans = new();

    public static Expr Of(Expr expr, Signal signal) => signal == Signal.Spans ? Spans.Visit(expr) : expr;

    protected override Expr Visit(Expr expr) =>
        expr switch
        {
            Field field => field with { Name = SpanFields.Stored(field.Name) },
            Exists exists => exists with { Field = exists.Field with { Name = SpanFields.Stored(exists.Field.Name) } },
            _ => base.Visit(expr),
        };
}
