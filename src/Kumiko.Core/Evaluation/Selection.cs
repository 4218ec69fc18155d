namespace Kumiko.Core.Evaluation;

/// <summary>Finds single places of the sorted order of numbers without sorting them all.</summary>
internal static class Selection
{
    /// <summary>Of fewer numbers sorting is as quick.</summary>
    private const int Few = 32;

    /// <summary>
    /// The number that would stand at a place if all were sorted, not-a-numbers first. Numbers are moved, so that those
    /// before the place are not above it and those after it not below. Quickselect: Hoare, Algorithm 65, Communications of
    /// the ACM 4 (1961), with the middle of three for a pivot, and sorting where pivots keep being bad.
    /// </summary>
    public static double At(Span<double> numbers, int place)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual((uint)place, (uint)numbers.Length, nameof(place));
        var (first, last) = (NotNumbersFirst(numbers), numbers.Length - 1);
        if (place < first)
            return double.NaN;
        for (var looks = 2 * int.Log2(numbers.Length); last - first >= Few && looks > 0; looks--)
        {
            var (below, above) = Split(numbers, first, last);
            if (place <= below)
                last = below;
            else if (place >= above)
                first = above;
            else
                return numbers[place];
        }
        numbers[first..(last + 1)].Sort();
        return numbers[place];
    }

    /// <summary>Nothing compares with them, so they are put out of the way.</summary>
    private static int NotNumbersFirst(Span<double> numbers)
    {
        var first = 0;
        for (var i = 0; i < numbers.Length; i++)
        {
            if (!double.IsNaN(numbers[i]))
                continue;
            (numbers[first], numbers[i]) = (numbers[i], numbers[first]);
            first++;
        }
        return first;
    }

    /// <summary>Moves what is not above a pivot to the front and what is not below it to the back; what is between their ends
    /// equals it.</summary>
    private static (int Below, int Above) Split(Span<double> numbers, int first, int last)
    {
        var pivot = MiddleOf(numbers[first], numbers[first + ((last - first) / 2)], numbers[last]);
        var (i, j) = (first, last);
        while (i <= j)
        {
            while (numbers[i] < pivot)
                i++;
            while (numbers[j] > pivot)
                j--;
            if (i > j)
                break;
            (numbers[i], numbers[j]) = (numbers[j], numbers[i]);
            i++;
            j--;
        }
        return (j, i);
    }

    private static double MiddleOf(double a, double b, double c) => Math.Max(Math.Min(a, b), Math.Min(Math.Max(a, b), c));
}
