using Kumiko.Core.Records;

namespace Kumiko.Core.Language;

/// <summary>A parameter that a query has and that nothing in it gives a value.</summary>
public sealed record Parameter(string Name, bool Optional);

/// <summary>Puts values in the places of parameters: one typed literal each, never text of the query.</summary>
public static class Parameters
{
    /// <summary>Those that need a value from outside, in the order in which they stand.</summary>
    public static IReadOnlyList<Parameter> WithoutValue(Query query)
    {
        var finder = new Finder();
        finder.Visit(query);
        return finder.Found;
    }

    /// <summary>The query with values for its parameters: those given, then those that <c>with</c> binds.</summary>
    /// <returns>The query, and the names that have no value and need one.</returns>
    public static (Query Query, IReadOnlyList<string> Missing) Bind(Query query, IReadOnlyDictionary<string, string> values)
    {
        var binder = new Binder(values);
        var bound = binder.Visit(query);
        return (bound, binder.Missing);
    }

    private static Literal Typed(string value) => new(value, Quoted: Literals.Read(value).IsText);

    /// <summary>Keeps what <c>with</c> binds, inside and outside of nested queries.</summary>
    private abstract class Scoped : QueryRewriter
    {
        protected Dictionary<string, Literal> Bound { get; private set; } = new(StringComparer.Ordinal);

        public override Query Visit(Query query)
        {
            var outer = Bound;
            Bound = new Dictionary<string, Literal>(outer, StringComparer.Ordinal);
            foreach (var binding in query.With)
                if (binding.Literal is { } literal)
                    Bound[binding.Name] = literal;
            var visited = base.Visit(query);
            Bound = outer;
            return visited;
        }
    }

    private sealed class Finder : Scoped
    {
        public List<Parameter> Found { get; } = [];

        protected override Literal Literal(Literal literal)
        {
            if (literal.Parameter is { } name && !Bound.ContainsKey(name) && !Found.Exists(p => p.Name == name))
                Found.Add(new Parameter(name, literal.IsOptional));
            return literal;
        }
    }

    private sealed class Binder(IReadOnlyDictionary<string, string> values) : Scoped
    {
        private static readonly Literal True = new("true", false);

        private bool _inMatch;

        public List<string> Missing { get; } = [];

        protected override Expr VisitMatch(Expr match)
        {
            // In the match a name is always a field.
            _inMatch = true;
            var visited = Visit(match);
            _inMatch = false;
            return visited;
        }

        protected override Stage Visit(Stage stage) =>
            // A name bound to a value is a constant in expressions; names of columns and keys stay.
            stage.TakesConstants
                ? base.Visit(stage)
                : stage;

        protected override Expr Visit(Expr expr)
        {
            if (!_inMatch && expr is Field field && Bound.TryGetValue(field.Name, out var constant) && constant.Parameter is null)
                return constant with { Quoted = constant.Quoted || constant.ToValue().IsText };
            var inner = expr;
            while (inner is Not not)
                inner = not.Inner;
            if (inner is Compare or InList or InRange && IsEmpty(inner))
                return True;
            return base.Visit(expr);
        }

        private bool IsEmpty(Expr condition) =>
            condition switch
            {
                Compare compare => IsEmptyOptional(compare.Left) || IsEmptyOptional(compare.Right),
                InList list => list.Items.Any(IsEmptyOptional),
                InRange range => (range.From is { } from && IsEmptyOptional(from)) || (range.To is { } to && IsEmptyOptional(to)),
                _ => false,
            };

        private bool IsEmptyOptional(Expr expr) =>
            expr is Literal { Parameter: { } name, IsOptional: true } && ValueOf(name) is null;

        private Literal? ValueOf(string name)
        {
            if (values.TryGetValue(name, out var text) && text.Length > 0)
                return Typed(text);
            if (Bound.GetValueOrDefault(name) is { Parameter: null } bound)
                return bound;
            return null;
        }

        protected override Literal Literal(Literal literal)
        {
            if (literal.Parameter is not { } name)
                return literal;
            if (ValueOf(name) is { } value)
                return value with { Span = literal.Span };
            if (!literal.IsOptional && !Missing.Contains(name))
                Missing.Add(name);
            return literal;
        }
    }
}
