namespace Kumiko.Charts;

/// <summary>How much room texts take, guessed well enough to keep labels apart.</summary>
internal static class TextSize
{
    public const double Line = 16;
    private const double Character = 6.4;

    public static double Width(string text) => text.Length * Character;

    /// <summary>The text, cut with an ellipsis where it is longer than the room.</summary>
    public static string Fit(string text, double room)
    {
        if (Width(text) <= room)
            return text;
        var kept = (int)(room / Character) - 1;
        return kept < 1 ? "" : text[..kept].TrimEnd() + "…";
    }
}

/// <summary>What stands around the plot of a picture that is alone: its title above, its legend below.</summary>
internal static class Surround
{
    private const double Swatch = 18;
    private const double Gap = 18;

    /// <summary>Heights that title and legend take.</summary>
    public static (double Top, double Bottom) Heights(
        ChartSpec spec,
        ChartView view,
        IReadOnlyList<(string Name, string Style)> legend
    ) =>
        view.Alone
            ? (spec.Title.Length > 0 ? 26 : 6, Rows(view, legend).Count * TextSize.Line + (legend.Count > 0 ? 10 : 0))
            : (0, 0);

    public static IEnumerable<Mark> Marks(ChartSpec spec, ChartView view, IReadOnlyList<(string Name, string Style)> legend)
    {
        if (!view.Alone)
            yield break;
        if (spec.Title.Length > 0)
            yield return new TextMark(12, 20, TextSize.Fit(spec.Title, view.Width - 24), Anchor.Start, "chart-title");
        var rows = Rows(view, legend);
        for (var row = 0; row < rows.Count; row++)
        {
            var (x, y) = (12.0, view.Height - ((rows.Count - row) * TextSize.Line) + 4);
            foreach (var (name, style) in rows[row])
            {
                yield return new PathMark(
                    [
                        [(x, y - 4), (x + Swatch, y - 4)],
                    ],
                    "line " + style
                );
                yield return new TextMark(x + Swatch + 5, y, name, Anchor.Start, "tick");
                x += Swatch + 5 + TextSize.Width(name) + Gap;
            }
        }
    }

    private static List<List<(string Name, string Style)>> Rows(ChartView view, IReadOnlyList<(string Name, string Style)> legend)
    {
        var (rows, x) = (new List<List<(string, string)>>(), double.MaxValue);
        foreach (var (name, style) in legend)
        {
            var fit = TextSize.Fit(name, view.Width / 2);
            var width = Swatch + 5 + TextSize.Width(fit) + Gap;
            if (x + width > view.Width)
            {
                rows.Add([]);
                x = 12;
            }
            rows[^1].Add((fit, style));
            x += width;
        }
        return rows;
    }
}
