using System.Globalization;
using System.Text;

namespace Kumiko.Charts;

/// <summary>How a style is drawn where no sheet is at hand: in exported SVG and in PNG. The application's sheet says the same for
/// pages.</summary>
/// <param name="Fill">Name of a colour; null for none.</param>
/// <param name="Stroke">Name of a colour; null for none.</param>
/// <param name="Size">Of text, pixels.</param>
public sealed record Look(
    string? Fill,
    string? Stroke,
    double Width = 1,
    float[]? Dash = null,
    double Opacity = 1,
    double Size = 12,
    bool Bold = false
);

/// <summary>The looks of all styles that drawings use.</summary>
public static class Looks
{
    private static readonly Dictionary<string, Look> Known = new(StringComparer.Ordinal)
    {
        ["grid"] = new(null, "hair", Opacity: 0.6),
        ["axis"] = new(null, "line"),
        ["day"] = new(null, "line"),
        ["night"] = new("folded", null, Opacity: 0.6),
        ["weekend"] = new("track", null, Opacity: 0.3),
        ["track"] = new("track", null),
        ["rest"] = new("line", null),
        ["tick"] = new("ink-soft", null),
        ["chart-empty"] = new("ink-soft", null, Size: 14),
        ["chart-title"] = new("ink", null, Size: 15, Bold: true),
        ["axis-title"] = new("ink-soft", null),
        ["bar-name"] = new("ink", null, Size: 13),
        ["bar-figure"] = new("ink", null, Size: 12.5),
        ["multiple-name"] = new("ink", null, Size: 13, Bold: true),
        ["single-name"] = new("ink-soft", null, Size: 13),
        ["single-value"] = new("ink", null, Size: 30, Bold: true),
        ["gauge-value"] = new("ink", null, Size: 20, Bold: true),
        ["cell-bar"] = new("track", null),
        ["muted"] = new("sheet", null, Opacity: 0.62),
        ["edge"] = new(null, "indigo"),
        ["change"] = new("ink", null),
        ["change-line"] = new(null, "ink", Dash: [2, 3]),
        ["pin"] = new("indigo", null),
        ["pin-line"] = new(null, "indigo", Dash: [6, 2]),
        ["event-label"] = new("ink", null),
        ["lasting"] = new("ink-soft", null),
        ["behind"] = new("line", null, Opacity: 0.45),
    };

    /// <summary>The look of a style as drawings name it.</summary>
    /// <param name="text">Whether it is text.</param>
    public static Look Of(string style, bool text = false)
    {
        var words = style.Split(' ');
        var slot = Array.Find(words, w => w.StartsWith("series-", StringComparison.Ordinal)) is { } series ? series[7] - '0' : -1;
        var colour = slot >= 0 ? "s" + (char)('0' + slot) : Level(words) ?? "s0";
        bool Has(string word) => Array.IndexOf(words, word) >= 0;
        if (text)
        {
            var of = Known.GetValueOrDefault(words[0], Known["tick"]);
            if (Has("limit-label"))
                of = of with
                {
                    Fill = words switch
                    {
                        _ when Has("critical") => "persimmon-ink",
                        _ when Has("warning") => "ochre-ink",
                        _ => "ink-soft",
                    },
                };
            return Has("day-label") ? of with { Fill = "ink", Bold = true } : of;
        }
        if (words[0].StartsWith("heat-", StringComparison.Ordinal))
            return new Look("s2", null, Opacity: 0.1 + (0.9 * (words[0][5] - '0') / (HeatMapForm.Shades - 1)));
        return words[0] switch
        {
            "line" when Has("ghost") => new Look(null, colour, 1.2, [5, 4], 0.6),
            "line" when Has("unfinished") => new Look(null, colour, 1.2, [2, 3]),
            "line" when Has("filled") => new Look(null, colour, 1.8, [1, 3]),
            "line" => new Look(
                null,
                colour,
                1.8,
                words switch
                {
                    _ when Has("whole") => null,
                    _ when Has("dashed") => [7, 4],
                    _ when Has("dotted") => [1.5f, 3],
                    _ when slot >= 0 => Palette.Dashes[slot],
                    _ => null,
                }
            ),
            "spread" => new Look(colour, null, Opacity: 0.16),
            "area" => new Look(colour, null, Opacity: 0.14),
            "stack" => new Look(colour, null, Opacity: 0.55),
            "column" => new Look(
                colour,
                null,
                Opacity: words switch
                {
                    _ when Has("unfinished") => 0.45,
                    _ when Has("filled") => 0.3,
                    _ => 1,
                }
            ),
            "dot" when Has("open") => new Look(colour, null, Opacity: 0.55),
            "dot" or "part" => Has("rest") ? Known["rest"] : new Look(colour, null),
            "lasting" when Level(words) is { } level => new Look(level, null),
            "gauge" => new Look(Level(words) ?? "indigo", null),
            "band" => new Look(Level(words) ?? "moss", null, Opacity: 0.12),
            "limit" => new Look(null, Level(words) ?? "ink-soft", 1.4, Has("whole") ? null : [7, 4]),
            _ => Known.GetValueOrDefault(words[0], new Look(null, "line")),
        };
    }

    private static string? Level(string[] words)
    {
        foreach (var word in words)
            if (
                word switch
                {
                    "critical" => "persimmon",
                    "warning" => "ochre",
                    "well" => "moss",
                    _ => null,
                } is
                { } colour
            )
                return colour;
        return null;
    }

    /// <summary>A sheet for a picture that stands alone, with the styles that it uses.</summary>
    internal static string Sheet(Theme theme, IEnumerable<Mark> marks)
    {
        var sheet = new StringBuilder("text{font-family:\"Atkinson Hyperlegible Next\",\"Atkinson Hyperlegible\",sans-serif}");
        foreach (var (style, text) in marks.Select(m => (m.Style, m is TextMark)).Distinct())
        {
            var look = Of(style, text);
            sheet.Append(
                CultureInfo.InvariantCulture,
                $"{(text ? "text" : "")}[class=\"{style}\"]{{fill:{(look.Fill is null ? "none" : Palette.Colour(look.Fill, theme))}"
            );
            if (look.Stroke is not null)
                sheet.Append(
                    CultureInfo.InvariantCulture,
                    $";stroke:{Palette.Colour(look.Stroke, theme)};stroke-width:{look.Width}"
                );
            if (look.Dash is { } dash)
                sheet.Append(CultureInfo.InvariantCulture, $";stroke-dasharray:{string.Join(' ', dash)}");
            if (look.Opacity < 1)
                sheet.Append(CultureInfo.InvariantCulture, $";opacity:{look.Opacity:0.##}");
            if (text)
                sheet.Append(CultureInfo.InvariantCulture, $";font-size:{look.Size}px{(look.Bold ? ";font-weight:600" : "")}");
            sheet.Append('}');
        }
        return sheet.ToString();
    }
}
