using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>A form of series over time. Series of several such forms stand in one picture.</summary>
public abstract class OverTimeForm(string name, string title) : ChartForm(name, title)
{
    public sealed override bool IsOverTime => true;

    /// <summary>Those that lie deeper are drawn first.</summary>
    public virtual int Depth => 0;

    /// <summary>Whether its series stand on one another.</summary>
    public virtual bool IsStacked => false;

    /// <summary>Whether its marks begin at zero, so that the axis must.</summary>
    public virtual bool FillsFromZero => true;

    public sealed override bool Takes(FrameShape shape) => shape.IsOverTime;

    public sealed override Drawing? Draw(Frame frame, ChartSpec spec, ChartView view) =>
        OverTime.Draw(frame, spec with { Form = this }, view);

    /// <summary>Adds the marks of its series.</summary>
    public abstract void Draw(TimePicture picture, IReadOnlyList<Series> series);
}
