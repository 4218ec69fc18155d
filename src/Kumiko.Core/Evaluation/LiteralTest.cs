using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>A comparison with a literal, made ready once: a quoted one is text, a bare one is text or the value it
/// spells.</summary>
internal sealed class LiteralTest
{
    private readonly string _text;
    private readonly Value _value;
    private readonly bool _quoted;
    private readonly Wildcard? _wildcard;

    public LiteralTest(Literal literal)
    {
        _quoted = literal.Quoted;
        _wildcard = literal.Quoted ? null : Wildcard.Parse(literal.Text);
        _text = literal.Quoted ? literal.Text : Wildcard.Unescape(literal.Text);
        _value = literal.ToValue();
    }

    public bool IsEqual(Value value)
    {
        switch (value.Kind)
        {
            case ValueKind.Missing:
                return false;
            case ValueKind.List:
                return value.AsList.Any(IsEqual);
            case ValueKind.Text when _wildcard is null:
                return string.Equals(value.AsText, _text, StringComparison.Ordinal);
            case ValueKind.Address when _wildcard is null:
                return Comparison.AreEqual(value, Value.Of(_text));
            case ValueKind.Level:
                return Comparison.AreEqual(value, _value);
        }
        if (_wildcard is not null)
            return _wildcard.IsWhole(value.ToText());
        if (_quoted)
            return false;
        return Comparison.AreEqual(value, _value);
    }

    public bool Holds(CompareOp op, Value value) =>
        op switch
        {
            CompareOp.Equal => IsEqual(value),
            CompareOp.NotEqual => !IsEqual(value),
            _ => Comparison.Holds(op, value, _value),
        };
}
