using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>A part of a join as it was looked at.</summary>
/// <param name="Rows">How many rows it has; null for a constant or where it has a problem.</param>
public sealed record JoinPreview(JoinPart Part, long? Rows, TablePart? Table, string? Problem);

/// <summary>Data sets joined step by step: named parts and constants, each looked at by itself, and the question over
/// them.</summary>
public sealed class ChartJoinModel(RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public const string Path = "/charts/join";
    private const int RowsOfPart = 8;
    private const int PanelWidth = 0;

    public SearchAddress Address { get; private set; } = new();
    public JoinDraft Draft { get; private set; } = new([], "");
    public IReadOnlyList<JoinPreview> Parts { get; private set; } = [];

    /// <summary>What is wrong with the query as a whole; null for nothing.</summary>
    public string? Problem { get; private set; }
    public TablePart? Table { get; private set; }
    public IReadOnlyList<string> Joins { get; private set; } = [];
    public ChartPart? Ranking { get; private set; }

    /// <summary>Whether rows stand beside what is usual.</summary>
    public bool Compares { get; private set; }

    /// <summary>What rows are compared with, or why they are not.</summary>
    public string Against { get; private set; } = "";

    public async Task<IActionResult> OnGetAsync(string? when, string? usual)
    {
        Address = Begin();
        Compares = usual == "1";
        Draft = JoinDraft.Read((Request.Query["q"].ToString() ?? "").ReplaceLineEndings("\n"));
        // A form sends its parts one by one.
        if (Request.Query.ContainsKey("name"))
        {
            var (names, texts, kinds) = (Request.Query["name"], Request.Query["text"], Request.Query["kind"]);
            var parts = names
                .Select(
                    (n, i) =>
                        new JoinPart(
                            (n ?? "").Trim(),
                            (i < texts.Count ? texts[i] ?? "" : "").ReplaceLineEndings("\n").Trim(),
                            i < kinds.Count && kinds[i] == "constant"
                        )
                )
                .Where(p => p.Name.Length + p.Text.Length > 0)
                .Take(JoinDraft.MostParts)
                .ToList();
            Draft = new JoinDraft(parts, Request.Query["question"].ToString().ReplaceLineEndings("\n").Trim());
            if (Faults(Draft) is { } fault)
                Problem = fault;
            else
                return Redirect(UrlOf(Draft));
        }
        else if (Draft.Parts.Count == 0 && Draft.Question.Length == 0)
            Draft = new JoinDraft([new JoinPart("", "", false)], "");
        else
            await Answer();
        return await Show(Path, when, Kept(Draft));
    }

    private (string, string)[] Kept(JoinDraft draft) => [("q", draft.Text), ("usual", Compares ? "1" : "")];

    public string UrlOf(JoinDraft draft, bool? compares = null) =>
        Address.Url(Path, ("q", draft.Text), ("usual", compares ?? Compares ? "1" : ""));

    /// <summary>The same query on Search.</summary>
    public string SearchUrl => (Address with { Query = Draft.Text, Tab = Tab.Table }).Url();

    /// <summary>The same query as a series of a chart; null where it has no steps of time.</summary>
    public string? ChartUrl { get; private set; }

    private static string? Faults(JoinDraft draft)
    {
        foreach (var part in draft.Parts)
        {
            if (ChartBoard.NameFault(part.Name) is not null)
                return $"“{part.Name}” is no name for a part. Use letters, digits and _, beginning with a letter.";
            if (part.IsConstant)
            {
                if (QueryParser.Parse($"with x = {part.Text} | limit 1") is { Ok: false } || part.Text.Length == 0)
                    return $"{part.Name} is no value. Write a number, 400ms, or text in quotes.";
                continue;
            }
            if (QueryParser.Parse(draft.Alone(part)) is { Ok: false } wrong)
                return $"{part.Name}: {wrong.Errors[0].Describe(wrong.Text)}";
        }
        if (draft.Parts.GroupBy(p => p.Name).FirstOrDefault(g => g.Count() > 1) is { } twice)
            return $"Two parts are called {twice.Key}. Give one another name.";
        if (draft.Question.Length == 0)
            return "Write the question over the parts, such as from a | join b on host, time.";
        if (QueryParser.Parse(draft.Text) is { Ok: false } all)
            return all.Errors[0].Describe(all.Text);
        return null;
    }

    private async Task Answer()
    {
        Problem = Faults(Draft);
        var looks = new List<JoinPreview>();
        foreach (var part in Draft.Parts)
            looks.Add(part.IsConstant ? new JoinPreview(part, null, null, null) : await Preview(part));
        Parts = looks;
        if (Problem is not null)
            return;
        var run = RunOf(Draft.Text);
        using var reading = run.Attach(HttpContext.RequestAborted);
        try
        {
            if (!run.IsGrouped)
            {
                Problem = "The question answers records. Add a group or select, so that there is a table.";
                return;
            }
            var frame = await run.Frame();
            var counts = await run.Counts();
            Joins =
            [
                .. counts.Joins.Select(j =>
                    $"{QueryPrinter.Print(run.Question.Parsed.Query.Stages[j.Stage - 1])}: {(j.Unmatched == 0 ? "every row found a partner" : $"{Format.Count(j.Unmatched, "row", "rows")} found no partner")}{(j.Multiplied > 0 ? $", {Format.Count(j.Multiplied, "row", "rows")} found several" : "")}"
                ),
            ];
            var overTime = frame.Schema.Step is not null && frame.Schema.IndexOf(ColumnRole.Time) >= 0;
            if (overTime)
                ChartUrl = new ChartAddress(Address, new ChartBoard { Series = [new BoardSeries("joined", Draft.Text)] }).Url();
            if (Compares)
                frame = await BesideUsually(frame, overTime);
            Table = new TablePart(frame, Zone, run.Snapshot.Patterns) { Units = true };
            if (frame.Schema.IndexOf(BesideUsual.Factor) is >= 0 and var factor)
            {
                var keep = Enumerable
                    .Range(0, frame.Schema.Columns.Count)
                    .Where(i => i == factor || frame.Schema.Columns[i].Role == ColumnRole.Key)
                    .ToArray();
                var ranked = new Frame(
                    frame.Schema with
                    {
                        Columns = [.. keep.Select(i => frame.Schema.Columns[i])],
                    },
                    [.. frame.Rows.Select(r => Array.ConvertAll(keep, i => r[i]))]
                );
                if (
                    Chart.Draw(
                        ranked,
                        new ChartSpec
                        {
                            Form = ChartForms.Bar,
                            Title = "Times its own usual",
                            Left = new AxisSpec(Decimals: 1),
                            Thresholds = [new Threshold(1, "as usual")],
                        },
                        new ChartView(Viewer.WidthBeside(PanelWidth), 230, Zone, Now)
                    ) is
                    { } drawing
                )
                    Ranking = new ChartPart(drawing);
            }
        }
        catch (QueryRefusedException e)
        {
            Problem = e.Message;
        }
    }

    private async Task<Frame> BesideUsually(Frame frame, bool overTime)
    {
        if (overTime)
        {
            Against = "Rows with steps of time are compared on Charts, with the baseline behind them.";
            return frame;
        }
        var focus = Address.Focus.Resolve(Now);
        var baseline = BaselineOf(Address, RunOf(""));
        Against =
            baseline.Windows.Count == 0
                ? baseline.Health.FirstOrDefault() ?? "No baseline is chosen on the strip."
                : "vs " + baseline.Words;
        var query = QueryParser.Parse(Draft.Text).Query;
        var earlier = new List<Frame>();
        foreach (var window in baseline.Windows.Where(w => w.From < focus.From))
        {
            var run = RunOf(QueryPrinter.Print(EarlierQuery.Of(query, focus.From - window.From)));
            using var reading = run.Attach(HttpContext.RequestAborted);
            earlier.Add(await run.Frame());
        }
        return BesideUsual.Of(frame, earlier) ?? frame;
    }

    private async Task<JoinPreview> Preview(JoinPart part)
    {
        var parsed = QueryParser.Parse(Draft.Alone(part));
        if (!parsed.Ok)
            return new JoinPreview(part, null, null, parsed.Errors[0].Describe(part.Text));
        var run = RunOf(parsed.Text);
        using var reading = run.Attach(HttpContext.RequestAborted);
        try
        {
            if (!run.IsGrouped)
                return new JoinPreview(part, (await run.Counts()).Records, null, null);
            var frame = await run.Frame();
            return new JoinPreview(
                part,
                frame.Rows.Count,
                new TablePart(frame with { Rows = [.. frame.Rows.Take(RowsOfPart)] }, Zone) { Units = true },
                null
            );
        }
        catch (QueryRefusedException e)
        {
            return new JoinPreview(part, null, null, e.Message);
        }
    }

    private Run RunOf(string text) =>
        Runs.Shared(new Question(Viewer.Name, QueryParser.Parse(text), Address.Focus.Resolve(Now), Now, Zone, Limits.Default));
}
