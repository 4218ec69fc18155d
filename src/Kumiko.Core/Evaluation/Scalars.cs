using Kumiko.Core.Language;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Evaluation;

/// <summary>Arithmetic and the functions of one row. What does not fit gives missing, never an error.</summary>
public static class Scalars
{
    public static Value Negate(Value value) =>
        value.Kind switch
        {
            ValueKind.Integer when value.AsLong != long.MinValue => Value.Of(-value.AsLong),
            ValueKind.Integer or ValueKind.Decimal => Value.Of(-value.AsDouble),
            ValueKind.Duration when value.AsLong != long.MinValue => Value.Duration(-value.AsLong),
            ValueKind.Text => Literals.ReadQuantity(value.AsText) is { IsMissing: false } quantity
                ? Negate(quantity)
                : Value.Missing,
            _ => Value.Missing,
        };

    public static Value Arithmetic(char op, Value a, Value b)
    {
        if (a.IsText)
            a = Literals.ReadQuantity(a.AsText);
        if (b.IsText)
            b = Literals.ReadQuantity(b.AsText);
        if (a.IsMissing || b.IsMissing)
            return Value.Missing;
        var (x, y) = (a.AsDouble, b.AsDouble);
        var (aNumber, bNumber) = (
            a.Kind is ValueKind.Integer or ValueKind.Decimal,
            b.Kind is ValueKind.Integer or ValueKind.Decimal
        );
        if (aNumber && bNumber)
        {
            if (a.Kind == ValueKind.Integer && b.Kind == ValueKind.Integer && Whole(op, a.AsLong, b.AsLong) is { } whole)
                return whole;
            return op switch
            {
                '+' => Number(x + y),
                '-' => Number(x - y),
                '*' => Number(x * y),
                '/' => y == 0 ? Value.Missing : Number(x / y),
                _ => y == 0 ? Value.Missing : Number(x % y),
            };
        }
        return (op, a.Kind, b.Kind) switch
        {
            ('+' or '-', ValueKind.Duration, ValueKind.Duration) => Scaled(ValueKind.Duration, op == '+' ? x + y : x - y),
            ('+' or '-', ValueKind.Size, ValueKind.Size) => Scaled(ValueKind.Size, op == '+' ? x + y : x - y),
            ('+' or '-', ValueKind.Time, ValueKind.Duration) => Moved(a.AsLong, op == '+' ? b.AsLong : -b.AsLong),
            ('+', ValueKind.Duration, ValueKind.Time) => Moved(b.AsLong, a.AsLong),
            ('-', ValueKind.Time, ValueKind.Time) => Value.Duration(unchecked(a.AsLong - b.AsLong)),
            ('*', ValueKind.Duration or ValueKind.Size, _) when bNumber => Scaled(a.Kind, x * y),
            ('*', _, ValueKind.Duration or ValueKind.Size) when aNumber => Scaled(b.Kind, x * y),
            ('/', ValueKind.Duration or ValueKind.Size, _) when bNumber && y != 0 => Scaled(a.Kind, x / y),
            ('/' or '%', ValueKind.Duration, ValueKind.Duration) or ('/' or '%', ValueKind.Size, ValueKind.Size) when y != 0 => op
            == '/'
                ? Number(x / y)
                : Scaled(a.Kind, x % y),
            _ => Value.Missing,
        };
    }

    private static Value? Whole(char op, long a, long b)
    {
        try
        {
            return op switch
            {
                '+' => Value.Of(checked(a + b)),
                '-' => Value.Of(checked(a - b)),
                '*' => Value.Of(checked(a * b)),
                '%' when b != 0 && b != -1 => Value.Of(a % b),
                '/' when b != 0 && b != -1 && a % b == 0 => Value.Of(a / b),
                _ => null,
            };
        }
        catch (OverflowException)
        {
            return null;
        }
    }

    private static Value Number(double number) => double.IsFinite(number) ? Value.Of(number) : Value.Missing;

    private static Value Scaled(ValueKind kind, double number)
    {
        if (!(Math.Abs(number) < 9.2e18))
            return Value.Missing;
        if (kind == ValueKind.Duration)
            return Value.Duration((long)Math.Round(number));
        return Value.Size((long)Math.Round(number));
    }

    private static Value Moved(long time, long by)
    {
        try
        {
            return Value.Time(checked(time + by));
        }
        catch (OverflowException)
        {
            return Value.Missing;
        }
    }

    /// <summary>The function of a name that the parser has accepted; aggregates outside group give missing.</summary>
    public static Func<Value[], Value> Find(string name, EvaluationContext context) =>
        name switch
        {
            "coalesce" => a => Array.Find(a, v => !v.IsMissing) is { } v && a.Any(x => !x.IsMissing) ? v : Value.Missing,
            "number" => a =>
            {
                if (a[0].IsText)
                    return Literals.ReadQuantity(a[0].AsText);
                if (a[0].IsQuantity)
                    return a[0];
                return Value.Missing;
            },
            "text" => a => a[0].IsMissing ? Value.Missing : Value.Of(a[0].ToText()),
            "lower" => a => OnText(a[0], t => Value.Of(t.ToLowerInvariant())),
            "upper" => a => OnText(a[0], t => Value.Of(t.ToUpperInvariant())),
            "length" => a => a[0].Kind == ValueKind.List ? Value.Of(a[0].AsList.Length) : OnText(a[0], t => Value.Of(t.Length)),
            "contains" => a => Value.Of(OnTexts(a, (t, p) => t.Contains(p, StringComparison.Ordinal))),
            "starts" => a => Value.Of(OnTexts(a, (t, p) => t.StartsWith(p, StringComparison.Ordinal))),
            "ends" => a => Value.Of(OnTexts(a, (t, p) => t.EndsWith(p, StringComparison.Ordinal))),
            "round" => a =>
                Rounded(a[0], x =>
                    Math.Round(
                        x,
                        a.Length > 1 && a[1].Kind == ValueKind.Integer ? (int)Math.Clamp(a[1].AsLong, 0, 15) : 0,
                        MidpointRounding.AwayFromZero
                    )
                ),
            "floor" => a => Rounded(a[0], Math.Floor),
            "ceil" => a => Rounded(a[0], Math.Ceiling),
            "abs" => a =>
            {
                if (a[0].IsQuantity && a[0].AsDouble < 0)
                    return Negate(a[0]);
                if (a[0].IsQuantity)
                    return a[0];
                return Value.Missing;
            },
            "floor_to" => a => FloorTo(Quantity(a[0]), Quantity(a[1])),
            "log" => a => Real(a[0], x => a.Length > 1 ? Math.Log(x, Quantity(a[1]).AsDouble) : Math.Log(x)),
            "sqrt" => a => Real(a[0], Math.Sqrt),
            "exp" => a => Real(a[0], Math.Exp),
            "replace" => a =>
                a[1].ToText() is { Length: > 0 } part && !a[0].IsMissing && !a[2].IsMissing
                    ? Value.Of(a[0].ToText().Replace(part, a[2].ToText(), StringComparison.Ordinal))
                    : a[0],
            "date" => a =>
                a[0].Kind == ValueKind.Time
                    ? Value.Of(
                        Instants
                            .ToInstant(a[0].AsLong)
                            .InZone(context.Zone)
                            .Date.ToString("uuuu-MM-dd", System.Globalization.CultureInfo.InvariantCulture)
                    )
                    : Value.Missing,
            "hour" => a => Civil(a[0], context.Zone, t => t.Hour),
            "weekday" => a => Civil(a[0], context.Zone, t => (int)t.DayOfWeek),
            "now" => _ => Value.Time(context.Now),
            _ => _ => Value.Missing,
        };

    /// <summary>What the first group of an expression matches, or all that it matches where it has no group.</summary>
    public static Value Extract(Value text, System.Text.RegularExpressions.Regex regex)
    {
        if (text.IsMissing)
            return Value.Missing;
        var match = regex.Match(text.ToText());
        if (!match.Success)
            return Value.Missing;
        if (match.Groups.Count == 1)
            return Value.Of(match.Value);
        if (match.Groups[1].Success)
            return Value.Of(match.Groups[1].Value);
        return Value.Missing;
    }

    private static Value Real(Value value, Func<double, double> function) =>
        Quantity(value) is { Kind: ValueKind.Integer or ValueKind.Decimal } number
            ? Number(function(number.AsDouble))
            : Value.Missing;

    private static Value Quantity(Value value) => value.IsText ? Literals.ReadQuantity(value.AsText) : value;

    private static Value OnText(Value value, Func<string, Value> function) =>
        value.IsMissing ? Value.Missing : function(value.ToText());

    private static bool OnTexts(Value[] values, Func<string, string, bool> test) =>
        !values[0].IsMissing && !values[1].IsMissing && test(values[0].ToText(), values[1].ToText());

    private static Value Rounded(Value value, Func<double, double> round)
    {
        value = Quantity(value);
        if (value.Kind == ValueKind.Decimal)
            return Shortest(round(value.AsDouble));
        if (value.Kind == ValueKind.Integer)
            return value;
        return Value.Missing;
    }

    private static Value Shortest(double number) =>
        Math.Abs(number) < 9e15 && Math.Truncate(number) == number ? Value.Of((long)number) : Value.Of(number);

    private static Value FloorTo(Value value, Value width)
    {
        if (!(width.AsDouble > 0) || value.IsMissing || width.IsMissing)
            return Value.Missing;
        if (
            value.Kind == ValueKind.Time && width.Kind == ValueKind.Duration
            || value.Kind == width.Kind
                && value.Kind is ValueKind.Duration or ValueKind.Size or ValueKind.Integer
                && value.Kind == width.Kind
        )
        {
            var rest = value.AsLong % width.AsLong;
            var floor = value.AsLong - (rest < 0 ? rest + width.AsLong : rest);
            return value.Kind switch
            {
                ValueKind.Time => Value.Time(floor),
                ValueKind.Duration => Value.Duration(floor),
                ValueKind.Size => Value.Size(floor),
                _ => Value.Of(floor),
            };
        }
        return value.Kind is ValueKind.Integer or ValueKind.Decimal && width.Kind is ValueKind.Integer or ValueKind.Decimal
            ? Number(Math.Floor(value.AsDouble / width.AsDouble) * width.AsDouble)
            : Value.Missing;
    }

    private static Value Civil(Value value, DateTimeZone zone, Func<LocalDateTime, int> part) =>
        value.Kind == ValueKind.Time
            ? Value.Of(part(Instants.ToInstant(value.AsLong).InZone(zone).LocalDateTime))
            : Value.Missing;
}
