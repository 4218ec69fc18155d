using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <param name="Count">Records in the focus with this value.</param>
/// <param name="Share">Of all matching records in the focus, 0 to 1.</param>
/// <param name="Baseline">The same share in the baseline; null where the baseline has no records.</param>
/// <param name="Clear">Whether the two shares differ by more than chance would (|z| of two proportions of at least 3).</param>
public sealed record ValueShare(Value Value, long Count, double Share, double? Baseline, bool Clear)
{
    /// <summary>By how many points of percent the share moved; null without a baseline.</summary>
    public double? Shift => (Share - Baseline) * 100;
}

/// <summary>What one field holds in the matching records.</summary>
/// <param name="Present">Records that have it.</param>
/// <param name="Distinct">Number of different values, a lower bound where <paramref name="More"/>.</param>
/// <param name="Range">Smallest and largest where every value is a quantity of one kind.</param>
public sealed record FieldSummary(string Name, long Present, int Distinct, bool More, IReadOnlyList<ValueShare> Top, (Value Min, Value Max)? Range)
{
    /// <summary>Whether its values tell records apart rather than group them: ids, amounts.</summary>
    public bool IsScattered => Distinct > 30 && (Top.Count == 0 || Top[0].Share < 0.05);

    public double BiggestShift => Top.Where(v => v.Clear).Select(v => Math.Abs(v.Shift ?? 0)).DefaultIfEmpty(0).Max();
}

/// <summary>Counts the values of every field of records in a focus, against a baseline.</summary>
public static class FieldSummaries
{
    public const int TopValues = 5;
    private const int MostValues = 5_000, MostFields = 400;

    private sealed class Counter
    {
        public readonly Dictionary<Value, long> Values = [];
        public long Present;
        public bool More;

        public void Add(Value value, long times)
        {
            Present += times;
            if (Values.TryGetValue(value, out var count)) Values[value] = count + times;
            else if (Values.Count < MostValues) Values[value] = times;
            else More = true;
        }
    }

    public static IReadOnlyList<FieldSummary> Of(MatchSet focus, Window window, MatchSet? baseline, Window baselineWindow, CancellationToken cancel)
    {
        var now = Count(focus, window, cancel);
        var total = focus.CountIn(window);
        var baselineTotal = baseline?.CountIn(baselineWindow) ?? 0;
        var then = baseline is null || baselineTotal == 0 ? null : Count(baseline, baselineWindow, cancel);
        return [.. now.Select(f => Summarise(f.Key, f.Value, total, then?.GetValueOrDefault(f.Key), baselineTotal))
            .OrderBy(f => f.IsScattered).ThenByDescending(f => f.BiggestShift).ThenByDescending(f => f.Present).ThenBy(f => f.Name, StringComparer.Ordinal)];
    }

    private static Dictionary<string, Counter> Count(MatchSet matches, Window window, CancellationToken cancel)
    {
        var halves = matches.Halves(window);
        var counted = new Dictionary<string, Counter>[halves.Count];
        Parallel.For(0, halves.Count, new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel }, i => counted[i] = Count(halves[i], cancel));
        foreach (var (name, counter) in counted[1])
        {
            if (!counted[0].TryGetValue(name, out var into)) { counted[0].Add(name, counter); continue; }
            foreach (var (value, times) in counter.Values) into.Add(value, times);
            into.Present += counter.Present - counter.Values.Values.Sum();
            into.More |= counter.More;
        }
        return counted[0];
    }

    private static Dictionary<string, Counter> Count(IEnumerable<LogRecord> records, CancellationToken cancel)
    {
        var fields = new Dictionary<string, Counter>(StringComparer.Ordinal);
        var (level, service, host) = (fields["level"] = new(), fields["service"] = new(), fields["host"] = new());
        var read = 0;
        foreach (var record in records)
        {
            if (++read % 8_192 == 0) cancel.ThrowIfCancellationRequested();
            if (record.SeverityNumber > 0) level.Add(Value.Level(Bandwise(record.SeverityNumber)), 1);
            if (!record.Resource.Service.IsMissing) service.Add(record.Resource.Service, 1);
            if (!record.Resource.Host.IsMissing) host.Add(record.Resource.Host, 1);
            if (record.TraceId is { } trace) Add(fields, "trace_id", Value.Of(trace));
            var names = record.Attributes.Names;
            for (var i = 0; i < names.Length; i++) Add(fields, names[i], record.Attributes.Values[i]);
        }
        foreach (var name in new[] { "level", "service", "host" }) if (fields[name].Present == 0) fields.Remove(name);
        return fields;
    }

    private static void Add(Dictionary<string, Counter> fields, string name, Value value)
    {
        if (!fields.TryGetValue(name, out var counter))
        {
            if (fields.Count >= MostFields) return;
            fields.Add(name, counter = new Counter());
        }
        counter.Add(value, 1);
    }

    /// <summary>The first number of a severity's band, so that info and info2 are counted as one level.</summary>
    private static int Bandwise(int severity) => ((Severity.Band(severity) - 1) * 4) + 1;

    private static FieldSummary Summarise(string name, Counter counter, long total, Counter? then, long baselineTotal)
    {
        var top = counter.Values.OrderByDescending(v => v.Value).ThenBy(v => v.Key.ToText(), StringComparer.Ordinal).Take(TopValues)
            .Select(v => Share(v.Key, v.Value, total, then?.Values.GetValueOrDefault(v.Key) ?? 0, baselineTotal)).ToList();
        return new FieldSummary(name, counter.Present, counter.Values.Count, counter.More, top, RangeOf(counter));
    }

    private static ValueShare Share(Value value, long count, long total, long before, long baselineTotal)
    {
        var share = (double)count / total;
        if (baselineTotal == 0) return new ValueShare(value, count, share, null, false);
        var baseline = (double)before / baselineTotal;
        // Two proportions with a pooled share: Fleiss, Levin and Paik, Statistical Methods for Rates and Proportions, 2003, 3.1.
        var pooled = (double)(count + before) / (total + baselineTotal);
        var error = Math.Sqrt(pooled * (1 - pooled) * ((1.0 / total) + (1.0 / baselineTotal)));
        return new ValueShare(value, count, share, baseline, error > 0 && Math.Abs(share - baseline) / error >= 3);
    }

    private static (Value, Value)? RangeOf(Counter counter)
    {
        var (min, max) = (Value.Missing, Value.Missing);
        foreach (var value in counter.Values.Keys)
        {
            var quantity = value.IsText ? Language.Literals.ReadQuantity(value.AsText) : value;
            if (!quantity.IsQuantity || (!min.IsMissing && Evaluation.Comparison.Order(quantity, min) is null)) return null;
            if (min.IsMissing || Evaluation.Comparison.Sort(quantity, min) < 0) min = quantity;
            if (max.IsMissing || Evaluation.Comparison.Sort(quantity, max) > 0) max = quantity;
        }
        return min.IsMissing ? null : (min, max);
    }
}
