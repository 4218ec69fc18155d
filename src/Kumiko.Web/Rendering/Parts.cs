using Kumiko.Charts;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>A chart with what its page needs.</summary>
public sealed record ChartPart(Drawing Drawing, SearchAddress? Address, Tab Tab)
{
    /// <summary>What the script of the chart reads: places, titles and values of the cross-hair, and the plot's ends.</summary>
    public IEnumerable<(string Name, string Value)> Data =>
    [
        ("data-chart", System.Text.Json.JsonSerializer.Serialize(new
        {
            left = Drawing.Plot.Left,
            right = Drawing.Plot.Right,
            top = Drawing.Plot.Top,
            bottom = Drawing.Plot.Bottom,
            from = Drawing.Plot.From / 1_000_000,
            to = Drawing.Plot.To / 1_000_000,
            series = Drawing.Legend.Select(l => new { name = l.Name, style = l.Style }),
            points = Drawing.Hover.Select(h => new { x = Math.Round(h.X, 1), title = h.Title, values = h.Values }),
        })),
    ];
}

/// <summary>The counts beside the query; while counting goes on they are asked for again.</summary>
public sealed record CountsPart(StageCounts Counts, SearchAddress Address, Run Run)
{
    /// <summary>Lines of the query's text above the line of a stage that no stage before it has taken.</summary>
    public int LinesAbove(int stage)
    {
        var query = Run.Question.Parsed.Query;
        int Line(int s) => Run.Question.Parsed.Text.AsSpan(0, s == 0 ? query.MatchSpan.Start : query.Stages[s - 1].Span.Start).Count('\n');
        var taken = 0;
        for (var s = 0; s < stage; s++) taken = Math.Max(taken, Line(s)) + 1;
        return Math.Max(0, Line(stage) - taken);
    }
}

/// <summary>What each condition takes, and the steps of the answer.</summary>
public sealed record HowPart(StageCounts Counts, IReadOnlyList<string> Steps, SearchAddress Address, Query Query)
{
    /// <summary>The same view with exactly the records that one condition takes.</summary>
    public string Alone(ConditionCount count) => Of([count]);

    /// <summary>The same with all conditions up to this one.</summary>
    public string Left(ConditionCount count) => Of(Counts.Conditions.TakeWhile(c => c != count).Append(count));

    private string Of(IEnumerable<ConditionCount> counts)
    {
        var all = counts.ToList();
        var match = all.Where(c => c.Stage == 0).Select(c => c.Condition).ToList();
        var stages = all.Where(c => c.Stage > 0).GroupBy(c => c.Stage).Select(g => (Stage)new Where(Expr.And(g.Select(c => c.Condition))));
        var query = new Query(match.Count == 0 ? null : Expr.And(match), new Seq<Stage>(stages), Query.From) { With = Query.With };
        return (Address with { Query = QueryPrinter.Print(query), Tab = Tab.Read, At = null }).Url();
    }
}

/// <summary>Advice about an answer, with links to what was perhaps meant.</summary>
public sealed record HintsPart(IReadOnlyList<AnswerHint> Hints, SearchAddress Address, DateTimeZone Zone, Question Question)
{
    /// <summary>The same query with a focus of the same length around a time.</summary>
    public string Around(long time)
    {
        var half = Math.Max(Question.Window.Length / 2, Instants.Minute);
        return (Address with { Focus = new TimeRange(Moment.At(time - half), Moment.At(time + half)), At = null }).Url();
    }
}

/// <summary>A frame as a table.</summary>
public sealed record TablePart(Frame Frame, DateTimeZone Zone, PatternView? Patterns = null)
{
    public const int MostRows = 1_000;

    /// <summary>Keys up to this length are not broken over lines.</summary>
    public const int LongestWhole = 24;

    /// <summary>The text of a pattern where a cell holds the id of one; null elsewhere.</summary>
    public string? PatternText(int column, Value value) =>
        Frame.Schema.Columns[column].Name == "pattern" && value.IsText && !Frame.Schema.Columns.Any(c => c.Name == "text") && Patterns?.Text(value.AsText) is { } text ? BodyText.Visible(text.Length > 160 ? text[..160] + "…" : text) : null;
}
