using Kumiko.Core.Analysis;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;

namespace Kumiko.Core.Query.Gathering;

/// <summary>Gathers matching records by pattern and compares each pattern with the baseline.</summary>
internal static class PatternGathering
{
    /// <summary>Stretches of a drawn line at most.</summary>
    private const int LineSteps = 48;

    private const int MostSteps = 1_500;
    private const int FewSteps = 30;

    /// <summary>Scatter is looked at by minutes; in a short focus by seconds, in a long one by more.</summary>
    private static readonly long[] StepLengths =
    [
        .. new long[] { 60, 120, 300, 600, 1_800, 3_600 }.Select(s => s * Instants.Second),
    ];

    /// <param name="now">The records of the focus, with the window as records tell it.</param>
    /// <param name="then">The records of each stretch of the baseline; null where there is none.</param>
    /// <param name="isSet">Whether the baseline is other records of the same time, so that shares are compared and not
    /// rates.</param>
    public static Gathered Of(
        (MatchSet Matches, Window Window) now,
        IReadOnlyList<(MatchSet Matches, Window Window)>? then,
        bool isSet,
        PatternView patterns,
        CancellationToken cancel
    )
    {
        var step = StepOf(now.Window);
        var here = PatternTally.Count([now], step, patterns, cancel);
        var usual = then is null ? [] : PatternTally.Count(then, step, patterns, cancel);
        var known = patterns.All().ToDictionary(p => p.Name, StringComparer.Ordinal);
        string[] names = [.. here.Keys.Union(usual.Keys)];
        var bins = PatternTally.BinsOf(now.Window, step);
        var (records, recordsThen) = (here.Values.Sum(c => c.Count), usual.Values.Sum(c => c.Count));
        // Rates are compared by time, shares by the number of all records.
        double length = isSet ? records : now.Window.Length;
        double lengthThen = isSet ? recordsThen : (then ?? []).Sum(t => (double)t.Window.Length);
        var isCompared = length > 0 && lengthThen > 0;
        var shifts = isCompared ? RateShift.Judge([.. names.Select(Series)], length, lengthThen) : null;
        var perLine = (bins + LineSteps - 1) / LineSteps;
        var found = names.Select(
            (name, i) =>
            {
                var (counts, before) = (here.GetValueOrDefault(name), usual.GetValueOrDefault(name));
                var pattern = known.GetValueOrDefault(name);
                return new GatheredPattern(
                    pattern,
                    counts?.Count ?? 0,
                    records == 0 ? 0 : (double)(counts?.Count ?? 0) / records,
                    counts?.Bands ?? (before?.Bands ?? new long[Histogram.Bands]),
                    counts?.First ?? 0,
                    counts?.Last ?? 0,
                    Line(counts?.Bins[0] ?? new int[bins], perLine),
                    isCompared && before is not null ? UsualLine(before.Bins, bins, perLine, length / lengthThen) : null,
                    shifts?[i]
                )
                {
                    IsNew = pattern is not null && pattern.FirstSeen >= now.Window.From && before is null,
                };
            }
        );
        return new Gathered([.. found.In(PatternOrder.Count)], records, (bins + perLine - 1) / perLine, isCompared);

        RateSeries Series(string name) =>
            new(
                here.GetValueOrDefault(name)?.Bins[0] ?? new int[bins],
                usual.GetValueOrDefault(name)?.Bins ?? [.. then!.Select(t => new int[PatternTally.BinsOf(t.Window, step)])]
            );
    }

    private static long[] Line(int[] counts, int perLine) => [.. counts.Chunk(perLine).Select(c => c.Sum(n => (long)n))];

    /// <summary>What is usual in each stretch of the line; a baseline of another length is spread evenly.</summary>
    private static double[] UsualLine(int[][] stretches, int bins, int perLine, double scale)
    {
        var sums = new double[bins];
        if (Array.TrueForAll(stretches, s => s.Length == bins))
        {
            foreach (var stretch in stretches)
                for (var b = 0; b < bins; b++)
                    sums[b] += stretch[b] * scale;
        }
        else
            Array.Fill(sums, stretches.Sum(s => s.Sum(n => (double)n)) * scale / bins);
        return [.. sums.Chunk(perLine).Select(c => c.Sum())];
    }

    /// <summary>The stretches in which scatter is looked at.</summary>
    internal static long StepOf(Window window)
    {
        if (window.Length < FewSteps * StepLengths[0])
            return Math.Max(1, Math.Max(window.Length / (FewSteps * 4), Math.Min(Instants.Second, window.Length / FewSteps)));
        return StepLengths.FirstOrDefault(s => window.Length / s <= MostSteps, window.Length / MostSteps);
    }
}
