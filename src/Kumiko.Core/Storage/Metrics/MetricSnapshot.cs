using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>A stretch of one series: samples from one place to another, or a level of a day.</summary>
/// <param name="Run">Null for a level.</param>
public sealed record SamplePiece(SampleRun? Run, int First, int End, Level? Level, int Grain, long Day)
{
    public long Start => Run is not null ? Run.Times[First] : Day;
}

/// <summary>What a reader of samples can make use of.</summary>
/// <param name="Window">In which samples count.</param>
/// <param name="Before">Nanoseconds before the window that are read too, for what counters grew since.</param>
/// <param name="Grain">The coarsest level that does; 0 for the samples alone.</param>
/// <param name="Sketches">Whether levels must tell percentiles.</param>
/// <param name="Edges">Whether levels must tell first and last values.</param>
public sealed record SampleNeeds(
    Window Window,
    long Before = 0,
    int Grain = Grains.Samples,
    bool Sketches = false,
    bool Edges = false
);

/// <summary>The samples of some series up to one commit. While it is not disposed, their segments stay, whatever becomes of
/// them.</summary>
public sealed class MetricSnapshot : IDisposable
{
    private readonly Database _database;
    private readonly MetricSegment[] _segments;
    private readonly BufferView[] _views;
    private readonly VersionPins<MetricSegment[]>.Pin _pin;
    private readonly Action<MetricSegment, string> _setAside;

    /// <summary>Bytes between two series from which on passing over them is quicker than reading them.</summary>
    private const int FarApart = 32 << 10;

    internal MetricSnapshot(
        Database database,
        MetricSeries[] series,
        MetricSegment[] segments,
        BufferView[] views,
        VersionPins<MetricSegment[]>.Pin pin,
        Action<MetricSegment, string> setAside
    ) => (_database, Series, _segments, _views, _pin, _setAside) = (database, series, segments, views, pin, setAside);

    /// <summary>By rising number.</summary>
    public IReadOnlyList<MetricSeries> Series { get; }

    public void Dispose() => _pin.Dispose();

    /// <summary>About how many samples its series have in a window.</summary>
    public long CountAbout(Window window)
    {
        if (Series.Count == 0)
            return 0;
        var sum = 0.0;
        foreach (var s in _segments)
            if (
                s.MinTime < window.To
                && s.MaxTime >= window.From
                && s.Places(Series[0].Id, Series[^1].Id) is var (first, end)
                && first < end
            )
                sum += (double)s.Samples * Math.Min(Series.Count, end - first) / s.Series.Length;
        return (long)sum + _views.Sum(v => (long)v.Count);
    }

    /// <summary>All samples of its series in some segments, the later segment's where two have one at one time.</summary>
    internal IEnumerable<(MetricSeries Series, SampleRun Run)> OfSegments(IReadOnlyList<MetricSegment> segments)
    {
        if (Series.Count == 0)
            yield break;
        using var connection = _database.Read();
        var runs = new List<SampleRun>?[Series.Count];
        foreach (var segment in segments.OrderBy(s => s.Id))
            ReadRuns(connection, segment, 0, Series.Count, (i, run) => (runs[i] ??= []).Add(run), _ => true);
        for (var i = 0; i < runs.Length; i++)
            yield return (Series[i], runs[i] is { } found ? SampleRun.Merge(found) : SampleRun.Empty);
    }

    /// <summary>What some of the series have in a window, piece by piece in order of time; pieces do not overlap.</summary>
    /// <param name="first">Place of the first series in <see cref="Series"/>.</param>
    /// <param name="end">The place behind the last.</param>
    public IEnumerable<(MetricSeries Series, IReadOnlyList<SamplePiece> Pieces)> Read(
        int first,
        int end,
        SampleNeeds needs,
        CancellationToken cancel
    )
    {
        var from = needs.Window.From - needs.Before;
        var (lowest, highest) = (Series[first].Id, Series[end - 1].Id);
        var count = end - first;
        var runs = new List<SampleRun>?[count];
        var pieces = new List<SamplePiece>?[count];
        var touched = _segments
            .Where(s =>
                s.MinTime < needs.Window.To
                && s.MaxTime >= from
                && s.Series.Length > 0
                && s.Series[0] <= highest
                && s.Series[^1] >= lowest
                && s.Places(lowest, highest) is var (a, b)
                && a < b
            )
            .OrderBy(s => s.Id)
            .ToList();
        using (var connection = _database.Read())
            foreach (var day in touched.GroupBy(s => s.Day))
            {
                MetricSegment[] ofDay = [.. day];
                foreach (var segment in ofDay)
                {
                    cancel.ThrowIfCancellationRequested();
                    var levelled = new bool[count];
                    if (needs.Grain > 0 && segment.IsClosed)
                        ReadLevels(connection, segment, ofDay, first, end, needs, levelled, (i, piece) =>
                            (pieces[i - first] ??= []).Add(piece)
                        );
                    if (segment.HasSamples)
                        ReadRuns(
                            connection,
                            segment,
                            first,
                            end,
                            (i, run) => (runs[i - first] ??= []).Add(run),
                            i => !levelled[i - first]
                        );
                }
            }
        for (var i = 0; i < count; i++)
        {
            if (_views[first + i].Count > 0)
                (runs[i] ??= []).Add(_views[first + i].Run());
            var all = pieces[i] ?? [];
            foreach (var run in Apart(runs[i]))
            {
                var (start, stop) = run.Range(from, needs.Window.To);
                if (start < stop)
                    all.Add(new SamplePiece(run, start, stop, null, 0, 0));
            }
            if (all.Count > 1)
                all.Sort((a, b) => a.Start.CompareTo(b.Start));
            yield return (Series[first + i], all);
        }
    }

    /// <summary>Runs that overlap as one.</summary>
    private static IEnumerable<SampleRun> Apart(List<SampleRun>? runs)
    {
        if (runs is null)
            yield break;
        if (runs.Count == 1)
        {
            yield return runs[0];
            yield break;
        }
        // In the order of their first samples, each with its age: the later came stands where two have one time.
        var sorted = runs.Select((run, age) => (run, age)).Where(r => r.run.Count > 0).OrderBy(r => r.run.Times[0]).ToList();
        for (var i = 0; i < sorted.Count; )
        {
            var last = sorted[i].run.Times[^1];
            var end = i + 1;
            for (; end < sorted.Count && sorted[end].run.Times[0] <= last; end++)
                last = Math.Max(last, sorted[end].run.Times[^1]);
            yield return end == i + 1
                ? sorted[i].run
                : SampleRun.Merge([.. sorted[i..end].OrderBy(r => r.age).Select(r => r.run)]);
            i = end;
        }
    }

    /// <summary>Takes the coarsest level that does, where it is all that a series has of the day.</summary>
    private void ReadLevels(
        SqliteConnection connection,
        MetricSegment segment,
        MetricSegment[] ofDay,
        int first,
        int end,
        SampleNeeds needs,
        bool[] levelled,
        Action<int, SamplePiece> take
    )
    {
        var whole = segment.Day >= needs.Window.From && segment.Day + Instants.Day <= needs.Window.To;
        // Where the samples are gone, steps that lie in the window are better than nothing.
        if (!whole && segment.HasSamples)
            return;
        for (var grain = needs.Grain; grain > 0; grain--)
        {
            if (!segment.Has(grain) || (needs.Edges && grain == Grains.Minutes))
                continue;
            var offsets = segment.Offsets[grain];
            var wanted = Wanted(segment, first, end)
                .Where(w => !levelled[w.Place - first] && offsets[w.At + 1] > offsets[w.At] && IsAlone(segment, ofDay, w.Place))
                .ToList();
            if (wanted.Count == 0)
                continue;
            try
            {
                var start = offsets[wanted[0].At];
                var bytes = ReadPart(connection, segment, grain, start, offsets[wanted[^1].At + 1] - start);
                foreach (var (place, at) in wanted)
                {
                    var level = Level.Read(bytes.AsSpan(offsets[at] - start, offsets[at + 1] - offsets[at]), needs.Sketches);
                    if (needs.Sketches && level.Sketches is null && level.Distributions is null && segment.HasSamples)
                        continue;
                    levelled[place - first] = true;
                    take(place, new SamplePiece(null, 0, 0, level, grain, segment.Day));
                }
            }
            catch (InvalidDataException e)
            {
                _setAside(segment, e.Message);
                return;
            }
        }
    }

    /// <summary>Whether no other segment, and nothing in memory, has samples of this series on the segment's day.</summary>
    private bool IsAlone(MetricSegment segment, MetricSegment[] ofDay, int place)
    {
        foreach (var other in ofDay)
            if (other.Id != segment.Id && Array.BinarySearch(other.Series, Series[place].Id) >= 0)
                return false;
        var view = _views[place];
        for (var i = 0; i < view.Count; i++)
            if (view.Times[i] >= segment.Day && view.Times[i] < segment.Day + Instants.Day)
                return false;
        return true;
    }

    /// <summary>Places of the series that are asked for, with where they stand in a segment.</summary>
    private IEnumerable<(int Place, int At)> Wanted(MetricSegment segment, int first, int end)
    {
        var at = segment.Places(Series[first].Id, Series[end - 1].Id).First;
        for (var i = first; i < end; i++)
        {
            while (at < segment.Series.Length && segment.Series[at] < Series[i].Id)
                at++;
            if (at == segment.Series.Length)
                yield break;
            if (segment.Series[at] == Series[i].Id)
                yield return (i, at);
        }
    }

    private void ReadRuns(
        SqliteConnection connection,
        MetricSegment segment,
        int first,
        int end,
        Action<int, SampleRun> take,
        Predicate<int> asked
    )
    {
        var wanted = Wanted(segment, first, end).Where(w => asked(w.Place)).ToList();
        if (wanted.Count == 0)
            return;
        try
        {
            var offsets = segment.Offsets[Grains.Samples];
            byte[]? area = null;
            var blocks = new Dictionary<int, TimeBlock>();
            TimeBlock Shared(int at)
            {
                if (blocks.TryGetValue(at, out var block))
                    return block;
                area ??= ReadPart(connection, segment, Grains.Samples, 0, offsets[0]);
                if (at >= area.Length)
                    throw new InvalidDataException("Times lie outside their segment.");
                var from = new ByteReader(area.AsSpan(at));
                block = SampleChunk.ReadTimes(ref from);
                SampleChunk.Open(area.AsSpan(at, Math.Min(area.Length - at, from.Position + sizeof(uint))));
                blocks.Add(at, block);
                return block;
            }
            // Series that lie near each other are read at once, and what lies between far ones is not.
            for (var i = 0; i < wanted.Count; )
            {
                var last = i;
                while (last + 1 < wanted.Count && offsets[wanted[last + 1].At] - offsets[wanted[last].At + 1] < FarApart)
                    last++;
                var start = offsets[wanted[i].At];
                var bytes = ReadPart(connection, segment, Grains.Samples, start, offsets[wanted[last].At + 1] - start);
                for (; i <= last; i++)
                {
                    var (place, at) = wanted[i];
                    var run = SampleChunk.Read(bytes.AsSpan(offsets[at] - start, offsets[at + 1] - offsets[at]), Shared);
                    if (run.Count > 0)
                        take(place, run);
                }
            }
        }
        catch (InvalidDataException e)
        {
            _setAside(segment, e.Message);
        }
    }

    private static byte[] ReadPart(SqliteConnection connection, MetricSegment segment, int grain, int from, int length)
    {
        try
        {
            using var blob = new SqliteBlob(
                connection,
                "metric_part",
                "content",
                MetricTable.PartId(segment.Id, grain),
                readOnly: true
            );
            if (from < 0 || length < 0 || blob.Length < (long)from + length)
                throw new InvalidDataException("A part is shorter than its directory says.");
            var bytes = new byte[length];
            blob.Position = from;
            blob.ReadExactly(bytes);
            return bytes;
        }
        catch (SqliteException e)
        {
            throw new InvalidDataException("A part cannot be read: " + e.Message, e);
        }
    }
}
