namespace Kumiko.Demo.World;

/// <summary>One time that a disturbance is played.</summary>
/// <param name="End">Null while nobody has put an end to it.</param>
/// <param name="Intensity">1 when played live; less in history, where it lasts longer.</param>
public sealed record Play(Disturbance Of, DateTimeOffset Start, DateTimeOffset? End, double Intensity)
{
    /// <summary>How strongly it acts at a time, 0 to 1.</summary>
    public double Strength(DateTimeOffset time)
    {
        if (time < Start)
            return 0;
        var rising = Of.Rise == TimeSpan.Zero ? 1 : Math.Min(1, (time - Start) / Of.Rise);
        if (End is not { } end || time < end)
            return rising;
        return Of.Fall == TimeSpan.Zero ? 0 : Math.Max(0, 1 - ((time - end) / Of.Fall));
    }

    /// <summary>Whether it may act anywhere in a stretch.</summary>
    public bool Touches(DateTimeOffset from, DateTimeOffset to) =>
        to > Start && (End is not { } end || from < end + Of.Fall + Of.Aftermath);
}
