using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Turns syntax into delegates over rows.</summary>
public sealed class Compiler(EvaluationContext context, Scope scope)
{
    /// <summary>A test of a row; all rows pass where there is no condition.</summary>
    public Func<Row, bool> Condition(Expr expr)
    {
        switch (expr)
        {
            case And and:
                var all = and.Items.OrderBy(Cost).Select(Condition).ToArray();
                return all is [var first, var second]
                    ? row => first(row) && second(row)
                    : row => Array.TrueForAll(all, test => test(row));
            case Or or:
                var any = or.Items.OrderBy(Cost).Select(Condition).ToArray();
                return row => Array.Exists(any, test => test(row));
            case Not not:
                var inner = Condition(not.Inner);
                return row => !inner(row);
            case Term word:
                return scope.Term(new TermMatcher(word));
            case Exists exists:
                var present = scope.Bind(exists.Field.Name);
                return row => !present(row).IsMissing;
            case Compare compare:
                return Comparing(compare);
            case InList or InRange or InNetwork or RegexMatch:
                var (operand, holds) = ValueTest.Of(expr)!.Value;
                var left = Value(operand);
                return row => holds(left(row));
            default:
                var truth = Value(expr);
                return row => truth(row).IsTrue;
        }
    }

    /// <summary>The value of an expression on a row; a condition is a boolean.</summary>
    public Func<Row, Value> Value(Expr expr)
    {
        switch (expr)
        {
            case Field field:
                return scope.Bind(field.Name);
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
                if (scope.Computed(call) is { } computed)
                    return computed;
                return Calling(call);
            default:
                var condition = Condition(expr);
                return row => Records.Value.Of(condition(row));
        }
    }

    private Func<Row, Value> Calling(Call call)
    {
        if (call.Name == "if")
        {
            var (test, then, other) = (Condition(call.Arguments[0]), Value(call.Arguments[1]), Value(call.Arguments[2]));
            return row => test(row) ? then(row) : other(row);
        }
        if (call.Name == "extract" && call.Arguments[1] is RegexLiteral regex)
        {
            var (source, compiled) = (Value(call.Arguments[0]), Regexes.Of(regex.Pattern, regex.Flags));
            return row => Scalars.Extract(source(row), compiled);
        }
        if (call.Name == "lookup" && call.Arguments is [Literal table, var key, Literal column])
        {
            var (look, of) = (context.Lookup(table.Text, column.Text), Value(key));
            return row => of(row) is { IsMissing: false } k ? look(k) : Records.Value.Missing;
        }
        var arguments = call.Arguments.Select(Value).ToArray();
        var function = Scalars.Find(call.Name, context);
        return row =>
        {
            var values = new Value[arguments.Length];
            for (var i = 0; i < values.Length; i++)
                values[i] = arguments[i](row);
            return function(values);
        };
    }

    private Func<Row, bool> Comparing(Compare compare)
    {
        if (ValueTest.Of(compare) is var (operand, holds))
        {
            var value = Value(operand);
            return row => holds(value(row));
        }
        var (op, a, b) = (compare.Op, Value(compare.Left), Value(compare.Right));
        return row => Comparison.Holds(op, a(row), b(row));
    }

    internal static int Cost(Expr expr) =>
        expr switch
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
