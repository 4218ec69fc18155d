using System.Collections.Concurrent;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Gathering;

/// <summary>How often a pattern came: by stretches of each window, by severity, and when first and last.</summary>
internal sealed class PatternCounts(int[] bins)
{
    /// <summary>Counts by window and stretch.</summary>
    public int[][] Bins { get; } = [.. bins.Select(b => new int[b])];

    /// <summary>By severity band: unspecified, then trace to fatal.</summary>
    public long[] Bands { get; } = new long[Histogram.Bands];

    public long First { get; private set; } = long.MaxValue;
    public long Last { get; private set; } = long.MinValue;
    public long Count => Bands.Sum();

    public void Seen(long first, long last) => (First, Last) = (Math.Min(First, first), Math.Max(Last, last));

    public void Merge(PatternCounts other)
    {
        for (var w = 0; w < Bins.Length; w++)
        for (var b = 0; b < Bins[w].Length; b++)
            Bins[w][b] += other.Bins[w][b];
        for (var band = 0; band < Bands.Length; band++)
            Bands[band] += other.Bands[band];
        Seen(other.First, other.Last);
    }
}

/// <summary>
/// Counts records by pattern and stretch of time, by two workers. Of a segment it reads templates, times and severities, and
/// puts no record together.
/// </summary>
internal sealed class PatternTally
{
    /// <summary>The name of what has no pattern.</summary>
    public const string None = "";

    private static readonly byte[] BandOf = [.. Enumerable.Range(0, 256).Select(s => (byte)Severity.Band(s))];

    private readonly Dictionary<string, PatternCounts> _counts = new(StringComparer.Ordinal);
    private readonly Dictionary<long, PatternCounts> _ofTemplate = [];
    private readonly PatternView _patterns;
    private readonly int[] _bins;
    private readonly long _step;
    private readonly CancellationToken _cancel;

    private PatternTally(PatternView patterns, int[] bins, long step, CancellationToken cancel) =>
        (_patterns, _bins, _step, _cancel) = (patterns, bins, step, cancel);

    /// <summary>Stretches of a window.</summary>
    public static int BinsOf(Window window, long step) => (int)((window.Length + step - 1) / step);

    /// <param name="what">Matches, each with the window that counts.</param>
    /// <param name="step">Nanoseconds of a stretch.</param>
    public static Dictionary<string, PatternCounts> Count(
        IReadOnlyList<(MatchSet Matches, Window Window)> what,
        long step,
        PatternView patterns,
        CancellationToken cancel
    )
    {
        int[] bins = [.. what.Select(w => BinsOf(w.Window, step))];
        var parts = what.SelectMany((w, at) => w.Matches.PartsIn(w.Window).Select(part => (Part: part, w.Window, at)))
            .OrderByDescending(p => p.Part.Count)
            .ToArray();
        var workers = new ConcurrentBag<PatternTally>();
        var next = -1;
        Parallel.For(
            0,
            Math.Min(2, parts.Length),
            new ParallelOptions { MaxDegreeOfParallelism = 2, CancellationToken = cancel },
            _ =>
            {
                var worker = new PatternTally(patterns, bins, step, cancel);
                workers.Add(worker);
                for (var i = Interlocked.Increment(ref next); i < parts.Length; i = Interlocked.Increment(ref next))
                {
                    cancel.ThrowIfCancellationRequested();
                    worker.Add(parts[i].Part, parts[i].Window, parts[i].at);
                }
            }
        );
        var all = workers.ToList();
        if (all.Count == 0)
            return [];
        foreach (var (name, counts) in all.Skip(1).SelectMany(more => more._counts))
            if (all[0]._counts.TryGetValue(name, out var into))
                into.Merge(counts);
            else
                all[0]._counts.Add(name, counts);
        return all[0]._counts;
    }

    private PatternCounts Of(in Value pattern)
    {
        var name = pattern.IsMissing ? None : pattern.AsText;
        if (!_counts.TryGetValue(name, out var counts))
            _counts.Add(name, counts = new PatternCounts(_bins));
        return counts;
    }

    private PatternCounts OfTemplate(long template)
    {
        if (!_ofTemplate.TryGetValue(template, out var counts))
            _ofTemplate.Add(template, counts = Of(_patterns.ValueOf(template)));
        return counts;
    }

    private void Add(MatchSet.Part part, Window window, int at)
    {
        if (part.Batch is SegmentBatch segment)
        {
            try
            {
                segment.Scan(null, scan =>
                {
                    Add(scan, part, window, at);
                    return 0;
                });
            }
            // The store has set it aside and said so; the rest goes on.
            catch (DamagedSegmentException) { }
            return;
        }
        if (part.TryOpen(records: true) is not { } rows)
            return;
        for (var i = 0; i < part.Count; i++)
        {
            if (i % BatchTest.CancelEvery == 0)
                _cancel.ThrowIfCancellationRequested();
            var record = rows[part[i]];
            var counts = Of(_patterns.Of(record));
            counts.Bins[at][(int)((record.Time - window.From) / _step)]++;
            counts.Bands[Severity.Band(record.SeverityNumber)]++;
            counts.Seen(record.Time, record.Time);
        }
    }

    private void Add(SegmentScan scan, MatchSet.Part part, Window window, int at)
    {
        var ofRow = scan.Bodies.TemplateOfRow;
        var times = scan.Times;
        var severities = scan.Severities;
        var templates = scan.Bodies.Templates;
        var first = (int)((times[part[0]] - window.From) / _step);
        var last = (int)((times[part[part.Count - 1]] - window.From) / _step);
        // A cell for each template in each stretch; rows come in the order of their times.
        var cells = new int[(last - first + 1) * templates.Length];
        var bands = new int[templates.Length * Histogram.Bands];
        var seen = new (int First, int Last)[templates.Length];
        Array.Fill(seen, (-1, -1));
        var (cell, end) = (0, window.From + ((first + 1) * _step));
        for (var i = 0; i < part.Count; i++)
        {
            var row = part[i];
            while (times[row] >= end)
            {
                cell += templates.Length;
                end += _step;
            }
            var template = ofRow[row];
            cells[cell + template]++;
            bands[(template * Histogram.Bands) + BandOf[severities[row]]]++;
            ref var places = ref seen[template];
            if (places.First < 0)
                places.First = row;
            places.Last = row;
        }
        for (var t = 0; t < templates.Length; t++)
        {
            if (seen[t].First < 0)
                continue;
            var counts = OfTemplate(templates[t].Id);
            for (var bin = first; bin <= last; bin++)
                counts.Bins[at][bin] += cells[((bin - first) * templates.Length) + t];
            for (var band = 0; band < Histogram.Bands; band++)
                counts.Bands[band] += bands[(t * Histogram.Bands) + band];
            counts.Seen(times[seen[t].First], times[seen[t].Last]);
        }
    }
}
