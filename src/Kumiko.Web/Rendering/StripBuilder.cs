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
public sealed record StripModel(
    SearchAddress Address,
    string Page,
    string FocusText,
    Baseline Baseline,
    Drawing Drawing,
    Histogram Records,
    DateTimeZone Zone,
    string? WrongTime = null
)
{
    /// <summary>Where the whole strip comes from while it is still being counted; null where it is whole.</summary>
    public string? Later { get; init; }

    /// <summary>What it counts.</summary>
    public string What { get; init; } = "records";

    /// <summary>The picture with what its script needs to know.</summary>
    public IHtmlContent Picture =>
        new HtmlString(
            SvgWriter.Write(
                Drawing,
                "strip-picture",
                [
                    ("data-strip", ""),
                    ("tabindex", "0"),
                    ("data-from", Milliseconds(Drawing.Plot!.From)),
                    ("data-to", Milliseconds(Drawing.Plot!.To)),
                    ("data-step", Milliseconds(Records.Step)),
                    ("data-zone", Zone.Id),
                    ("data-what", What),
                    ("data-counts", Counts()),
                ],
                stretch: true
            )
        );

    /// <summary>For each step: calm records, warnings, errors. What hovering and drawing tell without asking again.</summary>
    private string Counts()
    {
        var text = new StringBuilder();
        for (var step = 0; step < Records.Steps; step++)
        {
            if (step > 0)
                text.Append(' ');
            text.Append(
                CultureInfo.InvariantCulture,
                $"{Records[step, 0] + Records[step, 1] + Records[step, 2] + Records[step, 3]},{Records[step, 4]},{Records[step, 5] + Records[step, 6]}"
            );
        }
        return text.ToString();
    }

    private static string Milliseconds(long time) => (time / 1_000_000).ToString(CultureInfo.InvariantCulture);

    /// <summary>The days that are left out, with the reason of each.</summary>
    public string? LeftOut =>
        Baseline.LeftOut.Count == 0
            ? null
            : $"{Baseline.LeftOut.Count} left out: "
                + string.Join(", ", Baseline.LeftOut.Select(l => $"{Format.Day(l.Window.From, Zone)} ({l.Reason})"));
}

/// <summary>Gathers what the strip shows from a run, the alerts and the changes.</summary>
public sealed class StripBuilder(RuleStore rules, ChangeStore changes)
{
    private const int StepsOnStrip = 190;
    private const int LeftWidth = 232;

    private const int MostChanges = 500;

    private const long MostUsual = 3 * Instants.Day;

    /// <summary>The strip; without counts, and with where to fetch them, when counting takes longer than a page should
    /// wait.</summary>
    /// <param name="patience">Done when nobody wants to wait any more; null for as long as it takes.</param>
    public async Task<StripModel> Build(
        SearchAddress address,
        Run run,
        Viewer viewer,
        string page = "/search",
        Task? patience = null
    )
    {
        var (now, zone) = (run.Question.Now, run.Question.Zone);
        var collected = run.Snapshot.Batches.Count == 0 ? now - Instants.Day : run.Snapshot.Batches.Min(b => b.MinTime);
        var span = address.StripWindow(now, collected);
        var step = Steps.RoundFor(span, StepsOnStrip);
        // Whole steps from midnight on, so that bars stand still while time goes on.
        var starts = Steps.Cut(span, step, zone).Starts;
        if (starts.Count > 0)
            span = new Window(starts[0], Math.Max(span.To, starts[^1] + step));
        var counting = Task.Run(() => Count(address, run, span, step));
        if (patience is not null && await Task.WhenAny(counting, patience) != counting)
        {
            var none = new Histogram(span, step, new long[(int)((span.Length + step - 1) / step) * Histogram.Bands]);
            return Drawn(
                address,
                run,
                viewer,
                page,
                none,
                new Baseline(address.Baseline, [], InWords(address.Baseline)),
                null
            ) with
            {
                Later = address.FragmentUrl(run, "Strip"),
            };
        }
        var (records, baseline, usual) = await counting;
        return Drawn(address, run, viewer, page, records, baseline, usual);
    }

    private static string InWords(BaselineChoice choice) =>
        choice switch
        {
            StretchBefore => "the stretch before",
            ConditionSet set => set.Condition,
            DrawnStretch => "a stretch",
            _ => "like days, same time",
        };

    private async Task<(Histogram Records, Baseline Baseline, IReadOnlyList<double>? Usual)> Count(
        SearchAddress address,
        Run run,
        Window span,
        long step
    )
    {
        var records = await run.Histogram(span, step);
        var baseline = BaselineOf(address, run);
        if (baseline.Choice is DrawnStretch or StretchBefore)
            return (records, baseline, null);
        // Many days of a filtered strip would take longer than they tell: then the usual is shown where the focus is.
        if (run.CountsByHeart || span.Length * Math.Max(1, baseline.Windows.Count) <= MostUsual)
            return (records, baseline, await run.Usual(baseline, span, step));
        var focus = run.Question.Window;
        var (first, end) = (
            Math.Max(0, (int)((focus.From - span.From) / step)),
            Math.Min(records.Steps, (int)((focus.To - span.From + step - 1) / step))
        );
        if (first >= end)
            return (records, baseline, null);
        var part = await run.Usual(baseline, new Window(span.From + (first * step), span.From + (end * step)), step);
        return (
            records,
            baseline,
            part is null
                ? null
                : [.. Enumerable.Range(0, records.Steps).Select(i => i >= first && i < end ? part[i - first] : double.NaN)]
        );
    }

    private StripModel Drawn(
        SearchAddress address,
        Run run,
        Viewer viewer,
        string page,
        Histogram records,
        Baseline baseline,
        IReadOnlyList<double>? usual
    )
    {
        var (now, zone, span) = (run.Question.Now, run.Question.Zone, records.Window);
        var alerts = rules
            .Alerts.In(span)
            .Select(a => new StripAlert(a.Name, a.Started, a.Ended, a.Level == AlertLevel.Critical))
            .ToList();
        var drawing = StripChart.Draw(
            new StripSpec(records, usual, run.Question.Window, alerts, viewer.WidthBeside(LeftWidth), zone, now)
            {
                Changes =
                [
                    .. changes
                        .In(span, MostChanges)
                        .Select(c => new StripChange(c.Short, $"{Format.Clock(c.At, zone)}: {c.InWords}", c.At)),
                ],
                Noun = run.RowNoun,
                Baseline =
                    baseline.Choice is DrawnStretch or StretchBefore && baseline.Windows.Count > 0 ? baseline.Windows[0] : null,
            }
        );
        return new StripModel(address, page, address.Focus.Describe(now, zone), baseline, drawing, records, zone)
        {
            What = run.RowNoun.Many,
        };
    }

    /// <summary>What the focus of a run is compared with.</summary>
    public Baseline BaselineOf(SearchAddress address, Run run) =>
        run.BaselineOf(address.Baseline, new BaselineFinder(window => rules.Alerts.CountIn(window)));
}
