using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>A table as a picture, a bar behind each figure.</summary>
internal sealed class TableForm() : ChartForm("Table", "table")
{
    private const double Row = 24;
    private const double Head = 26;
    private const double Pad = 10;
    private const int MostRows = 500;

    public override bool Takes(FrameShape shape) => true;

    public override (Suits How, string Reason)? Suggest(FrameShape shape) =>
        shape.Figures == 0
            ? (Suits.Best, "No column holds figures, so it is a table.")
            : (Suits.Otherwise, "Several keys or figures without steps of time are a table.");

    public override Drawing Draw(Frame frame, ChartSpec spec, ChartView view)
    {
        var columns = frame.Schema.Columns;
        if (frame.Rows.Count == 0)
            return Nothing.Draw(spec, view);
        var rows = frame.Rows.Take(MostRows).ToList();
        var (above, _) = Surround.Heights(spec, view, []);
        string Text(int c, Value value) =>
            columns[c].Role == ColumnRole.Value && SeriesTable.Number(value) is { } number && value.Kind != ValueKind.Time
                ? Format.Marked(
                    value.Marks.HasFlag(ValueMarks.Beyond),
                    ChartUnit.Of(columns[c], spec.Left.Unit).Text(number, spec.Left.Decimals)
                )
                : Format.Value(value, view.Zone);
        var wanted = columns
            .Select(
                (c, i) =>
                    Math.Min(
                        260,
                        Math.Max(TextSize.Width(c.Name), rows.Max(r => TextSize.Width(Text(i, r[i]))))
                            + (2 * Pad)
                            + (c.Role == ColumnRole.Value ? 30 : 0)
                    )
            )
            .ToArray();
        // Room that is left goes to the figures, where bars use it; where there is too little all give some.
        var (sum, figures) = (wanted.Sum(), columns.Count(c => c.Role == ColumnRole.Value));
        for (var i = 0; i < wanted.Length; i++)
            if (sum > view.Width)
                wanted[i] *= view.Width / sum;
            else if (columns[i].Role == ColumnRole.Value)
                wanted[i] += Math.Min(160, (view.Width - sum) / Math.Max(1, figures));
        var marks = new List<Mark>();
        var x = 0.0;
        var height = above + Head + (rows.Count * Row) + 6;
        for (var c = 0; c < columns.Count; c++)
        {
            var figure = columns[c].Role == ColumnRole.Value;
            var most = figure ? rows.Max(r => Math.Abs(SeriesTable.Number(r[c]) ?? 0)) : 0;
            marks.Add(
                new TextMark(
                    figure ? x + wanted[c] - Pad : x + Pad,
                    above + 17,
                    TextSize.Fit(columns[c].Name, wanted[c] - (2 * Pad)),
                    figure ? Anchor.End : Anchor.Start,
                    "tick"
                )
            );
            for (var r = 0; r < rows.Count; r++)
            {
                var y = above + Head + (r * Row);
                if (figure && most > 0 && SeriesTable.Number(rows[r][c]) is { } number && number != 0)
                    marks.Add(
                        new RectMark(
                            x + Pad - 4,
                            y + 4,
                            Math.Max(1, Math.Abs(number) / most * (wanted[c] - (2 * Pad) + 8)),
                            Row - 9,
                            number < 0 ? "cell-bar below" : "cell-bar"
                        )
                    );
                marks.Add(
                    new TextMark(
                        figure ? x + wanted[c] - Pad : x + Pad,
                        y + 16,
                        TextSize.Fit(Text(c, rows[r][c]), wanted[c] - (2 * Pad)),
                        figure ? Anchor.End : Anchor.Start,
                        figure ? "bar-figure" : "bar-name"
                    )
                );
            }
            x += wanted[c];
        }
        for (var r = 0; r <= rows.Count; r++)
            marks.Add(
                new LineMark(0, above + Head + (r * Row) - 1, view.Width, above + Head + (r * Row) - 1, r == 0 ? "axis" : "grid")
            );
        marks.AddRange(Surround.Marks(spec, view, []));
        return new Drawing(
            view.Width,
            height,
            spec.Title,
            $"A table of {Format.Count(frame.Rows.Count, "row", "rows")} and {Format.Count(columns.Count, "column", "columns")}.",
            marks,
            null
        )
        {
            ViewHeight = height > view.Height ? view.Height : null,
            Note = rows.Count < frame.Rows.Count ? $"The first {rows.Count} of {Format.Number(frame.Rows.Count)} rows." : null,
        };
    }
}
