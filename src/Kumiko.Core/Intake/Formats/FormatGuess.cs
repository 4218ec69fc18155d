using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Formats;

/// <summary>What a text seems to be.</summary>
/// <param name="Fit">The share of lines that are of this format.</param>
public sealed record FormatGuess(FormatSettings Settings, double Fit)
{
    private const double Enough = 0.75;

    public LogFormat Format => FormatList.Find(Settings.Format)!;

    /// <summary>Looks at a text's beginning.</summary>
    /// <param name="given">What is known already: a zone, a service.</param>
    internal static FormatGuess Of(SampleText sample, FormatSettings? given = null)
    {
        var best = FormatList
            .All.Select(f => (Format: f, Fit: f.Fit(sample)))
            .Where(f => f.Fit >= Enough || f.Format is TextFormat)
            .MaxBy(f => Math.Round(f.Fit, 1));
        var settings = (given ?? new FormatSettings(best.Format.Name)) with { Format = best.Format.Name };
        return new FormatGuess(Complete(sample, settings), best.Fit);
    }

    /// <summary>Looks at lines that were just written: where the order of days is open, it is the one that lies nearest to
    /// now.</summary>
    internal static FormatSettings Live(SampleText sample, FormatSettings? given = null)
    {
        var settings = Of(sample, given).Settings with { IsLive = true, SeenLines = sample.Lines.Count };
        return settings.AsksOrder ? settings with { Order = DayOrders.Nearest([.. Times(sample)], sample.Now) } : settings;
    }

    /// <summary>Adds to settings whose format is decided what the text tells of the rest.</summary>
    internal static FormatSettings Complete(SampleText sample, FormatSettings settings)
    {
        var format = FormatList.Find(settings.Format) ?? new TextFormat();
        settings = format.Learn(sample, settings);
        if (settings.Order != DayOrder.None)
            return settings with { AsksOrder = false };
        var order = DayOrders.Guess([.. Times(sample)], sample.Now);
        return settings with { Order = order.Order, AsksOrder = !order.IsSure };
    }

    private static IEnumerable<WrittenTime> Times(SampleText sample)
    {
        foreach (var line in sample.Lines)
        {
            var place = TimePlace.Find(line, out _);
            if (place >= 0 && WrittenTime.TryScan(line.AsSpan(place), out var time))
                yield return time;
        }
    }
}
