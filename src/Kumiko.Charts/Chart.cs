using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>A frame and a specification become a picture. A pure function of its arguments.</summary>
public static class Chart
{
    /// <summary>Several frames in one picture: lines on one axis of time, or what has the keys of the first in another form. Null
    /// where they cannot be drawn in that form.</summary>
    public static Drawing? Draw(IReadOnlyList<Frame> frames, ChartSpec spec, ChartView view)
    {
        if (spec.MultiplesBy is null && (spec.Form ?? ChartForms.Line) is { IsOverTime: true } form)
            return OverTime.Draw(frames, spec with { Form = form }, view);
        if (frames.Count == 0)
            return null;
        return Draw(Merged(frames), spec, view);
    }

    /// <summary>Frames with the keys of the first as one, a column for each figure; the others are left out.</summary>
    public static Frame Merged(IReadOnlyList<Frame> frames)
    {
        static IEnumerable<string> KeysOf(Frame frame) =>
            frame.Schema.Columns.Where(c => c.Role == ColumnRole.Key).Select(c => c.Name);
        var alike = frames
            .Where(f => f.Schema.Step == frames[0].Schema.Step && KeysOf(f).SequenceEqual(KeysOf(frames[0])))
            .ToList();
        if (alike.Count == 1)
            return alike[0];
        IReadOnlyList<Column> shared = [.. frames[0].Schema.Columns.Where(c => c.Role is ColumnRole.Time or ColumnRole.Key)];
        IReadOnlyList<Column> columns =
        [
            .. shared,
            .. alike.SelectMany(f => f.Schema.Columns.Where(c => c.Role == ColumnRole.Value)).DistinctBy(c => c.Name),
        ];
        var rows = new Dictionary<string, Value[]>(StringComparer.Ordinal);
        foreach (var frame in alike)
        {
            int[] places = [.. columns.Select(c => frame.Schema.IndexOf(c.Name))];
            foreach (var row in frame.Rows)
            {
                var key = string.Join(
                    '\0',
                    shared.Select(
                        (c, i) =>
                            c.Role == ColumnRole.Time
                                ? row[places[i]].AsLong.ToString(System.Globalization.CultureInfo.InvariantCulture)
                                : row[places[i]].ToText()
                    )
                );
                if (!rows.TryGetValue(key, out var merged))
                {
                    rows.Add(key, merged = new Value[columns.Count]);
                    Array.Fill(merged, Value.Missing);
                }
                for (var i = 0; i < places.Length; i++)
                    if (places[i] >= 0 && !row[places[i]].IsMissing)
                        merged[i] = row[places[i]];
            }
        }
        return new Frame(frames[0].Schema with { Columns = columns }, [.. rows.Values]);
    }

    /// <summary>All rows of some frames as one, for a file: with the keys of any of them, which are empty where a frame has them
    /// not.</summary>
    public static Frame Listed(IReadOnlyList<Frame> frames)
    {
        if (
            Merged(frames) is var merged
            && frames.All(f => f.Schema.Columns.All(c => c.Role == ColumnRole.Detail || merged.Schema.IndexOf(c.Name) >= 0))
        )
            return merged;
        var all = frames.SelectMany(f => f.Schema.Columns).DistinctBy(c => c.Name).ToList();
        IReadOnlyList<Column> columns =
        [
            .. all.Where(c => c.Role == ColumnRole.Time),
            .. all.Where(c => c.Role == ColumnRole.Key),
            .. all.Where(c => c.Role == ColumnRole.Value),
        ];
        return new Frame(
            frames[0].Schema with
            {
                Columns = columns,
            },
            [
                .. frames.SelectMany(f =>
                {
                    int[] places = [.. columns.Select(c => f.Schema.IndexOf(c.Name))];
                    return f.Rows.Select(row => Array.ConvertAll(places, at => at < 0 ? Value.Missing : row[at]));
                }),
            ]
        );
    }

    /// <summary>The picture; null where the frame cannot be drawn in that form.</summary>
    public static Drawing? Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        if (spec.MultiplesBy is { } by)
            return Multiples.Draw(frame, spec, view, by);
        return (spec.Form ?? Suggest(frame).Form).Draw(frame, spec, view);
    }

    /// <summary>The form that a frame's shape calls for, and why.</summary>
    public static (ChartForm Form, string Reason) Suggest(Frame frame)
    {
        var shape = new FrameShape(frame);
        var (form, suggested) = ChartForms.All.Select(f => (Form: f, Suggested: f.Suggest(shape))).MaxBy(f => f.Suggested?.How);
        return (form, suggested?.Reason ?? "");
    }
}
