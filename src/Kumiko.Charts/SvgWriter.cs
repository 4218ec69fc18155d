using System.Globalization;
using System.Net;
using System.Text;

namespace Kumiko.Charts;

/// <summary>A drawing as SVG: text is escaped, looks come from classes, nothing runs.</summary>
public static class SvgWriter
{
    /// <param name="cssClass">The class of the svg element.</param>
    /// <param name="data">Further attributes of the svg element, such as what hovering says.</param>
    /// <param name="stretch">Whether the picture fills its box in both directions.</param>
    public static string Write(Drawing drawing, string cssClass, IEnumerable<(string Name, string Value)>? data = null, bool stretch = false)
    {
        var svg = new StringBuilder(16_384);
        var id = "d" + System.IO.Hashing.XxHash32.HashToUInt32(Encoding.UTF8.GetBytes(drawing.Description + cssClass)).ToString("x", CultureInfo.InvariantCulture);
        svg.Append(CultureInfo.InvariantCulture, $"<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"{cssClass}\" role=\"img\" aria-labelledby=\"{id}\" viewBox=\"0 0 {N(drawing.Width)} {N(drawing.Height)}\"");
        if (stretch) svg.Append(" preserveAspectRatio=\"none\"");
        foreach (var (name, value) in data ?? []) svg.Append(CultureInfo.InvariantCulture, $" {name}=\"{E(value)}\"");
        svg.Append(CultureInfo.InvariantCulture, $"><title id=\"{id}\">{E((drawing.Title + ": " + drawing.Description).TrimStart(':', ' '))}</title>");
        foreach (var mark in drawing.Marks) Append(svg, mark);
        return svg.Append("</svg>").ToString();
    }

    private static void Append(StringBuilder svg, Mark mark)
    {
        switch (mark)
        {
            case LineMark m: svg.Append(CultureInfo.InvariantCulture, $"<line class=\"{m.Style}\" x1=\"{N(m.X1)}\" y1=\"{N(m.Y1)}\" x2=\"{N(m.X2)}\" y2=\"{N(m.Y2)}\""); break;
            case RectMark m: svg.Append(CultureInfo.InvariantCulture, $"<rect class=\"{m.Style}\" x=\"{N(m.X)}\" y=\"{N(m.Y)}\" width=\"{N(m.Width)}\" height=\"{N(m.Height)}\""); break;
            case DotMark m: svg.Append(CultureInfo.InvariantCulture, $"<circle class=\"{m.Style}\" cx=\"{N(m.X)}\" cy=\"{N(m.Y)}\" r=\"{N(m.Radius)}\""); break;
            case PathMark m: svg.Append(CultureInfo.InvariantCulture, $"<path class=\"{m.Style}\" d=\"{Path(m)}\""); break;
            case TextMark m:
                var anchor = m.Anchor switch { Anchor.Middle => "middle", Anchor.End => "end", _ => "start" };
                svg.Append(CultureInfo.InvariantCulture, $"<text class=\"{m.Style}\" x=\"{N(m.X)}\" y=\"{N(m.Y)}\" text-anchor=\"{anchor}\">{E(m.Text)}</text>");
                return;
        }
        svg.Append(mark.Tip is null ? "/>" : $"><title>{E(mark.Tip)}</title></{Element(mark)}>");
    }

    private static string Element(Mark mark) => mark switch { LineMark => "line", RectMark => "rect", DotMark => "circle", _ => "path" };

    private static string Path(PathMark mark)
    {
        var path = new StringBuilder();
        foreach (var piece in mark.Pieces)
            for (var i = 0; i < piece.Count; i++)
                path.Append(i == 0 ? 'M' : 'L').Append(N(piece[i].X)).Append(' ').Append(N(piece[i].Y));
        return path.ToString();
    }

    private static string N(double number) => Math.Round(number, 2).ToString(CultureInfo.InvariantCulture);
    private static string E(string text) => WebUtility.HtmlEncode(text);
}
