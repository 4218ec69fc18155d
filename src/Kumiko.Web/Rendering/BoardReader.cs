using Kumiko.Charts;
using Kumiko.Core.Analysis;
using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Workbench;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>What is laid over a chart, in the words of the panel beside it.</summary>
/// <param name="Found">How much there is of it in the stretch that is drawn.</param>
public sealed record LaidOver(string Words, int Found);

/// <summary>A chart's answers and its picture.</summary>
/// <param name="Focus">The stretch that figures are for.</param>
/// <param name="Drawn">The stretch that is drawn.</param>
public sealed record BoardAnswer(Window Focus, Window Drawn, IReadOnlyList<SeriesAnswer> Series, Drawing? Drawing, ChartSpec Spec)
{
    /// <summary>Frames of what is shown, in order of their series.</summary>
    public IReadOnlyList<Frame> Frames { get; init; } = [];
    public Baseline? Baseline { get; init; }
    public LaidOver? Changes { get; init; }
    public LaidOver? Alerts { get; init; }
    public LaidOver? Records { get; init; }
    public LaidOver? Limits { get; init; }

    /// <summary>The same picture as one that leaves the page, with title and legend; null where there is none.</summary>
    public Func<Drawing?> DrawAlone { get; init; } = static () => null;

    public SeriesAnswer? Of(string name) => Series.FirstOrDefault(s => s.Series.Name == name);
}

/// <summary>Answers the series of a chart for its page, for files, and for parts of the page.</summary>
public sealed class BoardReader(RunRegistry runs, RuleStore rules, ChangeStore changes)
{
    /// <summary>What is drawn around the focus on each side, as a share of it.</summary>
    private const double Margin = 0.25;
    private const int RoundParts = 24;

    private const int MostChanges = 200;
    private const int MostSteps = 180;
    private const int MostGhosts = 16;
    private const int AtOnce = 6;
    internal const string Usual = " usual";

    private readonly SemaphoreSlim _turns = new(AtOnce);

    private readonly struct Pass(SemaphoreSlim turns) : IDisposable
    {
        public void Dispose() => turns.Release();
    }

    /// <summary>The stretch around the focus that is drawn: up to the present where the focus ends near it.</summary>
    public static Window DrawnWindow(ChartBoard board, Window focus, long now)
    {
        if (board.HidesAround)
            return focus;
        // In whole round steps, so that neither end cuts one.
        var round = Steps.RoundFor(focus, RoundParts);
        var more = Math.Max(1, (long)(focus.Length * Margin) / round) * round;
        return new Window(focus.From - more, Math.Max(focus.To, Math.Min(focus.To + more, now)));
    }

    /// <summary>The series of a chart over the stretch that is drawn; each is answered when asked for.</summary>
    public SeriesBoard Open(ChartAddress address, string person, long now, DateTimeZone zone, CancellationToken cancel)
    {
        var window = DrawnWindow(address.Board, address.View.Focus.Resolve(now), now);
        return new SeriesBoard([.. address.Board.Series.Select(s => s.Series)], new EvaluationContext(now, zone), parsed =>
            Ask(parsed, window, person, now, zone, cancel)
        );
    }

    public async Task<Frame> Ask(
        ParseResult parsed,
        Window window,
        string person,
        long now,
        DateTimeZone zone,
        CancellationToken cancel
    )
    {
        if (Parameters.WithoutValue(parsed.Query) is [{ Name: var open }, ..])
            throw new QueryRefusedException($":{open} is without a value. Write the value itself.");
        var run = runs.Shared(new Question(person, parsed, window, now, zone, Limits.Default));
        // A chart may ask hundreds of queries, with copies and days to compare; they take turns, so that others get theirs.
        await _turns.WaitAsync(cancel);
        using var turn = new Pass(_turns);
        using var reading = run.Attach(cancel);
        return run.IsGrouped
            ? await run.Frame()
            : throw new QueryRefusedException($"The answer has no figure. Add a group, such as group count() per auto.");
    }

    public async Task<BoardAnswer> Read(
        ChartAddress address,
        string person,
        long now,
        DateTimeZone zone,
        double width,
        double height,
        CancellationToken cancel
    )
    {
        var board = address.Board;
        var focus = address.View.Focus.Resolve(now);
        var drawn = DrawnWindow(board, focus, now);
        var series = Open(address, person, now, zone, cancel);
        var answers = await Task.WhenAll(board.Series.Select(s => series.Answer(s.Name)));
        var shown = board.Series.Zip(answers).Where(s => !s.First.Hidden && s.Second.Frame is not null).ToList();
        var frames = shown.Select(s => s.Second.Frame!).ToList();
        var baseline = board.HidesBaseline ? null : BaselineOf(address.View.Baseline, focus, person, now, zone);
        var ghosts = baseline is null ? [] : await Ghosts(series, shown, baseline, focus);
        var spec = Spec(board, [.. shown.Select(s => (s.First, s.Second.Frame!))], ghosts);
        var step = frames.Select(f => f.Schema.Step).FirstOrDefault() ?? Steps.RoundFor(drawn, MostSteps);
        var (over, told) = await Laid(address, person, now, zone, drawn, step, cancel);
        if (board.ShowsLimits)
            spec = spec with { Thresholds = LimitsOf(board, answers, step) };
        var view = new ChartView(width, height, zone, now) { Focus = focus == drawn ? null : focus, Over = over };
        var isOverTime = board.Form.IsOverTime;
        // Other forms bring steps to one figure, which is for the focus alone.
        List<Frame> all;
        if (!isOverTime)
            all = frames.Select(f => Within(f, focus)).ToList();
        else if (board.MultiplesBy is null)
            all = [.. frames, .. ghosts];
        else
            all = frames;
        return new BoardAnswer(focus, drawn, answers, all.Count == 0 ? null : Chart.Draw(all, spec, view), spec)
        {
            Frames = frames,
            DrawAlone = () => Chart.Draw(all, spec, view with { Alone = true }),
            Baseline = baseline,
            Changes = told.Changes,
            Alerts = told.Alerts,
            Records = told.Records,
            Limits = board.ShowsLimits ? new LaidOver("", spec.Thresholds.Count) : null,
        };
    }

    /// <summary>The rows of a frame whose steps begin in a stretch.</summary>
    public static Frame Within(Frame frame, Window window)
    {
        var time = frame.Schema.IndexOf(ColumnRole.Time);
        return frame with
        {
            Schema = frame.Schema with { Window = window },
            Rows = [.. frame.Rows.Where(r => window.Contains(r[time].AsLong))],
        };
    }

    /// <summary>What the focus is compared with, whatever the queries are.</summary>
    public Baseline BaselineOf(BaselineChoice choice, Window focus, string person, long now, DateTimeZone zone) =>
        runs.Shared(new Question(person, ParseResult.Empty, focus, now, zone, Limits.Default))
            .BaselineOf(choice, new BaselineFinder(window => rules.Alerts.CountIn(window)));

    /// <summary>A series as it usually is: the mean of the baseline's stretches, moved onto the focus; of a set, the series of
    /// its records.</summary>
    public static async Task<Frame?> UsualOf(SeriesBoard series, string name, Baseline baseline, Window focus)
    {
        if (baseline.Windows.Count == 0)
            return null;
        var then = baseline.Choice is ConditionSet set
            ? [await series.Answer(name, 0, set.Condition)]
            : await Task.WhenAll(
                baseline.Windows.Where(w => w.From < focus.From).Select(w => series.Answer(name, focus.From - w.From))
            );
        var frames = then.Select(a => a.Frame).OfType<Frame>().ToList();
        if (frames.Count == 0)
            return null;
        var usual = CopiesOf.Band(frames, name + Usual);
        // Only their mean: how far days spread is another question.
        return frames.Count == 1
            ? usual
            : usual with
            {
                Schema = usual.Schema with
                {
                    Columns =
                    [
                        .. usual.Schema.Columns.Select(c =>
                            c.Name == name + Usual + Peers.Low || c.Name == name + Usual + Peers.High
                                ? c with
                                {
                                    Role = ColumnRole.Detail,
                                }
                                : c
                        ),
                    ],
                },
            };
    }

    private static async Task<List<Frame>> Ghosts(
        SeriesBoard series,
        List<(BoardSeries Of, SeriesAnswer Answer)> shown,
        Baseline baseline,
        Window focus
    )
    {
        var of = shown.Where(s => s.Of is { Peers: null, Earlier: null }).Take(MostGhosts);
        return [.. (await Task.WhenAll(of.Select(s => UsualOf(series, s.Of.Name, baseline, focus)))).OfType<Frame>()];
    }

    private static ChartSpec Spec(
        ChartBoard board,
        IReadOnlyList<(BoardSeries Of, Frame Frame)> shown,
        IReadOnlyList<Frame> ghosts
    )
    {
        var layers = new List<LayerSpec>();
        foreach (var (of, frame) in shown)
        {
            var figures = frame.Schema.Columns.Where(c => c.Role == ColumnRole.Value).Select(c => c.Name).ToList();
            // Values of keys have their colours on every screen; names of series are of this chart alone and take turns.
            var keyed = frame.Schema.Columns.Any(c => c.Role == ColumnRole.Key && c.Name != board.MultiplesBy);
            var plain = new LayerSpec(of.Name, of.Form, of.Side)
            {
                Slot = of.Slot ?? (keyed ? null : OwnSlot(board, of)),
                Stroke = of.Stroke,
                Unit = of.Unit,
                Decimals = of.Decimals,
            };
            foreach (var column in figures)
                layers.Add(
                    column switch
                    {
                        _ when column == of.Name && of.Peers is { } peers => plain with
                        {
                            Slot = of.Slot ?? 0,
                            Label = peers.Own,
                        },
                        _ when column == of.Name && of.Earlier is { } earlier => plain with
                        {
                            Stroke = of.Stroke ?? Stroke.Dashed,
                            Label =
                                earlier.Copies == 1
                                    ? $"{earlier.Of}, {earlier.By} earlier"
                                    : $"{earlier.Of}, mean of {earlier.Copies} earlier",
                        },
                        _ when column == of.Name => plain,
                        _ when column == of.Name + Peers.Low => plain with
                        {
                            Column = column,
                            Until = of.Name + Peers.High,
                            GhostOf = of.Peers is null ? of.Name : figures.First(f => f != of.Name),
                        },
                        _ when of.Peers is not null && column.StartsWith(of.Name + " ", StringComparison.Ordinal) => plain with
                        {
                            Column = column,
                            Slot = 2,
                            Stroke = Stroke.Dashed,
                            Label = column[(of.Name.Length + 1)..],
                        },
                        _ => plain with { Column = column, Slot = null },
                    }
                );
        }
        foreach (var name in ghosts.SelectMany(g => g.Schema.Columns).Where(c => c.Role == ColumnRole.Value).Select(c => c.Name))
        {
            var own = name[..^Usual.Length];
            var of = shown.First(s => s.Of.Name == own).Of;
            layers.Add(
                new LayerSpec(name, ChartForms.Line, of.Side)
                {
                    GhostOf = own,
                    Unit = of.Unit,
                    Decimals = of.Decimals,
                }
            );
        }
        return new ChartSpec
        {
            Form = board.Form,
            Title = board.Title,
            Left = board.Left,
            Right = board.Right,
            Layers = layers,
            MultiplesBy = board.MultiplesBy,
            SharedScale = !board.OwnScales,
            Most = board.MostDrawn + (ghosts.Count > 0 ? board.MostDrawn : 0),
            Choice = board.Choice,
            Reduce = board.Reduce,
            ShadeByTime = board.Form == ChartForms.Scatter,
        };
    }

    private static int OwnSlot(ChartBoard board, BoardSeries of) => board.Series.ToList().IndexOf(of) % Palette.Slots;

    private async Task<(ChartOver Over, (LaidOver Changes, LaidOver Alerts, LaidOver? Records) Told)> Laid(
        ChartAddress address,
        string person,
        long now,
        DateTimeZone zone,
        Window drawn,
        long step,
        CancellationToken cancel
    )
    {
        var board = address.Board;
        var happened = changes.In(drawn, MostChanges);
        var alerts = rules.Alerts.In(drawn);
        var text = board.ChangeText.Length > 0 ? board.ChangeText : ChartBoard.UsualChangeText;
        List<ChartEvent> events =
        [
            .. board.HidesChanges ? [] : happened.Select(c => new ChartEvent(c.At, c.By(text))),
            .. board.Pins.Select(p => new ChartEvent(p.At, p.Text, "pin")),
        ];
        if (address.Moment is { } moment)
            events.Add(new ChartEvent(moment, "", "pin"));
        var over = new ChartOver
        {
            Events = events,
            Spans = board.HidesAlerts
                ? []
                :
                [
                    .. alerts.Select(a => new ChartSpan(
                        a.Started,
                        a.Ended ?? now,
                        a.Name,
                        a.Level == AlertLevel.Critical ? "critical" : "warning"
                    )),
                ],
        };
        LaidOver? records = null;
        if (board.Records.Length > 0)
        {
            var parsed = QueryParser.Parse(board.Records);
            if (!parsed.Ok)
                records = new LaidOver(parsed.Errors[0].Describe(parsed.Text), 0);
            else
                try
                {
                    var counted = await Ask(
                        ParseResult.Of(parsed.Query.Records().Counted(per: Quantities.Duration(step))),
                        drawn,
                        person,
                        now,
                        zone,
                        cancel
                    );
                    var (time, figure) = (counted.Schema.IndexOf(ColumnRole.Time), counted.Schema.IndexOf(ColumnRole.Value));
                    var steps = counted.Rows.Select(r => (r[time].AsLong, r[figure].AsDouble)).ToList();
                    over = over with { Counts = new ChartCounts(steps, "records") };
                    records = new LaidOver("", (int)Math.Min(int.MaxValue, steps.Sum(s => s.AsDouble)));
                }
                catch (QueryRefusedException e)
                {
                    records = new LaidOver(e.Message, 0);
                }
        }
        return (over, (new LaidOver("", happened.Count), new LaidOver("", alerts.Count), records));
    }

    private static Expr? Counted(Rule rule) => QueryParser.Parse(((CountOf)rule.Definition.Quantity).Query).Query.Match;

    /// <summary>Limits of rules on the records that a series counts, brought to the length of a step.</summary>
    private List<Threshold> LimitsOf(ChartBoard board, IReadOnlyList<SeriesAnswer> answers, long step)
    {
        var limits = new List<Threshold>();
        var all = rules.Rules();
        foreach (var (of, answer) in board.Series.Zip(answers).Where(s => !s.First.Hidden && s.Second.Query is not null))
        foreach (
            var rule in all.Where(r =>
                r.Definition is { Quantity: CountOf, Condition: Beyond }
                && Counted(r) is { } match
                && match == QueryParser.Parse(answer.Query!).Query.Match
            )
        )
        foreach (
            var (limit, level) in new[]
            {
                (rule.Definition.Condition.Limits.Warning, "warning"),
                (rule.Definition.Condition.Limits.Critical, "critical"),
            }
        )
            if (limit is { } most)
                limits.Add(
                    new Threshold(
                        most * ((double)step / rule.Definition.InTheLast),
                        $"{rule.Name}: {level} {(((Beyond)rule.Definition.Condition).Below ? "below" : "above")} {Format.Number(most)} in {Quantities.Duration(rule.Definition.InTheLast)}",
                        level,
                        of.Side
                    )
                );
        return limits;
    }
}
