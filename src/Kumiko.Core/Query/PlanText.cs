using System.Globalization;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Execution;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query;

/// <summary>A plan in words.</summary>
internal static class PlanText
{
    public static IReadOnlyList<string> Of(Pipeline pipeline, LogConditions conditions, Snapshot snapshot)
    {
        var lines = new List<string>();
        if (pipeline.Scan is not null)
            lines.Add($"read {pipeline.Set}, newest first");
        else
        {
            snapshot = snapshot.Of(pipeline.Signal);
            var touched = snapshot.Batches.Where(b => pipeline.Reads.Overlaps(b.MinTime, b.MaxTime)).ToList();
            var segments = touched.OfType<SegmentBatch>().ToList();
            var kept = segments.Where(s => MayMatch(conditions, s, pipeline)).ToList();
            lines.Add(
                $"read {pipeline.Set}: {Number(kept.Count)} of {Number(snapshot.Segments.Count())} segments with {Number(kept.Sum(s => (long)s.Count))} records, {Number(touched.Except(segments).Sum(b => (long)b.Count))} recent records"
                    + (pipeline.Moved == 0 ? "" : $", times moved by {Records.Quantities.Duration(pipeline.Moved)}")
            );
            lines.Add(
                $"left out: {Number(snapshot.Segments.Count() - segments.Count)} segments by time, {Number(segments.Count - kept.Count)} by levels, counts, filter and templates"
            );
            foreach (var condition in conditions.Written.OrderBy(c => c.OnSegment.Cost))
                lines.Add($"test {QueryPrinter.PrintMatch(condition.Expr)}: {How(condition.OnSegment)}");
            foreach (var step in pipeline.RecordSteps)
                lines.Add($"stage {step.Index}: record by record" + (step.FitSlot is null ? "" : ", cuts fields out"));
        }
        if (pipeline.Group is { } group)
            lines.Add(
                $"stage {group.Index}: group by {(pipeline.RecordSteps.Count == 0 ? "columns" : "records")}, two workers, parts merged"
                    + (group.Highest is null ? "" : ", ranked over the window")
            );
        foreach (var step in pipeline.Steps)
            lines.Add($"stage {step.Index}: row by row" + (step.Join is null ? "" : ", the other side held by its keys"));
        if (pipeline.ReadsOn)
            lines.Add("newest first, stops when enough are read");
        return lines;
    }

    private static bool MayMatch(LogConditions conditions, SegmentBatch segment, Pipeline pipeline)
    {
        try
        {
            return conditions.MayMatch(segment, pipeline.Reads);
        }
        catch (DamagedSegmentException)
        {
            return false;
        }
    }

    private static string How(SegmentCondition condition) =>
        condition switch
        {
            TermCondition => "constants of templates, then columns of values",
            BodyCondition => "once for each template, else the rows that may hold it",
            FieldCondition => "once for each value of a dictionary, else its column",
            { Cost: >= 100 } => "row by row",
            _ => "parts in the order of their cost",
        };

    public static IReadOnlyList<string> Explained(
        IReadOnlyList<string> plan,
        long rows,
        TimeSpan answer,
        TimeSpan counting,
        IReadOnlyList<ConditionCount> conditions,
        ScanMeter meter
    ) =>
        [
            .. plan,
            $"answer: {Number(rows)} rows in {Milliseconds(answer)}, counts in {Milliseconds(counting)} more",
            $"read: {Number(meter.Segments)} segments, {Number(meter.Rows)} rows looked at, {Number(meter.Bytes >> 10)} KiB of columns; skipped {Number(meter.Skipped)} segments with {Number(meter.SkippedRows)} rows",
            .. conditions.Select(c => $"{QueryPrinter.PrintMatch(c.Condition)}: {Number(c.Alone)} alone, {Number(c.Left)} left"),
        ];

    private static string Milliseconds(TimeSpan time) =>
        time.TotalMilliseconds.ToString("0.0", CultureInfo.InvariantCulture) + " ms";

    private static string Number(long number) => number.ToString("N0", CultureInfo.InvariantCulture).Replace(',', '\u2009');
}
