using System.Net;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Turns syntax into delegates over rows of one kind: records, or rows of a frame.</summary>
/// <param name="bind">How a field's name becomes a look at a row.</param>
/// <param name="term">How a searched word becomes a test of a row.</param>
/// <param name="column">A computed column that is found by a call's printed text; null where there is none.</param>
public sealed class Compiler<TRow>(
    EvaluationContext context,
    Func<string, Func<TRow, Value>> bind,
    Func<Term, Func<TRow, bool>> term,
    Func<Call, Func<TRow, Value>?>? column = null)
{
    /// <summary>A test of a row; all rows pass where there is no condition.</summary>
    public Func<TRow, bool> Condition(Expr expr)
    {
        switch (expr)
        {
            case And and:
                var all = and.Items.OrderBy(Cost).Select(Condition).ToArray();
                return all is [var first, var second] ? row => first(row) && second(row) : row => Array.TrueForAll(all, test => test(row));
            case Or or:
                var any = or.Items.OrderBy(Cost).Select(Condition).ToArray();
                return row => Array.Exists(any, test => test(row));
            case Not not:
                var inner = Condition(not.Inner);
                return row => !inner(row);
            case Term word:
                return term(word);
            case Exists exists:
                var present = bind(exists.Field.Name);
                return row => !present(row).IsMissing;
            case Compare compare:
                return Comparing(compare);
            case InList list:
                var left = Value(list.Left);
                var tests = list.Items.Select(i => new LiteralTest(i)).ToArray();
                return row => left(row) is { IsMissing: false } value && Array.Exists(tests, test => test.IsEqual(value));
            case InRange range:
                return Ranging(range);
            case InNetwork network:
                var parsed = IPNetwork.Parse(network.Network);
                var address = Value(network.Left);
                return row => IsInside(parsed, address(row));
            case RegexMatch regex:
                var compiled = Regexes.Compile(regex.Pattern, regex.Flags);
                // In any case, a regex knows equals that a search for text does not.
                var literal = regex.Flags.Contains('i') ? null : Regexes.RequiredLiteral(regex.Pattern);
                var text = Value(regex.Left);
                bool Matches(string t) => (literal is null || t.Contains(literal, StringComparison.Ordinal)) && compiled.IsMatch(t);
                return row => IsMatch(Matches, text(row)) != regex.Negated;
            default:
                var truth = Value(expr);
                return row => truth(row).IsTrue;
        }
    }

    /// <summary>The value of an expression on a row; a condition is a boolean.</summary>
    public Func<TRow, Value> Value(Expr expr)
    {
        switch (expr)
        {
            case Field field:
                return bind(field.Name);
            case Literal literal:
                var constant = literal.ToValue();
                return _ => constant;
            case Negate negate:
                var inner = Value(negate.Inner);
                return row => Scalars.Negate(inner(row));
            case Arithmetic arithmetic:
                var (left, right, op) = (Value(arithmetic.Left), Value(arithmetic.Right), arithmetic.Op);
                return row => Scalars.Arithmetic(op, left(row), right(row));
            case Call call:
                if (column?.Invoke(call) is { } computed) return computed;
                return Calling(call);
            default:
                var condition = Condition(expr);
                return row => Records.Value.Of(condition(row));
        }
    }

    private Func<TRow, Value> Calling(Call call)
    {
        if (call.Name == "if")
        {
            var (test, then, other) = (Condition(call.Arguments[0]), Value(call.Arguments[1]), Value(call.Arguments[2]));
            return row => test(row) ? then(row) : other(row);
        }
        var arguments = call.Arguments.Select(Value).ToArray();
        var function = Scalars.Find(call.Name, context);
        return row =>
        {
            var values = new Value[arguments.Length];
            for (var i = 0; i < values.Length; i++) values[i] = arguments[i](row);
            return function(values);
        };
    }

    private Func<TRow, bool> Comparing(Compare compare)
    {
        var op = compare.Op;
        if (compare.Right is Literal literal)
        {
            var (left, test) = (Value(compare.Left), new LiteralTest(literal));
            return op switch
            {
                CompareOp.Equal => row => test.IsEqual(left(row)),
                CompareOp.NotEqual => row => !test.IsEqual(left(row)),
                _ => row => test.Holds(op, left(row)),
            };
        }
        if (compare.Left is Literal) return Comparing(new Compare(compare.Right, Turned(op), compare.Left));
        var (a, b) = (Value(compare.Left), Value(compare.Right));
        return row => Comparison.Holds(op, a(row), b(row));
    }

    private Func<TRow, bool> Ranging(InRange range)
    {
        var value = Value(range.Left);
        var from = range.From is null ? null : new LiteralTest(range.From);
        var to = range.To is null ? null : new LiteralTest(range.To);
        return row => Inside(value(row));

        bool Inside(Value v) => v.Kind == ValueKind.List
            ? Array.Exists(v.AsList, Inside)
            : !v.IsMissing && from?.Holds(CompareOp.GreaterOrEqual, v) != false && to?.Holds(CompareOp.LessOrEqual, v) != false;
    }

    private static CompareOp Turned(CompareOp op) => op switch
    {
        CompareOp.Less => CompareOp.Greater,
        CompareOp.LessOrEqual => CompareOp.GreaterOrEqual,
        CompareOp.Greater => CompareOp.Less,
        CompareOp.GreaterOrEqual => CompareOp.LessOrEqual,
        _ => op,
    };

    private static bool IsInside(IPNetwork network, Value value) => value.Kind switch
    {
        ValueKind.List => Array.Exists(value.AsList, item => IsInside(network, item)),
        ValueKind.Text => IPAddress.TryParse(value.AsText, out var address)
            && network.Contains(address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address),
        _ => false,
    };

    private static bool IsMatch(Func<string, bool> matches, Value value) => value.Kind switch
    {
        ValueKind.Missing => false,
        ValueKind.List => Array.Exists(value.AsList, item => IsMatch(matches, item)),
        _ => matches(value.ToText()),
    };

    private static int Cost(Expr expr) => expr switch
    {
        Compare or Exists or InList or InRange => 1,
        InNetwork => 2,
        Not not => Cost(not.Inner),
        And and => and.Items.Sum(Cost),
        Or or => or.Items.Sum(Cost),
        Term => 10,
        RegexMatch => 40,
        _ => 5,
    };
}
