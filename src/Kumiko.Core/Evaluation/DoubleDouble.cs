namespace Kumiko.Core.Evaluation;

/// <summary>
/// A number of twice the digits of a double, as the sum of two: about 32 decimal digits. Sums of squares in it keep the digits
/// that
/// cancel out of doubles. Dekker: A floating-point technique for extending the available precision, Numerische Mathematik 18
/// (1971).
/// </summary>
internal readonly record struct DoubleDouble(double High, double Low)
{
    public static DoubleDouble Zero => default;

    public static implicit operator DoubleDouble(double number) => new(number, 0);

    /// <summary>All digits of a whole number, of which a double has 53 bits.</summary>
    public static DoubleDouble Of(long number)
    {
        var high = (double)number;
        // 2^63 is no long.
        return high >= long.MaxValue ? new(high, -(double)(long.MaxValue - number) - 1) : Normal(high, number - (long)high);
    }

    public static explicit operator double(DoubleDouble number) => number.High + number.Low;

    private static DoubleDouble Normal(double high, double low)
    {
        var sum = high + low;
        return new DoubleDouble(sum, low - (sum - high));
    }

    private static DoubleDouble Sum(double a, double b)
    {
        var sum = a + b;
        var of = sum - a;
        return new DoubleDouble(sum, (a - (sum - of)) + (b - of));
    }

    public static DoubleDouble operator +(DoubleDouble a, DoubleDouble b)
    {
        var (high, low) = (Sum(a.High, b.High), Sum(a.Low, b.Low));
        var first = Normal(high.High, high.Low + low.High);
        return Normal(first.High, first.Low + low.Low);
    }

    public static DoubleDouble operator -(DoubleDouble a) => new(-a.High, -a.Low);

    public static DoubleDouble operator -(DoubleDouble a, DoubleDouble b) => a + -b;

    public static DoubleDouble operator *(DoubleDouble a, DoubleDouble b)
    {
        var product = a.High * b.High;
        return Normal(product, Math.FusedMultiplyAdd(a.High, b.High, -product) + (a.High * b.Low) + (a.Low * b.High));
    }

    public static DoubleDouble operator /(DoubleDouble a, DoubleDouble b)
    {
        var first = a.High / b.High;
        var rest = a - (b * first);
        var second = rest.High / b.High;
        rest -= b * second;
        return Normal(first, second) + (rest.High / b.High);
    }
}
