using System.Globalization;
using System.Text;
using Kumiko.Charts;
using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Html;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>The strip at the foot of a screen.</summary>
/// <param name="Page">The path that its links and its form lead to.</param>
/// <param name="Baseline">What the focus is compared with, and what is to be known about it.</param>
public sealed record StripModel(SearchAddress Address, string Page, string FocusText, Baseline Baseline, Drawing Drawing, Histogram Records, DateTimeZone Zone, string? WrongTime = null)
{
    /// <summary>The picture with what its script needs to know.</summary>
    public IHtmlContent Picture => new HtmlString(SvgWriter.Write(Drawing, "strip-picture",
    [
        ("data-strip", ""),
        ("tabindex", "0"),
        ("data-from", Milliseconds(Drawing.Plot.From)),
        ("data-to", Milliseconds(Drawing.Plot.To)),
        ("data-step", Milliseconds(Records.Step)),
        ("data-zone", Zone.Id),
        ("data-counts", Counts()),
    ], stretch: true));

    /// <summary>For each step: calm records, warnings, errors. What hovering and drawing tell without asking again.</summary>
    private string Counts()
    {
        var text = new StringBuilder();
        for (var step = 0; step < Records.Steps; step++)
        {
            if (step > 0) text.Append(' ');
            text.Append(CultureInfo.InvariantCulture, $"{Records[step, 0] + Records[step, 1] + Records[step, 2] + Records[step, 3]},{Records[step, 4]},{Records[step, 5] + Records[step, 6]}");
        }
        return text.ToString();
    }

    private static string Milliseconds(long time) => (time / 1_000_000).ToString(CultureInfo.InvariantCulture);

    /// <summary>The days that are left out, with the reason of each.</summary>
    public string? LeftOut => Baseline.LeftOut.Count == 0 ? null
        : $"{Baseline.LeftOut.Count} left out: " + string.Join(", ", Baseline.LeftOut.Select(l => $"{Format.Day(l.Window.From, Zone)} ({l.Reason})"));
}

/// <summary>Gathers what the strip shows from a run, the alerts and the changes.</summary>
public sealed class StripBuilder(RuleStore rules, ChangeStore changes)
{
    private const int StepsOnStrip = 190, LeftWidth = 232;

    public async Task<StripModel> Build(SearchAddress address, Run run, Viewer viewer, string page = "/search")
    {
        var (now, zone) = (run.Question.Now, run.Question.Zone);
        var collected = run.Snapshot.Batches.Count == 0 ? now - Instants.Day : run.Snapshot.Batches.Min(b => b.MinTime);
        var span = address.StripWindow(now, collected);
        var step = Steps.RoundFor(span, StepsOnStrip);
        // Whole steps from midnight on, so that bars stand still while time goes on.
        var starts = Steps.Cut(span, step, zone).Starts;
        if (starts.Count > 0) span = new Window(starts[0], Math.Max(span.To, starts[^1] + step));
        var records = await run.Histogram(span, step);
        var baseline = BaselineOf(address, run);
        var usual = baseline.Choice is DrawnStretch or StretchBefore ? null : await run.Usual(baseline, span, step);
        var alerts = rules.AlertsIn(span).Select(a => new StripAlert(a.Name, a.Started, a.Ended, a.Level == AlertLevel.Critical)).ToList();
        var drawing = StripChart.Draw(new StripSpec(records, usual, run.Question.Window, alerts, viewer.WidthBeside(LeftWidth), zone, now)
        {
            Changes = [.. changes.In(span).Select(c => new StripChange(c.Short, $"{Format.Clock(c.At, zone)}: {c.What}, {c.Place}: {c.From} → {c.To}, by {c.Who}", c.At))],
            Baseline = baseline.Choice is DrawnStretch or StretchBefore ? baseline.Windows[0] : null,
        });
        return new StripModel(address, page, address.Focus.Describe(now, zone), baseline, drawing, records, zone);
    }

    /// <summary>What the focus of a run is compared with.</summary>
    public Baseline BaselineOf(SearchAddress address, Run run) => run.BaselineOf(address.Baseline, new BaselineFinder(window => rules.AlertsIn(window).Count));
}
