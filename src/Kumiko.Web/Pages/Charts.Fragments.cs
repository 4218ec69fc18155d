using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>Which part of a formula moved, for the panel.</summary>
/// <param name="Words">Between which stretches.</param>
public sealed record MovedPart(
    string Name,
    string Words,
    PartsMoved? Moved,
    Func<double, string> Figure,
    IReadOnlyDictionary<string, Func<double, string>> Parts
);

/// <summary>Two series together: how they correlate, and the picture of one against the other.</summary>
public sealed record TogetherPart(
    string First,
    string Second,
    Core.Analysis.Correlation? With,
    long Step,
    ChartPart? Picture,
    string? Problem
);

/// <summary>What moves with a series.</summary>
public sealed record MovesWithPart(
    string Name,
    IReadOnlyList<MovingSeries> Found,
    int Tried,
    long Step,
    Func<MovingSeries, string> Add,
    string? Problem
);

/// <summary>The builder beside a series' text.</summary>
public sealed record BuilderPart(
    SeriesBuilder? Builder,
    IReadOnlyList<MetricChoice> Metrics,
    IReadOnlyList<string> Fields,
    string PreviewUrl
);

/// <summary>A metric to choose.</summary>
public sealed record MetricChoice(string Name, string Unit, string Description);

/// <summary>The parts of the page that are fetched by themselves, and files.</summary>
public sealed partial class ChartsModel
{
    /// <summary>So many whole steps on each side of a moment say what moved there.</summary>
    private const int StepsAround = 10;

    private const int MostMoving = 20;
    private const int MostCandidates = 2_000;
    private const int MostFields = 60;

    private SeriesBoard Open() => boards.Open(Address, viewer.Name, Now, Zone, HttpContext.RequestAborted);

    private Window Focus => Address.View.Focus.Resolve(Now);
    private EvaluationContext Context => new(Now, Zone);

    public async Task<IActionResult> OnGetFileAsync(string? @as, string? look)
    {
        Prepare();
        var answer = await boards.Read(
            Address,
            viewer.Name,
            Now,
            Zone,
            viewer.WidthBeside(PanelWidth),
            ChartHeight,
            HttpContext.RequestAborted
        );
        if (answer.Frames.Count == 0)
            return NotFound();
        if (@as == "csv")
            return await ChartFile.Of(
                BoardReader.Within(Chart.Listed(answer.Frames), answer.Focus),
                answer.Spec,
                new ChartView(1, 1, Zone, Now),
                @as,
                Theme.Paper,
                HttpContext.RequestAborted
            );
        return answer.DrawAlone() is { } drawing
            ? ChartFile.Of(drawing, answer.Spec.Title, @as, look == "lacquer" ? Theme.Lacquer : Theme.Paper)
            : NotFound();
    }

    /// <summary>What can be done with a mark: a step of a series, a bar of a group, a moment.</summary>
    public async Task<IActionResult> OnGetMarkAsync(string? column, string? condition, long? start, long? end)
    {
        Prepare();
        var series = Board.Series.FirstOrDefault(s =>
            column is not null && (column == s.Name || column.StartsWith(s.Name + " ", StringComparison.Ordinal))
        );
        var step = start is { } from && end is { } to && to > from ? new Window(from * 1_000_000, to * 1_000_000) : (Window?)null;
        var limit = series is null || step is null ? null : await FigureAt(series, condition, step.Value.From);
        return Partial(
            "_Menu",
            Marks(
                series,
                series?.Peers is { } peers && column == series.Name
                    ? PointConditions.Of([(peers.Key, Value.Of(peers.Own))])
                    : condition,
                step,
                limit
            )
        );
    }

    /// <summary>The figure that a mark stands for, as a limit to begin with; null where there is none.</summary>
    private async Task<double?> FigureAt(BoardSeries series, string? condition, long time)
    {
        if ((await Open().Answer(series.Name)).Frame is not { } frame)
            return null;
        var (schema, keys) = (frame.Schema, KeysIn(condition));
        var (at, figure) = (schema.IndexOf(Core.Frames.ColumnRole.Time), schema.IndexOf(series.Name));
        var row =
            figure < 0
                ? null
                : frame.Rows.FirstOrDefault(r =>
                    r[at].AsLong == time
                    && keys.All(k => schema.IndexOf(k.Name) is >= 0 and var i && r[i].ToText() == k.Value.ToText())
                );
        if (row is null || !row[figure].IsQuantity)
            return null;
        if (row[figure].Kind == ValueKind.Duration)
            return row[figure].AsLong / (double)Instants.Second;
        return row[figure].AsDouble;
    }

    private PointMenu Marks(BoardSeries? series, string? condition, Window? step, double? limit)
    {
        var keys = condition is not null && QueryParser.Parse(condition) is { Ok: true, Query: var asked } ? asked.Match : null;
        var words = string.Join(
            ", ",
            new[]
            {
                series?.Name,
                keys is null ? null : QueryPrinter.PrintMatch(keys),
                step is { } s ? $"{Format.Clock(s.From, Zone)} to {Format.Clock(s.To, Zone)}" : null,
            }.OfType<string>()
        );
        var actions = new List<PointAction>();
        // What was drawn earlier was written earlier.
        var back = series?.Earlier is { } earlier && Quantities.TryParseDuration(earlier.By, out var by) ? by : 0;
        var when = step?.Shift(-back) is { } of
            ? Address.View with
            {
                Focus = new TimeRange(Moment.At(of.From), Moment.At(of.To)),
                Kept = [],
            }
            : Address.View with
            {
                Kept = [],
            };
        foreach (var (name, query) in series is null ? [] : Behind(series))
        {
            var named = name == series!.Name ? "" : " " + name;
            var parsed = QueryParser.Parse(query);
            var text = QueryEdits.RecordsOnly(query);
            if (keys is not null)
                text = QueryEdits.With(text, keys).Text;
            if (parsed.Query.From is { Set: "metrics" })
                actions.Add(
                    new PointAction($"Samples behind{(named.Length > 0 ? named : " this")}", (when with { Query = text }).Url())
                );
            else if (parsed.Query.From is null or { Set: "logs" } && parsed.Query.With.Count == 0)
            {
                actions.Add(
                    new PointAction(
                        $"Records behind{(named.Length > 0 ? named : " this")}",
                        (when with { Query = text, Tab = Tab.Read }).Url()
                    )
                );
                actions.Add(
                    new PointAction(
                        $"What sets {(named.Length > 0 ? "it apart:" + named : "it apart")}",
                        (
                            when with
                            {
                                Query = text,
                                Baseline = step is null ? when.Baseline : new DrawnStretch(Address.View.Focus),
                            }
                        ).Url()
                    )
                );
            }
            else
                actions.Add(
                    new PointAction(
                        $"The query behind{(named.Length > 0 ? named : " this")}",
                        (when with { Query = query }).Url()
                    )
                );
            // The figure that was clicked is the limit to begin with.
            if (viewer.MayKeep && parsed.Query.With.Count == 0)
                actions.Add(
                    new PointAction(
                        $"Be told of {(named.Length > 0 ? named.Trim() : "this")}…",
                        (
                            when with
                            {
                                Query = keys is null ? query : QueryEdits.With(query, keys).Text,
                                Focus = Address.View.Focus,
                                Kept =
                                    named.Length == 0 && limit is { } figure
                                        ? [("limit", figure.ToString("R", System.Globalization.CultureInfo.InvariantCulture))]
                                        : [],
                            }
                        ).Url("/rules/new")
                    )
                );
        }
        if (series is not null && FormulaOf(series) is not null && step is { } at)
            actions.Add(
                new PointAction(
                    "Which part moved",
                    (
                        Address with
                        {
                            Moment = at.From,
                            Moved = series.Name,
                            MovedOf = keys is null ? null : QueryPrinter.PrintMatch(keys),
                        }
                    ).Url()
                )
            );
        if (series is { Peers: null, Earlier: null } && keys is Compare { Left: Field field, Right: Literal own })
            actions.Add(
                new PointAction(
                    $"Compare with the other {field.Name}s",
                    EditUrl("add", ("kind", "peers"), ("of", series.Name), ("key", field.Name), ("own", own.Text))
                )
            );
        if (series is { Peers: null, Earlier: null })
            actions.Add(
                new PointAction(
                    "Beside itself, earlier…",
                    EditUrl("add", ("kind", "earlier"), ("of", series.Name), ("by", "7d"), ("copies", "1"))
                )
            );
        if (step is { } pinned)
        {
            actions.Add(
                new PointAction(
                    "Pin this moment",
                    EditUrl("pin", ("at", Moment.At(pinned.From).ToString()), ("text", series?.Name ?? ""))
                )
            );
            actions.Add(
                new PointAction(
                    "Make this the focus",
                    (
                        Address with
                        {
                            View = Address.View with { Focus = new TimeRange(Moment.At(pinned.From), Moment.At(pinned.To)) },
                        }
                    ).Url()
                )
            );
        }
        return new PointMenu(words.Length > 90 ? words[..90] + "…" : words, actions);
    }

    public string EditUrl(string act, params (string Name, string Value)[] more) =>
        Address.Url(ChartAddress.Path, [("handler", "Edit"), ("act", act), .. more]);

    /// <summary>The queries that a series is made of.</summary>
    private IEnumerable<(string Name, string Query)> Behind(BoardSeries series)
    {
        var open = Open();
        foreach (var name in new[] { series.Name }.Concat(open.Needs(series.Name)))
            if (
                Board.Series.FirstOrDefault(s => s.Name == name) is { Peers: null, Earlier: null, Text.Length: > 0 } of
                && FormulaOf(of) is null
                && QueryParser.Parse(of.Text).Ok
            )
                yield return (name, of.Text);
    }

    private SeriesFormula? FormulaOf(BoardSeries series) =>
        series is { Peers: null, Earlier: null }
            ? SeriesFormula.Read(series.Text, [.. Board.Series.Select(s => s.Name)], out _)
            : null;

    /// <summary>Which part of a formula moved: around the picked moment, or between the baseline and the focus.</summary>
    public async Task<IActionResult> OnGetMovedAsync(string? name, string? condition)
    {
        Prepare();
        if (Board.Series.FirstOrDefault(s => s.Name == name) is not { } series || FormulaOf(series) is not { } formula)
            return NotFound();
        var open = Open();
        var answers = await Task.WhenAll(formula.Parts.Select(p => open.Answer(p)));
        if (Array.Find(answers, a => a.Frame is null) is { } broken)
            return Partial("_Refused", broken.Problem!);
        var frames = answers.ToDictionary(a => a.Series.Name, a => a.Frame!);
        var keys = KeysIn(condition);
        Dictionary<string, Frame> before;
        Dictionary<string, Frame> after;
        string words;
        if (Address.Moment is { } moment)
        {
            var step = frames.Values.First().Schema.Step ?? Instants.Minute;
            var (left, right) = (
                new Window(moment - (StepsAround * step), moment),
                new Window(moment, Math.Min(moment + (StepsAround * step), Now / step * step))
            );
            (before, after) = (Cut(frames, left), Cut(frames, right));
            words =
                (keys.Count > 0 ? string.Join(", ", keys.Select(k => k.Value.ToText())) + ": " : "")
                + $"{Format.Duration(left.Length)} before {Format.Clock(moment, Zone)} against {Format.Duration(right.Length)} after";
        }
        else
        {
            var baseline = boards.BaselineOf(Address.View.Baseline, Focus, viewer.Name, Now, Zone);
            var usual = await Task.WhenAll(formula.Parts.Select(p => BoardReader.UsualOf(open, p, baseline, Focus)));
            if (Array.Exists(usual, u => u is null))
                return Partial(
                    "_Refused",
                    "There is no baseline to compare with. Pick a moment on the chart, or choose another baseline on the strip."
                );
            (before, after) = (
                Cut(formula.Parts.Zip(usual).ToDictionary(u => u.First, u => u.Second!), Focus),
                Cut(frames, Focus)
            );
            words = $"{baseline.Words} against the focus";
        }
        var figure = ChartUnit.Of(
            series.Unit ?? (await open.Answer(series.Name)).Frame?.Schema.Columns.LastOrDefault()?.Unit ?? ""
        );
        return Partial(
            "_Moved",
            new MovedPart(
                series.Name,
                words,
                WhichPart.Of(formula, before, after, keys, Context),
                v => figure.Text(v, series.Decimals),
                frames.ToDictionary(
                    f => f.Key,
                    f =>
                        (Func<double, string>)(
                            v => ChartUnit.Of(f.Value.Schema.Columns[f.Value.Schema.IndexOf(ColumnRole.Value)].Unit).Text(v)
                        )
                )
            )
        );
    }

    private static Dictionary<string, Frame> Cut(Dictionary<string, Frame> frames, Window window) =>
        frames.ToDictionary(f => f.Key, f => BoardReader.Within(f.Value, window));

    /// <summary>Keys that a condition fixes.</summary>
    private static IReadOnlyList<(string Name, Value Value)> KeysIn(string? condition)
    {
        if (condition is null || QueryParser.Parse(condition).Query.Match is not { } match)
            return [];
        return
        [
            .. ((IEnumerable<Expr>)(match is And and ? and.Items : new Seq<Expr>([match])))
                .OfType<Compare>()
                .Where(c => c is { Op: CompareOp.Equal, Left: Core.Language.Field, Right: Literal })
                .Select(c => (((Core.Language.Field)c.Left).Name, Value.Of(((Literal)c.Right).Text))),
        ];
    }

    /// <summary>Two series: at which lag they go together, and one against the other.</summary>
    public async Task<IActionResult> OnGetTogetherAsync(string? first, string? second)
    {
        Prepare();
        var open = Open();
        var (a, b) = (await open.Answer(first ?? ""), await open.Answer(second ?? ""));
        if (a.Frame is null || b.Frame is null)
            return Partial("_Together", new TogetherPart(first ?? "", second ?? "", null, 0, null, a.Problem ?? b.Problem));
        var (x, y) = (Sums(a.Frame), Sums(b.Frame));
        var step = a.Frame.Schema.Step ?? 0;
        if (a.Frame.Schema.Step != b.Frame.Schema.Step)
            return Partial(
                "_Together",
                new TogetherPart(
                    first!,
                    second!,
                    null,
                    step,
                    null,
                    $"{first} has steps of {Format.Duration(step)} and {second} of {Format.Duration(b.Frame.Schema.Step ?? 0)}. Give both the same step."
                )
            );
        var times = x.Keys.Intersect(y.Keys).Order().ToList();
        Column Named(Frame frame) =>
            frame.Schema.Columns[frame.Schema.IndexOf(ColumnRole.Value)] with
            {
                Kind = ValueKind.Decimal,
            };
        var dots = new Frame(
            new Schema([new Column("time", ColumnRole.Time, ValueKind.Time), Named(a.Frame), Named(b.Frame)], step, Focus),
            [.. times.Select(t => new[] { Value.Time(t), Value.Of(x[t]), Value.Of(y[t]) })]
        );
        var drawing =
            times.Count == 0
                ? null
                : Chart.Draw(
                    dots,
                    new ChartSpec
                    {
                        Form = ChartForms.Scatter,
                        ShadeByTime = true,
                        Title = $"{second} against {first}",
                    },
                    new ChartView(viewer.WidthBeside(PanelWidth), 260, Zone, Now)
                );
        return Partial(
            "_Together",
            new TogetherPart(first!, second!, Together.Of(x, y), step, drawing is null ? null : new ChartPart(drawing), null)
        );
    }

    private Dictionary<long, double> Sums(Frame frame) => Together.Values(BoardReader.Within(frame, Focus));

    /// <summary>All series of chosen metrics by how closely they move with one of the chart.</summary>
    public async Task<IActionResult> OnGetMovesWithAsync(string? name, string? of)
    {
        Prepare();
        var open = Open();
        var answer = await open.Answer(name ?? "");
        MovesWithPart Refused(string problem) => new(name ?? "", [], 0, 0, _ => "", problem);
        if (answer.Frame is not { Schema.Step: { } step } frame)
            return Partial("_MovesWith", Refused(answer.Problem ?? "It has no steps of time."));
        var chosen = metrics.All().Where(m => Matches(m.Name, of ?? "")).ToList();
        if (chosen.Count == 0)
            return Partial("_MovesWith", Refused("No metric has such a name. Write one, or a part of it."));
        if (chosen.Sum(m => m.Series) > MostCandidates)
            return Partial(
                "_MovesWith",
                Refused(
                    $"These are {Format.Number(chosen.Sum(m => m.Series))} series, and {Format.Number(MostCandidates)} can be tried. Write more of the name."
                )
            );
        var candidates = new List<(string, Frame)>();
        var queries = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var metric in chosen)
        {
            var by = metrics
                .Details(metric.Name)!
                .Attributes.Where(a => a.Distinct > 1)
                .OrderByDescending(a => a.Distinct)
                .Take(3)
                .Select(a => a.Name)
                .ToList();
            var built = new SeriesBuilder(metric.Name, "", FigureOf(metric), "", by, Quantities.Duration(step)).Text;
            queries[metric.Name] = built;
            try
            {
                candidates.Add(
                    (
                        metric.Name,
                        BoardReader.Within(
                            await boards.Ask(QueryParser.Parse(built), Focus, viewer.Name, Now, Zone, HttpContext.RequestAborted),
                            Focus
                        )
                    )
                );
            }
            catch (QueryRefusedException)
            { /* too many series of one metric: the others are tried all the same */
            }
        }
        var found = Together.MovesWith(Sums(frame), candidates);
        string Add(MovingSeries moving)
        {
            var builder = SeriesBuilder.Read(queries[moving.Name])!;
            var where = moving.Keys.Count == 0 ? "" : PointConditions.Of(moving.Keys)!;
            return EditUrl("add", ("kind", "text"), ("text", (builder with { Where = where, By = [] }).Text));
        }
        return Partial("_MovesWith", new MovesWithPart(name!, [.. found.Take(MostMoving)], found.Count, step, Add, null));
    }

    private static bool Matches(string name, string pattern) =>
        pattern.Trim() is { Length: > 0 } words
        && words
            .Split([' ', ','], StringSplitOptions.RemoveEmptyEntries)
            .Any(w =>
                w.Contains('*')
                    ? System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(w, name)
                    : name.Contains(w, StringComparison.OrdinalIgnoreCase)
            );

    /// <summary>The builder for a text, which the page's editor holds.</summary>
    public async Task<IActionResult> OnGetBuilderAsync(string? text)
    {
        Prepare();
        var run = runs.Shared(new Question(viewer.Name, ParseResult.Empty, Focus, Now, Zone, Limits.Default));
        var builder = SeriesBuilder.Read(text ?? "");
        var fields = builder is { Metric.Length: > 0 }
            ? metrics.Details(builder.Metric)?.Attributes.Select(a => a.Name) ?? []
            : (await run.Presence()).Take(MostFields).Select(f => f.Name);
        return Partial(
            "_Builder",
            new BuilderPart(
                builder,
                [.. metrics.All().Select(m => new MetricChoice(m.Name, m.Unit, m.Description))],
                [.. fields],
                Address.PartUrl(Now, "Preview")
            )
        );
    }

    /// <summary>The text that what was pointed at makes, or why it makes none.</summary>
    public IActionResult OnGetBuilt()
    {
        Prepare();
        var (text, problem, function) = Pointed();
        return new JsonResult(
            new
            {
                text,
                problem,
                function,
            }
        );
    }

    /// <summary>A small look at a metric or a field before it is taken.</summary>
    public async Task<IActionResult> OnGetPreviewAsync(string? what)
    {
        Prepare();
        what = (what ?? "").Trim();
        var metric = metrics.All().FirstOrDefault(m => m.Name == what);
        if (what.Length is 0 or > 200)
            return new EmptyResult();
        var query = metric is null
            ? new SeriesBuilder("", PointConditions.Exists(what), "count", "", [], "auto").Text
            : new SeriesBuilder(metric.Name, "", FigureOf(metric), "", [], "auto").Text;
        try
        {
            var frame = await boards.Ask(QueryParser.Parse(query), Focus, viewer.Name, Now, Zone, HttpContext.RequestAborted);
            var drawing = Chart.Draw(
                frame,
                new ChartSpec
                {
                    Form = ChartForms.Area,
                    Nights = false,
                    Left = new AxisSpec(Unit: metric?.Unit),
                },
                new ChartView(300, 96, Zone, Now)
            );
            return drawing is null
                ? new EmptyResult()
                : Content(
                    $"<p class=\"soft\">{System.Net.WebUtility.HtmlEncode(metric is null ? "records with this field" : metric.Description)}</p>"
                        + SvgWriter.Write(drawing, "preview-picture"),
                    "text/html"
                );
        }
        catch (QueryRefusedException)
        {
            return new EmptyResult();
        }
    }
}
