using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Html;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>The strip at the foot of a screen.</summary>
/// <param name="Page">The path that its links and its form lead to.</param>
/// <param name="Health">What is to be known about the baseline; null without one.</param>
public sealed record StripModel(SearchAddress Address, string Page, string FocusText, string? Health, Drawing Drawing, DateTimeZone Zone, string? WrongTime = null)
{
    /// <summary>The picture with what its script needs to know.</summary>
    public IHtmlContent Picture => new HtmlString(SvgWriter.Write(Drawing, "strip-picture",
    [
        ("data-strip", ""),
        ("data-from", Milliseconds(Drawing.Plot.From)),
        ("data-to", Milliseconds(Drawing.Plot.To)),
    ], stretch: true));

    private static string Milliseconds(long time) => (time / 1_000_000).ToString(System.Globalization.CultureInfo.InvariantCulture);
}

/// <summary>Gathers what the strip shows from a run and from the alerts.</summary>
public sealed class StripBuilder(RuleStore rules)
{
    private const int StepsOnStrip = 190, LeftWidth = 232;

    public async Task<StripModel> Build(SearchAddress address, Run run, Viewer viewer, string page = "/search")
    {
        var (now, zone) = (run.Question.Now, run.Question.Zone);
        var span = address.StripWindow(now);
        var step = Steps.RoundFor(span, StepsOnStrip);
        // Whole steps from midnight on, so that bars stand still while time goes on.
        var starts = Steps.Cut(span, step, zone).Starts;
        if (starts.Count > 0) span = new Window(starts[0], Math.Max(span.To, starts[^1] + step));
        var records = await run.Histogram(span, step);
        var usual = address.Baseline ? await run.Histogram(span.Shift(-Instants.Day), step) : null;
        var alerts = rules.AlertsIn(span).Select(a => new StripAlert(a.Name, a.Started, a.Ended, a.Level == AlertLevel.Critical)).ToList();
        var drawing = StripChart.Draw(new StripSpec(records, usual, run.Question.Window, alerts, viewer.WidthBeside(LeftWidth), zone, now));
        return new StripModel(address, page, address.Focus.Describe(now, zone), Health(address, run, usual), drawing, zone);
    }

    /// <summary>What speaks against the baseline, in words.</summary>
    private string? Health(SearchAddress address, Run run, Histogram? usual)
    {
        if (!address.Baseline || usual is null) return null;
        var window = run.Question.Window.Shift(-Instants.Day);
        if (run.Snapshot.Scan(window, BatchTest.All, CancellationToken.None).CountIn(window) == 0) return "nothing was collected then";
        var alerts = rules.AlertsIn(window).Count;
        return alerts > 0 ? $"holds {Format.Count(alerts, "alert", "alerts")}" : null;
    }

    /// <summary>The baseline of a focus: the same clock time the day before.</summary>
    public static Window? BaselineOf(SearchAddress address, Window focus) => address.Baseline ? focus.Shift(-Instants.Day) : null;
}
