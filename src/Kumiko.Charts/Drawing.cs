using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>One thing to draw. Lengths are pixels from the top left; a style is a name that the sheet gives looks to.</summary>
public abstract record Mark(string Style)
{
    /// <summary>Said on hover by the browser itself.</summary>
    public string? Tip { get; init; }

    /// <summary>Place in the legend of the series that it belongs to; null for what belongs to none.</summary>
    public int? Of { get; init; }
}

public sealed record LineMark(double X1, double Y1, double X2, double Y2, string Style) : Mark(Style)
{
    /// <summary>The name under which the page may move it up and down; null where it stays.</summary>
    public string? Handle { get; init; }
}

public sealed record RectMark(double X, double Y, double Width, double Height, string Style) : Mark(Style);

/// <summary>Straight lines through points; several pieces where there are gaps.</summary>
public sealed record PathMark(IReadOnlyList<IReadOnlyList<(double X, double Y)>> Pieces, string Style) : Mark(Style);

/// <summary>A part of a ring; angles in turns, 0 at the top, clockwise.</summary>
public sealed record ArcMark(double X, double Y, double Inner, double Outer, double From, double To, string Style) : Mark(Style);

public sealed record DotMark(double X, double Y, double Radius, string Style) : Mark(Style);

public enum Anchor
{
    Start,
    Middle,
    End,
}

public sealed record TextMark(double X, double Y, string Text, Anchor Anchor, string Style) : Mark(Style)
{
    /// <summary>Whether it reads upwards.</summary>
    public bool Turned { get; init; }
}

/// <summary>The part of a picture where x is time.</summary>
public sealed record Plot(double Left, double Top, double Width, double Height, long From, long To)
{
    public double Bottom => Top + Height;
    public double Right => Left + Width;

    /// <summary>Where a time stands; outside the plot for times outside it.</summary>
    public double X(long time) => Left + ((double)(time - From) / Math.Max(1, To - From) * Width);
}

/// <summary>What the cross-hair tells at one place.</summary>
/// <param name="Values">A text for each entry of the legend; a dash where there is none.</param>
/// <param name="Numbers">The same as numbers to sort by; null where there is none.</param>
public sealed record HoverPoint(double X, string Title, IReadOnlyList<string> Values, IReadOnlyList<double?> Numbers)
{
    /// <summary>The step that it is of, UTC nanoseconds; 0 where it is none.</summary>
    public long Start { get; init; }
    public long End { get; init; }
}

/// <summary>A finished picture: marks in order from back to front, and what hovering says.</summary>
/// <param name="Plot">The part where x is time; null where none is.</param>
public sealed record Drawing(double Width, double Height, string Title, string Description, IReadOnlyList<Mark> Marks, Plot? Plot)
{
    public IReadOnlyList<LegendEntry> Legend { get; init; } = [];
    private readonly Lazy<IReadOnlyList<HoverPoint>> _hover = new([]);

    /// <summary>Made when it is asked for: files and mails have none.</summary>
    public Func<IReadOnlyList<HoverPoint>> HoverOf
    {
        init => _hover = new(value);
    }
    public IReadOnlyList<HoverPoint> Hover => _hover.Value;

    /// <summary>The values at the foot and the top of the plot, of a left axis that is linear; null where there is
    /// none.</summary>
    public (double Low, double High)? Scale { get; init; }

    /// <summary>How the picture may be brushed where it is higher than its view: the height of a window on it; null where all is
    /// seen.</summary>
    public double? ViewHeight { get; init; }

    /// <summary>What the picture leaves out, in words; null when nothing is.</summary>
    public string? Note { get; init; }
}

/// <param name="Name">The series.</param>
/// <param name="Style">Its colour: series-0 to series-9.</param>
/// <param name="Last">Its last finished value, with unit.</param>
/// <param name="Total">Its mean, or its sum for counts, with unit.</param>
public sealed record LegendEntry(string Name, string Style, string Last, string Total)
{
    /// <summary>The values that tell this series from others, by the names of their columns.</summary>
    public IReadOnlyList<(string Name, Value Value)> Keys { get; init; } = [];

    /// <summary>The column of figures that it is of.</summary>
    public string Column { get; init; } = "";

    /// <summary>Its statistics in the focus; null where it is not over time.</summary>
    public SeriesFigures? Figures { get; init; }

    /// <summary>A figure as this series writes it.</summary>
    public Func<double, string> Write { get; init; } = static value => Format.Number(value);
}
