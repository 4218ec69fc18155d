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
    /// <param name="theme">Given, the picture brings its own looks, to stand outside the application.</param>
    public static string Write(
        Drawing drawing,
        string cssClass,
        IEnumerable<(string Name, string Value)>? data = null,
        bool stretch = false,
        Theme? theme = null
    )
    {
        var svg = new StringBuilder(16_384);
        var id =
            "d"
            + System
                .IO.Hashing.XxHash32.HashToUInt32(Encoding.UTF8.GetBytes(drawing.Description + cssClass))
                .ToString("x", CultureInfo.InvariantCulture);
        svg.Append(
            CultureInfo.InvariantCulture,
            $"<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"{cssClass}\" role=\"img\" aria-labelledby=\"{id}\" viewBox=\"0 0 {N(drawing.Width)} {N(drawing.Height)}\""
        );
        if (theme is not null)
            svg.Append(CultureInfo.InvariantCulture, $" width=\"{N(drawing.Width)}\" height=\"{N(drawing.Height)}\"");
        if (stretch)
            svg.Append(" preserveAspectRatio=\"none\"");
        foreach (var (name, value) in data ?? [])
            svg.Append(CultureInfo.InvariantCulture, $" {name}=\"{E(value)}\"");
        svg.Append(
            CultureInfo.InvariantCulture,
            $"><title id=\"{id}\">{E((drawing.Title + ": " + drawing.Description).TrimStart(':', ' '))}</title>"
        );
        if (theme is { } own)
            svg.Append(
                CultureInfo.InvariantCulture,
                $"<style>{Looks.Sheet(own, drawing.Marks)}</style><rect width=\"{N(drawing.Width)}\" height=\"{N(drawing.Height)}\" fill=\"{Palette.Colour("sheet", own)}\"/>"
            );
        foreach (var mark in drawing.Marks)
            Append(svg, mark);
        return svg.Append("</svg>").ToString();
    }

    private static void Append(StringBuilder svg, Mark mark)
    {
        switch (mark)
        {
            case LineMark m:
                svg.Append(
                    CultureInfo.InvariantCulture,
                    $"<line class=\"{m.Style}\" x1=\"{N(m.X1)}\" y1=\"{N(m.Y1)}\" x2=\"{N(m.X2)}\" y2=\"{N(m.Y2)}\""
                );
                break;
            case RectMark m:
                svg.Append(
                    CultureInfo.InvariantCulture,
                    $"<rect class=\"{m.Style}\" x=\"{N(m.X)}\" y=\"{N(m.Y)}\" width=\"{N(m.Width)}\" height=\"{N(m.Height)}\""
                );
                break;
            case DotMark m:
                svg.Append(
                    CultureInfo.InvariantCulture,
                    $"<circle class=\"{m.Style}\" cx=\"{N(m.X)}\" cy=\"{N(m.Y)}\" r=\"{N(m.Radius)}\""
                );
                break;
            case ArcMark m:
                svg.Append(CultureInfo.InvariantCulture, $"<path class=\"{m.Style}\" d=\"{Arc(m)}\"");
                break;
            case PathMark m:
                svg.Append(CultureInfo.InvariantCulture, $"<path class=\"{m.Style}\" d=\"{Path(m)}\"");
                break;
            case TextMark m:
                var anchor = m.Anchor switch
                {
                    Anchor.Middle => "middle",
                    Anchor.End => "end",
                    _ => "start",
                };
                svg.Append(
                    CultureInfo.InvariantCulture,
                    $"<text class=\"{m.Style}\" x=\"{N(m.X)}\" y=\"{N(m.Y)}\" text-anchor=\"{anchor}\""
                );
                if (m.Turned)
                    svg.Append(CultureInfo.InvariantCulture, $" transform=\"rotate(-90 {N(m.X)} {N(m.Y)})\"");
                svg.Append(
                    m.Tip is null || m.Tip == m.Text ? $">{E(m.Text)}</text>" : $"><title>{E(m.Tip)}</title>{E(m.Text)}</text>"
                );
                return;
        }
        if (mark is LineMark { Handle: { } handle })
            svg.Append(CultureInfo.InvariantCulture, $" data-handle=\"{E(handle)}\"");
        if (mark.Of is { } of)
            svg.Append(CultureInfo.InvariantCulture, $" data-of=\"{of}\"");
        svg.Append(mark.Tip is null ? "/>" : $"><title>{E(mark.Tip)}</title></{Element(mark)}>");
    }

    private static string Element(Mark mark) =>
        mark switch
        {
            LineMark => "line",
            RectMark => "rect",
            DotMark => "circle",
            _ => "path",
        };

    /// <summary>The first point of a piece as it is, the others as steps from the one before in tenths of a pixel, which halves
    /// the text.</summary>
    private static string Path(PathMark mark)
    {
        var path = new StringBuilder();
        foreach (var piece in mark.Pieces)
        {
            var (x, y) = (0L, 0L);
            for (var i = 0; i < piece.Count; i++)
            {
                var (nextX, nextY) = ((long)Math.Round(piece[i].X * 10), (long)Math.Round(piece[i].Y * 10));
                path.Append(
                    i switch
                    {
                        0 => 'M',
                        1 => 'l',
                        _ => ' ',
                    }
                );
                Tenths(path, i == 0 ? nextX : nextX - x);
                // A minus parts numbers as well as a blank does.
                if ((i == 0 ? nextY : nextY - y) >= 0)
                    path.Append(' ');
                Tenths(path, i == 0 ? nextY : nextY - y);
                (x, y) = (nextX, nextY);
            }
        }
        return path.ToString();
    }

    private static void Tenths(StringBuilder to, long tenths)
    {
        if (tenths < 0)
        {
            to.Append('-');
            tenths = -tenths;
        }
        if (tenths >= 10 || tenths == 0)
            to.Append(CultureInfo.InvariantCulture, $"{tenths / 10}");
        if (tenths % 10 != 0)
            to.Append('.').Append((char)('0' + (tenths % 10)));
    }

    private static string Arc(ArcMark m)
    {
        // A whole ring is two halves, as an arc that ends where it begins is none.
        if (m.To - m.From > 0.999)
            return Arc(m with { To = m.From + 0.5 }) + Arc(m with { From = m.From + 0.5, To = m.From + 0.9999 });
        (double X, double Y) At(double turn, double radius) =>
            (m.X + (Math.Sin(turn * 2 * Math.PI) * radius), m.Y - (Math.Cos(turn * 2 * Math.PI) * radius));
        var (a, b, c, d) = (At(m.From, m.Outer), At(m.To, m.Outer), At(m.To, m.Inner), At(m.From, m.Inner));
        var large = m.To - m.From > 0.5 ? 1 : 0;
        return $"M{N(a.X)} {N(a.Y)}A{N(m.Outer)} {N(m.Outer)} 0 {large} 1 {N(b.X)} {N(b.Y)}L{N(c.X)} {N(c.Y)}A{N(m.Inner)} {N(m.Inner)} 0 {large} 0 {N(d.X)} {N(d.Y)}Z";
    }

    private static string N(double number) => Math.Round(number, 2).ToString(CultureInfo.InvariantCulture);

    /// <summary>Text as it may stand in XML, which has no place for control characters and halves of pairs.</summary>
    private static string E(string text) =>
        WebUtility.HtmlEncode(
            text.AsSpan().IndexOfAnyInRange('\0', '\u001f') < 0
            && text.AsSpan().IndexOfAnyInRange('\ud800', '\udfff') < 0
            && text.AsSpan().IndexOfAny('\ufffe', '\uffff') < 0
                ? text
                : string.Concat(
                    text.EnumerateRunes().Select(r => r.Value is < 0x20 or 0xfffe or 0xffff ? "\ufffd" : r.ToString())
                )
        );
}
