using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>Changes of the chart: each leads to the page with the changed chart in its address.</summary>
public sealed partial class ChartsModel
{
    private const int LongestText = 16_384;

    /// <summary>Does one change; answers with where to go, to a script as JSON.</summary>
    public IActionResult OnGetEdit(string? act)
    {
        Prepare();
        var (next, problem) = act switch
        {
            "add" => Added(Asked("kind")),
            "save" => Saved(),
            "remove" => (Address.With(Board with { Series = [.. Board.Series.Where(s => s.Name != Asked("name"))] }), null),
            "up" => (Address.With(Board with { Series = Moved(Asked("name")) }), null),
            "look" => WithLooks(),
            "lay" => Laid(),
            "pin" => Pinned(),
            "axes" => Axes(),
            _ => (Address, "There is no such change."),
        };
        var url = problem is null ? next.Url() : Address.Url(more: ("problem", problems.Keep(viewer.Id, problem)));
        return Request.Headers.Accept.ToString().Contains("application/json", StringComparison.Ordinal)
            ? new JsonResult(new { url, problem })
            : Redirect(url);
    }

    private string Asked(string name) => Request.Query[name].ToString().Trim();

    private (ChartAddress, string?) Added(string kind)
    {
        if (Board.Series.Count >= SeriesBoard.Most)
            return (Address, $"A chart can have {SeriesBoard.Most} series.");
        var of = Typed.FirstOrDefault(s => s.Name == Asked("of"))
            ?? Typed.FirstOrDefault(s => !s.Hidden)
            ?? Typed.FirstOrDefault();
        if (kind is "peers" or "earlier" && of is null)
            return (Address, "Add a series first, then it can be compared.");
        var key = Asked("key");
        BoardSeries made;
        switch (kind)
        {
            case "peers":
                if (key.Length == 0 || Asked("own").Length == 0)
                    return (Address, "Say which one is to be compared: a field and its value.");
                made = new BoardSeries(Board.FreeName("peers"))
                {
                    Peers = new PeersOf(of!.Name, key, Asked("own"), Asked("middle") == "median"),
                    Unit = of.Unit,
                    Decimals = of.Decimals,
                    Side = of.Side,
                };
                break;
            case "earlier":
                if (!Quantities.TryParseDuration(Asked("by"), out var by) || by <= 0)
                    return (Address, $"“{Asked("by")}” is no length of time. Write 7d, or 12h24m.");
                made = new BoardSeries(Board.FreeName("earlier"))
                {
                    Earlier = new EarlierOf(
                        of!.Name,
                        Asked("by"),
                        int.TryParse(Asked("copies"), NumberStyles.None, CultureInfo.InvariantCulture, out var copies)
                            ? Math.Clamp(copies, 1, EarlierOf.MostCopies)
                            : 1
                    ),
                    Unit = of.Unit,
                    Decimals = of.Decimals,
                    Side = of.Side,
                };
                break;
            case "metric":
                made = new BoardSeries(Board.FreeName(NameFor(Asked("metric"))), Shortened(metrics.QueryFor(Asked("metric"))));
                if (made.Text.Length == 0)
                    return (Address, "There is no such metric.");
                break;
            case "formula":
                var two = Typed.Take(2).Select(s => s.Name).ToList();
                made = new BoardSeries(Board.FreeName("share"), string.Join(" / ", two));
                break;
            default:
                made = new BoardSeries(
                    Board.FreeName("records"),
                    Asked("text") is { Length: > 0 and <= LongestText } text ? text : "| group count() per auto"
                );
                break;
        }
        // Who compares one with its peers looks at these lines instead of all of them.
        var board = Board with
        {
            Series = [.. Board.Series.Select(s => kind == "peers" && s.Name == of!.Name ? s with { Hidden = true } : s), made],
        };
        return (Address with { Board = board, Editing = kind is "peers" or "metric" or "text" ? null : made.Name }, null);
    }

    /// <summary>A query of the catalogue on one line, its first figure alone.</summary>
    private static string Shortened(string query) => query.ReplaceLineEndings(" ");

    private static string NameFor(string metric)
    {
        var last = metric.Split('.')[^1];
        var name = string.Concat(last.Select(c => char.IsAsciiLetterOrDigit(c) || c == '_' ? c : '_'));
        return ChartBoard.NameFault(name) is null ? name : "series";
    }

    private (ChartAddress, string?) Saved()
    {
        var name = Asked("name");
        if (Board.Series.FirstOrDefault(s => s.Name == name) is not { } series)
            return (Address, "There is no such series.");
        var called = Asked("called") is { Length: > 0 } given ? given : name;
        if (ChartBoard.NameFault(called) is { } fault)
            return (Address, fault);
        if (called != name && Board.Series.Any(s => s.Name == called))
            return (Address, $"Two series would be called {called}. Give one another name.");
        var text = Request.Query["text"].ToString().ReplaceLineEndings("\n").Trim();
        if (text.Length > LongestText)
            return (Address, "The text is too long.");
        var changed = Styled(series) with { Name = called, Text = text };
        if (series.Peers is { } peers)
            changed = changed with
            {
                Text = "",
                Peers = peers with
                {
                    Of = Asked("of"),
                    Key = Asked("key"),
                    Own = Asked("own"),
                    Median = Asked("middle") == "median",
                },
            };
        if (series.Earlier is { } earlier)
            changed = changed with
            {
                Text = "",
                Earlier = earlier with
                {
                    Of = Asked("of"),
                    By = Asked("by"),
                    Copies = int.TryParse(Asked("copies"), NumberStyles.None, CultureInfo.InvariantCulture, out var copies)
                        ? Math.Clamp(copies, 1, EarlierOf.MostCopies)
                        : 1,
                },
            };
        var board = Board.With(name, changed);
        return (Address with { Board = board, Editing = Asked("stay") == "true" ? called : null }, null);
    }

    private (string Text, string? Problem, string Function) Pointed()
    {
        var known = metrics.All().FirstOrDefault(m => m.Name == Asked("b.what"));
        var metric = known?.Name ?? "";
        // A metric that was just chosen begins with what suits its kind.
        var function =
            known is not null
            && Asked("b.was") != metric
            && !SeriesBuilder.Functions.Any(f => f.Name == Asked("b.function") && f.TakesField)
                ? FigureOf(known)
                : Asked("b.function");
        var built = new SeriesBuilder(
            metric,
            Asked("b.where"),
            function,
            metric.Length > 0 ? "" : Asked("b.what"),
            [.. Asked("b.by").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Take(6)],
            Asked("b.per") is { Length: > 0 } every ? every : "auto"
        );
        return built.Problem() is { } problem ? ("", problem, function) : (built.Text, null, function);
    }

    /// <summary>The aggregate that suits a metric's kind.</summary>
    private static string FigureOf(MetricEntry metric) =>
        metric.Kind switch
        {
            "counter" => "per_second",
            "histogram" => "p95",
            _ => "avg",
        };

    private BoardSeries Styled(BoardSeries series) =>
        series with
        {
            Form = ChartForms.Find(Asked("form")),
            Side = Asked("side") == "Right" ? Side.Right : Side.Left,
            Slot =
                int.TryParse(Asked("slot"), NumberStyles.None, CultureInfo.InvariantCulture, out var slot) && slot < Palette.Slots
                    ? slot
                    : null,
            Stroke = Enum.TryParse<Stroke>(Asked("stroke"), out var stroke) ? stroke : null,
            Unit = Asked("unit") is { Length: > 0 and <= 30 } unit ? unit : null,
            Decimals = int.TryParse(Asked("decimals"), NumberStyles.None, CultureInfo.InvariantCulture, out var decimals)
                ? Math.Min(decimals, 9)
                : null,
        };

    private List<BoardSeries> Moved(string name)
    {
        var list = Board.Series.ToList();
        var at = list.FindIndex(s => s.Name == name);
        if (at > 0)
            (list[at - 1], list[at]) = (list[at], list[at - 1]);
        return list;
    }

    private (ChartAddress, string?) WithLooks()
    {
        var by = Asked("by");
        return (
            Address.With(
                Board with
                {
                    Title =
                        Asked("title") is var title && title.Length > ChartBoard.LongestTitle
                            ? title[..ChartBoard.LongestTitle]
                            : title,
                    Form = ChartForms.Find(Asked("form")) ?? Board.Form,
                    MultiplesBy = by.Length > 0 ? by : null,
                    OwnScales = by.Length > 0 && Asked("scales") == "own",
                    Reduce = Enum.TryParse<Reduction>(Asked("reduce"), out var reduce) ? reduce : Board.Reduce,
                    Choice = Enum.TryParse<Choice>(Asked("choice"), out var choice) ? choice : Board.Choice,
                    Most = int.TryParse(Asked("most"), NumberStyles.None, CultureInfo.InvariantCulture, out var most)
                        ? most
                        : Board.Most,
                }
            ),
            null
        );
    }

    private (ChartAddress, string?) Laid()
    {
        var records = Request.Query["records"].ToString().Trim();
        if (records.Length > LongestText)
            return (Address, "The text is too long.");
        if (records.Length > 0 && QueryParser.Parse(records) is { Ok: false } wrong)
            return (Address, wrong.Errors[0].Describe(records));
        return (
            Address.With(
                Board with
                {
                    Records = records,
                    ChangeText =
                        Asked("changeText") is var text && text == ChartBoard.UsualChangeText || text.Length > 200 ? "" : text,
                }
            ),
            null
        );
    }

    private (ChartAddress, string?) Pinned()
    {
        if (Moment.Parse(Asked("at")) is not { Relative: false } at)
            return (Address, "Pick a moment on the chart first.");
        if (Asked("gone") == "true")
            return (Address.With(Board with { Pins = [.. Board.Pins.Where(p => p.At != at.Nanoseconds)] }), null);
        if (Board.Pins.Count >= ChartBoard.MostPins)
            return (Address, $"A chart can have {ChartBoard.MostPins} pins. Take one away.");
        var text = Asked("text") is { Length: > 0 } said ? said : Format.Clock(at.Nanoseconds, Zone);
        return (
            Address.With(
                Board with
                {
                    Pins =
                    [
                        .. Board.Pins.Where(p => p.At != at.Nanoseconds),
                        new BoardPin(at.Nanoseconds, text.Length > 80 ? text[..80] : text),
                    ],
                }
            ) with
            {
                Moment = null,
            },
            null
        );
    }

    private (ChartAddress, string?) Axes()
    {
        var problem = (string?)null;
        AxisSpec Of(string side, AxisSpec was)
        {
            double? Number(string name)
            {
                if (Asked(side + name) is not { Length: > 0 } text)
                    return null;
                if (
                    double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
                    && double.IsFinite(number)
                )
                    return number;
                problem ??= $"“{(text.Length > 20 ? text[..20] + "…" : text)}” is no number.";
                return null;
            }
            var axis = was with
            {
                Title = Asked(side + "Title") is var t && t.Length > 60 ? t[..60] : t,
                Scale = Asked(side + "Scale") == "Logarithmic" ? ScaleKind.Logarithmic : ScaleKind.Linear,
                Min = Number("Min"),
                Max = Number("Max"),
                Zero = Asked(side + "Zero") switch
                {
                    "yes" => true,
                    "no" => false,
                    _ => null,
                },
            };
            if (axis is { Min: { } min, Max: { } max } && min >= max)
                problem ??= "An axis ends above where it begins.";
            return axis;
        }
        var board = Board with { Left = Of("left", Board.Left), Right = Of("right", Board.Right) };
        return (Address.With(board), problem);
    }
}
