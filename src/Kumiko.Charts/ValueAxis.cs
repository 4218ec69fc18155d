namespace Kumiko.Charts;

/// <summary>A value axis from a round number to a round number.</summary>
/// <param name="Ticks">Rising, inside Min to Max.</param>
/// <param name="Step">How far apart ticks are; of a logarithmic axis 0.</param>
public sealed record ValueAxis(double Min, double Max, IReadOnlyList<double> Ticks, double Step, ChartUnit Unit, bool IsLog)
{
    /// <summary>The shortest axis of round steps that holds the values.</summary>
    /// <param name="most">How many ticks fit.</param>
    /// <param name="zero">Whether it must begin at zero where the specification does not say: a length that is cut off at its
    /// foot misleads.</param>
    public static ValueAxis For(double min, double max, ChartUnit unit, int most, AxisSpec spec, bool zero)
    {
        if (spec.Scale == ScaleKind.Logarithmic && max > 0)
            return Logarithmic(min, max, unit, most, spec);
        // A line far above zero that hardly moves is read better by itself.
        if (spec.Zero ?? (zero || min <= 0 || max - min > 0.35 * max))
            (min, max) = (Math.Min(0, min), Math.Max(0, max));
        if (spec.Min is { } low)
            min = low;
        if (spec.Max is { } high)
            max = high;
        if (!(max > min))
            max =
                min
                + (
                    unit.Step(Math.Max(Math.Abs(min), 1e-300) * 0.1) is var one && spec.Min is null && min == 0
                        ? unit.Step(1)
                        : one
                );
        var step = unit.Step((max - min) / Math.Max(1, most));
        // Beyond what a double can tell apart there is one step.
        if (!(step > 0) || min + step == min || max + step == max)
            step = Math.Max(Math.Abs(max), Math.Abs(min)) / 2;
        // Hair's breadths of rounding are no reason for a further step.
        var (first, last) = (
            Math.Floor((min / step) + Math.Abs(min / step * 1e-12)),
            Math.Ceiling((max / step) - Math.Abs(max / step * 1e-12))
        );
        var ticks = new List<double>();
        for (var i = first; i <= last; i++)
            ticks.Add(i * step);
        // Steps that are rounded may end a hair's breadth short of the value that set them.
        var (from, to) = (spec.Min ?? Math.Min(min, first * step), spec.Max ?? Math.Max(max, Math.Max(last, first + 1) * step));
        return new ValueAxis(
            from,
            to,
            [.. ticks.Where(t => t >= from - (step * 1e-9) && t <= to + (step * 1e-9))],
            step,
            unit,
            false
        );
    }

    private static ValueAxis Logarithmic(double min, double max, ChartUnit unit, int most, AxisSpec spec)
    {
        var top = Math.Ceiling(Math.Log10(spec.Max is > 0 and var high ? high : max) - 1e-9);
        var foot = Math.Floor(
            Math.Log10(
                spec.Min switch
                {
                    > 0 and var low => low,
                    _ when min > 0 => min,
                    _ => max / 1e3,
                }
            ) + 1e-9
        );
        if (foot >= top)
            foot = top - 1;
        var skip = Math.Max(1, (int)Math.Ceiling((top - foot) / Math.Max(1, most)));
        var ticks = new List<double>();
        for (var power = foot; power <= top; power += skip)
        {
            ticks.Add(Math.Pow(10, power));
            // With few decades two and five have room too.
            if (top - foot <= 2 && power < top)
                ticks.AddRange([2 * Math.Pow(10, power), 5 * Math.Pow(10, power)]);
        }
        return new ValueAxis(Math.Pow(10, foot), Math.Pow(10, top), ticks, 0, unit, true);
    }

    public string Label(double tick) => IsLog ? Unit.Text(tick) : Unit.Label(tick, Step);

    /// <summary>Where a value stands between the foot (0) and the top (1); not a number where a logarithm has no place for
    /// it.</summary>
    public double Share(double value)
    {
        // Halved first, as the whole range of doubles is wider than a double.
        if (!IsLog)
            return ((value / 2) - (Min / 2)) / ((Max / 2) - (Min / 2));
        return value > 0 ? (Math.Log10(value) - Math.Log10(Min)) / (Math.Log10(Max) - Math.Log10(Min)) : double.NaN;
    }
}
