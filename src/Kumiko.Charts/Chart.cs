using Kumiko.Charts.Forms;
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
        if (spec.MultiplesBy is null && OverTime.Takes(spec.Form ?? ChartForm.Line))
            return OverTime.Draw(frames, spec with { Form = spec.Form ?? ChartForm.Line }, view);
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
        var form = spec.Form ?? Suggest(frame).Form;
        return form switch
        {
            ChartForm.Bar => Bars.Draw(frame, spec, view, ranking: false),
            ChartForm.Ranking => Bars.Draw(frame, spec, view, ranking: true),
            ChartForm.Single => SingleValue.Draw(frame, spec, view),
            ChartForm.Gauge => Gauge.Draw(frame, spec, view),
            ChartForm.Donut => Donut.Draw(frame, spec, view),
            ChartForm.HeatMap => HeatMap.Draw(frame, spec, view),
            ChartForm.Histogram => Histogram.Draw(frame, spec, view),
            ChartForm.Scatter => Scatter.Draw(frame, spec, view),
            ChartForm.Table => CellTable.Draw(frame, spec, view),
            _ => OverTime.Draw(frame, spec with { Form = form }, view),
        };
    }

    /// <summary>The form that a frame's shape calls for, and why.</summary>
    public static (ChartForm Form, string Reason) Suggest(Frame frame)
    {
        const int FewSteps = 16;
        const int ManySeries = 40;
        const int FewParts = 8;
        var columns = frame.Schema.Columns;
        var figures = columns.Count(c => c.Role == ColumnRole.Value);
        var keys = Enumerable.Range(0, columns.Count).Where(i => columns[i].Role == ColumnRole.Key).ToList();
        if (figures == 0)
            return (ChartForm.Table, "No column holds figures, so it is a table.");
        if (frame.Schema.Step is not null && frame.Schema.IndexOf(ColumnRole.Time) is >= 0 and var time)
        {
            var steps = frame.Rows.Select(r => r[time].AsLong).Distinct().Count();
            var series = frame.Rows.GroupBy(r => SeriesTable.NameOf(r, keys, "", false)).Count() * figures;
            if (
                keys.Count == 1
                && figures == 1
                && frame.Rows.Count > 0
                && frame.Rows.All(r => SeriesTable.Number(r[keys[0]]) is not null)
            )
                return (ChartForm.HeatMap, $"Figures by time and by the number {columns[keys[0]].Name} are a heat map.");
            if (series > ManySeries && figures == 1)
                return (ChartForm.HeatMap, $"{series} series are too many for lines; a heat map has a row for each.");
            if (steps < FewSteps && figures == 1)
                return (ChartForm.StackedColumn, $"{steps} steps are few; columns show each of them.");
            return (ChartForm.Line, "Figures over steps of time are lines.");
        }
        if (keys.Count == 0 && frame.Rows.Count <= 1)
            return (ChartForm.Single, "One row without keys is a single value.");
        if (keys.Count == 1 && figures == 1)
        {
            if (frame.Rows.Count > 2 && frame.Rows.All(r => SeriesTable.Number(r[keys[0]]) is not null))
                return (ChartForm.Histogram, $"Figures by the number {columns[keys[0]].Name} are a histogram.");
            if (frame.Rows.Count <= FewParts && columns.First(c => c.Role == ColumnRole.Value).Unit == "1")
                return (ChartForm.Donut, "A few shares of a whole are a donut.");
            return (ChartForm.Bar, "Figures by one key are bars.");
        }
        if (figures == 2 && frame.Rows.Count > 20)
            return (ChartForm.Scatter, "Two figures for each of many rows are a scatter.");
        return (ChartForm.Table, "Several keys or figures without steps of time are a table.");
    }
}
