using SkiaSharp;

namespace Kumiko.Charts;

/// <summary>A drawing as PNG, mark by mark as in SVG.</summary>
public static class PngWriter
{
    private const double MostPixels = 40e6;

    private static readonly SKTypeface Regular = Load("400");
    private static readonly SKTypeface Bold = Load("600");

    private static SKTypeface Load(string weight)
    {
        using var font = typeof(PngWriter).Assembly.GetManifestResourceStream(
            $"Kumiko.Charts.Fonts.atkinson-hyperlegible-next-latin-{weight}-normal.woff"
        )!;
        return SKTypeface.FromStream(font);
    }

    /// <param name="scale">Pixels to a length of one: 2 for sharp print and screens.</param>
    public static byte[] Write(Drawing drawing, Theme theme, double scale = 2)
    {
        // Thousands of rows make a high picture; it loses sharpness rather than taking all memory.
        scale = Math.Min(scale, Math.Sqrt(MostPixels / Math.Max(1, drawing.Width * drawing.Height)));
        using var surface = SKSurface.Create(
            new SKImageInfo((int)Math.Ceiling(drawing.Width * scale), (int)Math.Ceiling(drawing.Height * scale))
        );
        var canvas = surface.Canvas;
        canvas.Clear(SKColor.Parse(Palette.Colour("sheet", theme)));
        canvas.Scale((float)scale);
        foreach (var mark in drawing.Marks)
            Draw(canvas, mark, theme);
        using var image = surface.Snapshot();
        using var data = image.Encode(SKEncodedImageFormat.Png, 100);
        return data.ToArray();
    }

    private static void Draw(SKCanvas canvas, Mark mark, Theme theme)
    {
        var look = Looks.Of(mark.Style, mark is TextMark);
        if (mark is TextMark text)
        {
            Draw(canvas, text, look, theme);
            return;
        }
        using var shape = Shape(mark);
        if (look.Fill is { } fill)
        {
            using var paint = new SKPaint
            {
                IsAntialias = true,
                Style = SKPaintStyle.Fill,
                Color = Colour(fill, look, theme),
            };
            canvas.DrawPath(shape, paint);
        }
        if (look.Stroke is not { } stroke)
            return;
        using var pen = new SKPaint
        {
            IsAntialias = true,
            Style = SKPaintStyle.Stroke,
            StrokeWidth = (float)look.Width,
            StrokeJoin = SKStrokeJoin.Round,
            Color = Colour(stroke, look, theme),
        };
        using var dash = look.Dash is { } dashes ? SKPathEffect.CreateDash(dashes, 0) : null;
        pen.PathEffect = dash;
        canvas.DrawPath(shape, pen);
    }

    private static SKColor Colour(string name, Look look, Theme theme) =>
        SKColor.Parse(Palette.Colour(name, theme)).WithAlpha((byte)Math.Round(255 * look.Opacity));

    /// <summary>The outline of a mark.</summary>
    internal static SKPath Shape(Mark mark)
    {
        using var path = new SKPathBuilder();
        switch (mark)
        {
            case LineMark m:
                path.MoveTo((float)m.X1, (float)m.Y1);
                path.LineTo((float)m.X2, (float)m.Y2);
                break;
            case RectMark m:
                path.AddRect(SKRect.Create((float)m.X, (float)m.Y, (float)m.Width, (float)m.Height));
                break;
            case DotMark m:
                path.AddCircle((float)m.X, (float)m.Y, (float)m.Radius);
                break;
            case ArcMark m:
                var (start, sweep) = ((float)((m.From * 360) - 90), (float)(Math.Min(m.To - m.From, 0.9999) * 360));
                path.AddArc(Box(m, m.Outer), start, sweep);
                path.ArcTo(Box(m, m.Inner), start + sweep, -sweep, false);
                path.Close();
                break;
            case PathMark m:
                foreach (var piece in m.Pieces)
                    for (var i = 0; i < piece.Count; i++)
                        if (i == 0)
                            path.MoveTo((float)piece[i].X, (float)piece[i].Y);
                        else
                            path.LineTo((float)piece[i].X, (float)piece[i].Y);
                break;
        }
        return path.Detach();
    }

    private static SKRect Box(ArcMark m, double radius) =>
        new((float)(m.X - radius), (float)(m.Y - radius), (float)(m.X + radius), (float)(m.Y + radius));

    private static void Draw(SKCanvas canvas, TextMark mark, Look look, Theme theme)
    {
        using var font = new SKFont(look.Bold ? Bold : Regular, (float)look.Size) { Subpixel = true };
        using var paint = new SKPaint { IsAntialias = true, Color = Colour(look.Fill ?? "ink", look, theme) };
        // What the font lacks is drawn as what stands nearest, not as a box.
        var text = string.Concat(
            mark.Text.Select(c =>
            {
                if (c == Format.ThinSpace[0])
                    return ' ';
                if (font.ContainsGlyphs(c.ToString()) || char.IsSurrogate(c))
                    return c;
                return '?';
            })
        );
        var align = mark.Anchor switch
        {
            Anchor.Middle => SKTextAlign.Center,
            Anchor.End => SKTextAlign.Right,
            _ => SKTextAlign.Left,
        };
        if (!mark.Turned)
        {
            canvas.DrawText(text, (float)mark.X, (float)mark.Y, align, font, paint);
            return;
        }
        canvas.Save();
        canvas.RotateDegrees(-90, (float)mark.X, (float)mark.Y);
        canvas.DrawText(text, (float)mark.X, (float)mark.Y, align, font, paint);
        canvas.Restore();
    }
}
