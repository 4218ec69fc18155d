using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>How values compare: conditions have two values, and missing is equal to nothing.</summary>
public static class Comparison
{
    /// <summary>Equality of two computed values: text by spelling and case, numbers by value, any element of a list.</summary>
    public static bool AreEqual(Value a, Value b)
    {
        if (a.IsMissing || b.IsMissing)
            return false;
        if (a.Kind == ValueKind.List)
            return a.AsList.Any(item => AreEqual(item, b));
        if (b.Kind == ValueKind.List)
            return AreEqual(b, a);
        if (a.Kind == ValueKind.Level || b.Kind == ValueKind.Level)
            return SameLevel(a, b);
        if (IsNumber(a) && IsNumber(b))
            return Quantity(a, b) == 0;
        if (a.Kind == ValueKind.Address || b.Kind == ValueKind.Address)
            return SameAddress(a, b);
        return a.Kind == b.Kind && a == b;
    }

    /// <summary>
    /// The order of two quantities, or null where they have none: text counts as a quantity if all of it is one,
    /// and a duration against a bare number has no order.
    /// </summary>
    public static int? Order(Value a, Value b)
    {
        if (a.IsText)
            a = AsQuantity(a.AsText, b);
        if (b.IsText)
            b = AsQuantity(b.AsText, a);
        if (a.Kind == ValueKind.Level && b.Kind == ValueKind.Level)
            return Severity.Band((int)a.AsLong).CompareTo(Severity.Band((int)b.AsLong));
        if (IsNumber(a) && IsNumber(b))
            return Quantity(a, b);
        if (
            a.Kind == b.Kind
            && a.Kind is ValueKind.Duration or ValueKind.Size or ValueKind.Time or ValueKind.Boolean
            && a.Kind == b.Kind
        )
            return a.AsLong.CompareTo(b.AsLong);
        if ((a.Kind == ValueKind.Size && IsNumber(b)) || (IsNumber(a) && b.Kind == ValueKind.Size))
            return a.AsDouble.CompareTo(b.AsDouble);
        return null;
    }

    public static bool Holds(CompareOp op, Value a, Value b)
    {
        switch (op)
        {
            case CompareOp.Equal:
                return AreEqual(a, b);
            case CompareOp.NotEqual:
                return !AreEqual(a, b);
        }
        if (a.Kind == ValueKind.List)
            return a.AsList.Any(item => Holds(op, item, b));
        return Order(a, b) is { } order
            && op switch
            {
                CompareOp.Less => order < 0,
                CompareOp.LessOrEqual => order <= 0,
                CompareOp.Greater => order > 0,
                _ => order >= 0,
            };
    }

    /// <summary>The order for sorting any values: booleans, numbers, text, missing last.</summary>
    public static int Sort(Value a, Value b)
    {
        if (IsNumber(a) && IsNumber(b))
            return Quantity(a, b);
        if (a.Kind != b.Kind)
            return a.Kind.CompareTo(b.Kind);
        return a.Kind switch
        {
            ValueKind.Missing => 0,
            ValueKind.Text or ValueKind.List or ValueKind.Object or ValueKind.Address or ValueKind.Bytes => string.CompareOrdinal(
                a.ToText(),
                b.ToText()
            ),
            _ => a.AsLong.CompareTo(b.AsLong),
        };
    }

    private static bool SameLevel(Value a, Value b) => Band(a) is var band and > 0 && band == Band(b);

    private static bool SameAddress(Value a, Value b) => AsAddress(a) is { } address && address.Equals(AsAddress(b));

    private static System.Net.IPAddress? AsAddress(Value value) =>
        value.Kind switch
        {
            ValueKind.Address => value.AsAddress,
            ValueKind.Text when System.Net.IPAddress.TryParse(value.AsText, out var address) => address.IsIPv4MappedToIPv6
                ? address.MapToIPv4()
                : address,
            _ => null,
        };

    private static int Band(Value value) =>
        Severity.Band(
            value.Kind switch
            {
                ValueKind.Level or ValueKind.Integer => (int)Math.Clamp(value.AsLong, 0, 25),
                ValueKind.Text => Severity.FromText(value.AsText),
                _ => 0,
            }
        );

    private static Value AsQuantity(string text, Value other) =>
        other.Kind switch
        {
            ValueKind.Level => Value.Level(Severity.FromText(text)),
            ValueKind.Time => Instants.TryParse(text, out var time) ? Value.Time(time) : Value.Missing,
            _ => Literals.ReadQuantity(text),
        };

    private static bool IsNumber(Value value) => value.Kind is ValueKind.Integer or ValueKind.Decimal;

    private static int Quantity(Value a, Value b) =>
        a.Kind == ValueKind.Integer && b.Kind == ValueKind.Integer
            ? a.AsLong.CompareTo(b.AsLong)
            : a.AsDouble.CompareTo(b.AsDouble);
}
