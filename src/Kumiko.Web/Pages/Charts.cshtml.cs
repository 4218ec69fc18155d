using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Searches;
using Kumiko.Core.Workbench;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>Quantities compared: named series, formulas over them, what is laid over, and the way from a mark to its
/// records.</summary>
public sealed partial class ChartsModel(
    RunRegistry runs,
    StripBuilder strips,
    BoardReader boards,
    MetricCatalogue metrics,
    SearchStore searches,
    RuleStore rules,
    Viewer viewer,
    ToldProblems problems,
    TimeProvider clock
) : PageModel
{
    private const int PanelWidth = 212;
    private const int ChartHeight = 310;
    private const int HighChart = 440;
    private const int MostAlertsLooked = 200;

    public ChartAddress Address { get; private set; } = null!;
    public ChartBoard Board => Address.Board;
    public BoardAnswer Answer { get; private set; } = null!;
    public List<string> Notices { get; } = [];
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public long Now { get; private set; }
    public StripModel Strip { get; private set; } = null!;
    public bool MayKeep => viewer.MayKeep;

    /// <summary>The chart that was just kept, or is open; null else.</summary>
    public KeptSearch? Kept { get; private set; }

    /// <summary>Why an edit was not done, in words; null where it was.</summary>
    public string? Problem { get; private set; }

    /// <summary>Charts that people kept, for a page that has none yet.</summary>
    public IReadOnlyList<KeptSearch> KeptCharts { get; private set; } = [];

    /// <summary>What else it offers to begin with; null for a chart that has series.</summary>
    public ChartStarts? Starts { get; private set; }

    private void Prepare()
    {
        Now = Instants.FromDateTime(clock.GetUtcNow());
        if (long.TryParse(Request.Query["now"], NumberStyles.None, CultureInfo.InvariantCulture, out var told) && told <= Now)
            Now = told;
        Address = ChartAddress.Parse(name => Request.Query[name], Now, Notices);
        Zone = viewer.Zone(Address.View.Zone);
    }

    public async Task<IActionResult> OnGetAsync(string? when, string? problem)
    {
        Prepare();
        if (when is not null && TimeRange.Parse(when, Now, Zone) is { } range)
            return Redirect((Address with { View = Address.View with { Focus = range } }).Url());
        if (Request.Query["base-set"].ToString() is { Length: > 0 } set)
        {
            if (Core.Query.Baselines.BaselineChoice.Parse(Core.Query.Baselines.ConditionSet.Prefix + set) is { } choice)
                return Redirect((Address with { View = Address.View with { Baseline = choice } }).Url());
            Notices.Add(
                $"“{(set.Length > 60 ? set[..60] + "…" : set)}” is no condition that chooses records. Write one such as host != gate-t3."
            );
        }
        Problem = problems.Find(viewer.Id, problem);
        Kept = long.TryParse(Request.Query["kept"], NumberStyles.None, CultureInfo.InvariantCulture, out var kept)
            ? searches.FindKept(kept, viewer.Id)
            : null;
        ViewData["Carried"] = Address.View with { Kept = [] };
        Answer = await boards.Read(
            Address,
            viewer.Name,
            Now,
            Zone,
            viewer.WidthBeside(PanelWidth),
            Board.MultiplesBy is not null || Board.Form.IsHigh ? HighChart : ChartHeight,
            HttpContext.RequestAborted
        );
        if (Board.Series.Count == 0)
        {
            KeptCharts = [.. searches.Kept(viewer.Id, KeptKind.Chart).Take(12)];
            Starts = ChartStarts.Of(
                Address.View,
                searches.Asked(viewer.Id),
                [.. rules.Alerts.All(MostAlertsLooked).Where(a => a.IsOpen)],
                metrics.All(),
                entry => MetricCatalogue.QueryFor(entry, metrics.Details(entry.Name))
            );
        }
        var run = runs.Shared(new Question(viewer.Name, ParseResult.Empty, Answer.Focus, Now, Zone, Limits.Default));
        Strip = await strips.Build(Address.View, run, viewer, ChartAddress.Path) with { WrongTime = when };
        return Page();
    }

    /// <summary>The page with a changed chart.</summary>
    public string To(ChartBoard board) => Address.With(board).Url();

    /// <summary>The page with one series changed.</summary>
    public string To(BoardSeries series, BoardSeries changed) => To(Board.With(series.Name, changed));

    public ChartPart Part =>
        new(Answer.Drawing!)
        {
            FileUrl = Address.PartUrl(Now, "File"),
            MarkUrl = Address.PartUrl(Now, "Mark"),
            HasOwnLegend = true,
            Spec = Answer.Spec,
        };

    /// <summary>The lines of the legend: those of the baseline stand in the column beside the others.</summary>
    public BoardLegend Legend => new(Answer, Board);

    /// <summary>A series that can be picked where another is named, such as for peers.</summary>
    public IEnumerable<BoardSeries> Typed => Board.Series.Where(s => s is { Peers: null, Earlier: null });

    /// <summary>The stretch of the focus in words.</summary>
    public string FocusInWords => Format.Stretch(Answer.Focus.From, Answer.Focus.To, Zone, Now);

    /// <summary>The view whose focus is all that is drawn.</summary>
    public string AroundUrl =>
        (
            Address with
            {
                View = Address.View with { Focus = new TimeRange(Moment.At(Answer.Drawn.From), Moment.At(Answer.Drawn.To)) },
            }
        ).Url();

    /// <summary>The keys that a series' answer is told apart by.</summary>
    public IReadOnlyList<string> KeysOf(string name) =>
        Answer.Of(name)?.Frame is { } frame
            ? [.. frame.Schema.Columns.Where(c => c.Role == ColumnRole.Key).Select(c => c.Name)]
            : [];

    public string UnitOf(string name) =>
        Answer.Of(name)?.Frame is { } frame ? frame.Schema.Columns[frame.Schema.IndexOf(ColumnRole.Value)].Unit : "";

    /// <summary>The formula whose change is shared out: where a moment is picked, the first that is shown.</summary>
    public string? Moving =>
        Address.Moment is null
            ? null
            : (
                Board.Series.FirstOrDefault(s => s.Name == Address.Moved && Answer.Of(s.Name)?.Formula is not null)
                ?? Board.Series.FirstOrDefault(s => !s.Hidden && Answer.Of(s.Name)?.Formula is not null)
                ?? Board.Series.FirstOrDefault(s => Answer.Of(s.Name)?.Formula is not null)
            )?.Name;

    /// <summary>The colour that a series is drawn in.</summary>
    public string StyleOf(string name) =>
        Answer.Drawing?.Legend.FirstOrDefault(l => l.Column == name)?.Style.Split(' ')[0] is { Length: > 0 } style
            ? style
            : "series-0";

    /// <summary>Keys of any series that is shown.</summary>
    public IReadOnlyList<string> Keys =>
        [.. Answer.Frames.SelectMany(f => f.Schema.Columns.Where(c => c.Role == ColumnRole.Key)).Select(c => c.Name).Distinct()];
}

/// <summary>The legend of a chart as a table: attributes that all lines share are named once, the others are columns.</summary>
public sealed class BoardLegend
{
    public BoardLegend(BoardAnswer answer, ChartBoard board)
    {
        var entries = answer.Drawing?.Legend ?? [];
        var keys = entries.SelectMany(e => e.Keys.Select(k => k.Name)).Distinct(StringComparer.Ordinal).ToList();
        string? Of(LegendEntry entry, string key) =>
            entry.Keys.Where(k => k.Name == key).Select(k => k.Value.IsMissing ? "(none)" : k.Value.ToText()).FirstOrDefault();
        var own = entries
            .Index()
            .Where(e => e.Item.Figures is not null && !e.Item.Style.Contains("ghost", StringComparison.Ordinal))
            .ToList();
        Shared =
        [
            .. own.Count < 2
                ? []
                : keys.Where(k => own.Select(e => Of(e.Item, k)).Distinct().Count() == 1 && Of(own[0].Item, k) is not null)
                    .Select(k => (k, Of(own[0].Item, k)!)),
        ];
        Columns = [.. keys.Where(k => own.Count > 0 && Shared.All(s => s.Item1 != k))];
        Rows =
        [
            .. own.Select(e =>
            {
                var usual = entries
                    .FirstOrDefault(g => g.Column == e.Item.Column + BoardReader.Usual && g.Keys.SequenceEqual(e.Item.Keys))
                    ?.Figures?.Mean;
                var of = board.Series.FirstOrDefault(s =>
                    e.Item.Column == s.Name || e.Item.Column.StartsWith(s.Name + " ", StringComparison.Ordinal)
                );
                return new BoardLegendRow(
                    e.Index,
                    of?.Name ?? e.Item.Column,
                    LabelOf(answer, e.Item),
                    e.Item,
                    [.. Columns.Select(c => Of(e.Item, c) ?? "")],
                    usual,
                    e.Item.Figures!.Mean is { } mean && usual is { } before ? Against(e.Item, mean, before) : null
                );
            }),
        ];
        HasUsual = Rows.Any(r => r.Usual is not null);
    }

    /// <summary>Attributes with the one value that all lines have.</summary>
    public IReadOnlyList<(string, string)> Shared { get; }
    public IReadOnlyList<string> Columns { get; }
    public IReadOnlyList<BoardLegendRow> Rows { get; }
    public bool HasUsual { get; }

    private static string LabelOf(BoardAnswer answer, LegendEntry entry) =>
        answer.Spec.Layers.FirstOrDefault(l => l.Column == entry.Column)?.Label ?? entry.Column;

    /// <summary>Shares differ by points, other figures by a factor of what is usual.</summary>
    private static string Against(LegendEntry entry, double mean, double usual)
    {
        if (entry.Write(1).EndsWith('%'))
            return $"{(mean >= usual ? "+" : "−")}{Format.Number(Math.Round(Math.Abs(mean - usual) * 100, 1))} points";
        if (usual == 0)
            return mean == 0 ? "±0" : "new";
        var change = (mean - usual) / Math.Abs(usual);
        if (Math.Abs(change) < 0.005)
            return "±0";
        if (change > 9.995)
            return $"×{Format.Number(Math.Round(mean / usual))}";
        return $"{(change > 0 ? "+" : "−")}{Format.Percent(Math.Abs(change))}";
    }
}

/// <param name="Place">In the drawing's legend.</param>
/// <param name="Series">The name of the series that it is of.</param>
/// <param name="Attributes">A text for each column of the legend.</param>
public sealed record BoardLegendRow(
    int Place,
    string Series,
    string Label,
    LegendEntry Entry,
    IReadOnlyList<string> Attributes,
    double? Usual,
    string? Against
)
{
    public SeriesFigures Figures => Entry.Figures!;

    /// <summary>Null for shares and rates, which have no sum.</summary>
    public double? Sum => Entry.Write(1) is var one && (one.EndsWith('%') || one.Contains('/')) ? null : Figures.Sum;

    public string Text(double? value) => value is { } v ? Entry.Write(v) : "–";
}
