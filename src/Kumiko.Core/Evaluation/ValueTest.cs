using System.Net;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Conditions that are a test of one value: what a dictionary's entries can be asked once instead of every
/// row.</summary>
public static class ValueTest
{
    /// <summary>The operand and the test of its value (which may be missing); null where a condition is no such test.</summary>
    public static (Expr Operand, Func<Value, bool> Holds)? Of(Expr condition)
    {
        switch (condition)
        {
            case Exists exists:
                return (exists.Field, value => !value.IsMissing);
            case Compare { Right: Literal literal } compare:
                return (compare.Left, Comparing(compare.Op, literal));
            case Compare { Left: Literal literal } compare:
                return (compare.Right, Comparing(Turned(compare.Op), literal));
            case InList list:
                var tests = list.Items.Select(i => new LiteralTest(i)).ToArray();
                return (list.Left, value => !value.IsMissing && Array.Exists(tests, test => test.IsEqual(value)));
            case InRange range:
                return (range.Left, Ranging(range));
            case InNetwork network:
                var parsed = IPNetwork.Parse(network.Network);
                return (network.Left, value => IsInside(parsed, value));
            case RegexMatch regex:
                var matches = Matching(regex);
                return (regex.Left, value => IsMatch(matches, value) != regex.Negated);
            default:
                return null;
        }
    }

    /// <summary>A test of text by a regular expression, a literal first where it must stand in the text.</summary>
    public static Func<string, bool> Matching(RegexMatch regex)
    {
        var compiled = Regexes.Of(regex.Pattern, regex.Flags);
        // In any case, a regex knows equals that a search for text does not.
        var literal = regex.Flags.Contains('i') ? null : Regexes.RequiredLiteral(regex.Pattern);
        return text => (literal is null || text.Contains(literal, StringComparison.Ordinal)) && compiled.IsMatch(text);
    }

    private static Func<Value, bool> Comparing(CompareOp op, Literal literal)
    {
        var test = new LiteralTest(literal);
        return op switch
        {
            CompareOp.Equal => test.IsEqual,
            CompareOp.NotEqual => value => !test.IsEqual(value),
            _ => value => test.Holds(op, value),
        };
    }

    private static Func<Value, bool> Ranging(InRange range)
    {
        var from = range.From is null ? null : new LiteralTest(range.From);
        var to = range.To is null ? null : new LiteralTest(range.To);
        return Inside;

        bool Inside(Value v) =>
            v.Kind == ValueKind.List
                ? Array.Exists(v.AsList, Inside)
                : !v.IsMissing
                    && from?.Holds(CompareOp.GreaterOrEqual, v) != false
                    && to?.Holds(CompareOp.LessOrEqual, v) != false;
    }

    private static CompareOp Turned(CompareOp op) =>
        op switch
        {
            CompareOp.Less => CompareOp.Greater,
            CompareOp.LessOrEqual => CompareOp.GreaterOrEqual,
            CompareOp.Greater => CompareOp.Less,
            CompareOp.GreaterOrEqual => CompareOp.LessOrEqual,
            _ => op,
        };

    private static bool IsInside(IPNetwork network, Value value) =>
        value.Kind switch
        {
            ValueKind.List => Array.Exists(value.AsList, item => IsInside(network, item)),
            ValueKind.Address => network.Contains(value.AsAddress),
            ValueKind.Text => IPAddress.TryParse(value.AsText, out var address)
                && network.Contains(address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address),
            _ => false,
        };

    private static bool IsMatch(Func<string, bool> matches, Value value) =>
        value.Kind switch
        {
            ValueKind.Missing => false,
            ValueKind.List => Array.Exists(value.AsList, item => IsMatch(matches, item)),
            _ => matches(value.ToText()),
        };
}
