using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>A chart with what its page needs.</summary>
public sealed record ChartPart(Drawing Drawing)
{
    /// <summary>A tooltip tells so many series, the highest.</summary>
    private const int MostTold = 20;

    /// <summary>Where the menu of something pointed at is asked for; null where nothing can be pointed at.</summary>
    public string? MenuUrl { get; init; }

    /// <summary>Where the picture is had as a file, to which the kind is added; null where it is not.</summary>
    public string? FileUrl { get; init; }

    /// <summary>Where the menu of a mark is asked for, with its series and step; null where marks lead nowhere.</summary>
    public string? MarkUrl { get; init; }

    /// <summary>Whether the page has a legend of its own.</summary>
    public bool HasOwnLegend { get; init; }

    /// <summary>How the picture was made, where lines are called by other names than their columns; null elsewhere.</summary>
    public ChartSpec? Spec { get; init; }

    /// <summary>Whether the page offers what the chart is made of by itself.</summary>
    public bool IsExportedElsewhere { get; init; }

    /// <summary>The same as a table; null where the page has one elsewhere.</summary>
    public TablePart? Table { get; init; }

    /// <summary>The condition that a series stands for; null where it has no keys.</summary>
    public static string? Condition(LegendEntry entry) => PointConditions.Of(entry.Keys);

    /// <summary>What the script of the chart reads: places, titles and values of the cross-hair, and the plot's ends.</summary>
    public IEnumerable<(string Name, string Value)> Data =>
        Drawing.Plot is not { } plot
            ?
            [
                (
                    "data-chart",
                    Drawing.ViewHeight is null && MarkUrl is null && MenuUrl is null
                        ? "{}"
                        : System.Text.Json.JsonSerializer.Serialize(
                            new { view = Drawing.ViewHeight, series = Drawing.Legend.Select(SeriesData) }
                        )
                ),
            ]
            :
            [
                ("tabindex", "0"),
                (
                    "data-chart",
                    System.Text.Json.JsonSerializer.Serialize(
                        new
                        {
                            left = plot.Left,
                            right = plot.Right,
                            top = plot.Top,
                            bottom = plot.Bottom,
                            low = Drawing.Scale?.Low,
                            high = Drawing.Scale?.High,
                            from = plot.From / 1_000_000,
                            to = plot.To / 1_000_000,
                            view = Drawing.ViewHeight,
                            series = Drawing.Legend.Select(SeriesData),
                            points = Drawing.Hover.Select(h => new
                            {
                                x = Math.Round(h.X, 1),
                                at = h.Start / 1_000_000,
                                end = h.End / 1_000_000,
                                title = h.Title,
                                values = PointData(h),
                                more = Math.Max(
                                    0,
                                    h.Numbers.Index()
                                        .Count(n =>
                                            n.Item is not null
                                            && !Drawing.Legend[n.Index].Style.Contains("ghost", StringComparison.Ordinal)
                                        ) - MostTold
                                ),
                            }),
                        }
                    )
                ),
            ];

    private object SeriesData(LegendEntry entry) =>
        MarkUrl is null && MenuUrl is null
            ? new { name = entry.Name, style = entry.Style }
            : new
            {
                name = entry.Name,
                style = entry.Style,
                column = entry.Column,
                condition = Condition(entry),
            };

    /// <summary>Places of series with their values at one point, the highest first.</summary>
    private IEnumerable<object[]> PointData(HoverPoint point) =>
        Enumerable
            .Range(0, point.Values.Count)
            .Where(i => point.Numbers[i] is not null && !Drawing.Legend[i].Style.Contains("ghost", StringComparison.Ordinal))
            .OrderByDescending(i => point.Numbers[i])
            .Take(MostTold)
            .Select(i => new object[] { i, point.Values[i] });
}

/// <summary>Conditions that keys of a group stand for.</summary>
public static class PointConditions
{
    /// <summary>That a field is there.</summary>
    public static string Exists(string field) => QueryPrinter.PrintMatch(new Exists(new Field(field)));

    public static string? Of(IReadOnlyList<(string Name, Value Value)> keys)
    {
        var conditions = keys.Select(k =>
                k.Value.IsMissing
                    ? new Not(new Exists(new Field(k.Name)))
                    : (Expr)new Compare(new Field(k.Name), CompareOp.Equal, Literals.For(k.Value))
            )
            .ToList();
        return conditions.Count == 0 ? null : QueryPrinter.PrintMatch(Expr.And(conditions));
    }
}

/// <summary>The counts beside the query; while counting goes on they are asked for again.</summary>
public sealed record CountsPart(StageCounts Counts, SearchAddress Address, Run Run)
{
    /// <summary>How many records the baseline has; null where it is not known or there is none.</summary>
    public double? Usual { get; init; }

    /// <summary>The view with exactly the records, or rows, that the query leaves behind a stage; 0 for the match.</summary>
    public string CutAt(int stage) =>
        (Address with { Query = QueryEdits.CutAt(Run.Question.Parsed, stage), At = null, Tab = Tab.Auto }).Url();

    /// <summary>The view with the records that a <c>parse</c> did not fit; null where it has no name to tell them by.</summary>
    public string? Others(int stage)
    {
        if (
            Run.Question.Parsed.Query.Stages[stage - 1] is not Parse { Only: false } parse
            || parse.Makes.FirstOrDefault() is not { } name
        )
            return null;
        var missing = new Where(new Not(new Exists(new Field(name))));
        return (
            Address with
            {
                Query = QueryEdits.CutAt(Run.Question.Parsed, stage) + "\n| " + QueryPrinter.Print(missing),
                At = null,
                Tab = Tab.Read,
            }
        ).Url();
    }

    /// <summary>Lines of the query's text above the line of a stage that no stage before it has taken.</summary>
    public int LinesAbove(int stage)
    {
        var query = Run.Question.Parsed.Query;
        int Line(int s) =>
            Run.Question.Parsed.Text.AsSpan(0, s == 0 ? query.MatchSpan.Start : query.Stages[s - 1].Span.Start).Count('\n');
        var taken = 0;
        for (var s = 0; s < stage; s++)
            taken = Math.Max(taken, Line(s)) + 1;
        return Math.Max(0, Line(stage) - taken);
    }
}

/// <summary>The fields of an answer and what they are compared with.</summary>
/// <param name="Pins">Names that the person keeps at the top.</param>
public sealed record FieldsPart(
    IReadOnlyList<FieldSummary> Fields,
    SearchAddress Address,
    DateTimeZone Zone,
    IReadOnlyList<string> Pins,
    Baseline Baseline,
    Run Run
)
{
    /// <summary>So many fields are shown with values; of further ones the names, when one searches for them.</summary>
    public const int MostShown = 60;

    /// <summary>So many fields are open from the start.</summary>
    public const int MostOpen = 6;

    private bool IsTable => Address.Tab == Tab.Table;

    private IReadOnlyList<TableColumn> Table => Address.Table.Count > 0 ? Address.Table : GridPart.OfRecords(Address.Columns);

    /// <summary>Whether a field is shown in every row.</summary>
    public bool IsColumn(string field) => IsTable ? Table.Any(c => c.Name == field) : Address.Columns.Contains(field);

    /// <summary>The view with a field in every row, or no longer.</summary>
    public string AsColumn(string field)
    {
        var address = Address with { At = null };
        return (
            IsTable
                ? address with
                {
                    Table = GridPart.Toggled(Table, field),
                }
                : address with
                {
                    Columns = IsColumn(field) ? [.. Address.Columns.Where(c => c != field)] : [.. Address.Columns, field],
                }
        ).Url();
    }

    /// <summary>Pinned ones first, the rest as they come.</summary>
    public IEnumerable<FieldSummary> InOrder =>
        Fields.OrderBy(f => Pins.Contains(f.Name) ? Pins.ToList().IndexOf(f.Name) : int.MaxValue);
}

/// <summary>One field with more of its values.</summary>
public sealed record FieldPart(
    string Name,
    FieldSummary? Field,
    SearchAddress Address,
    DateTimeZone Zone,
    Baseline Baseline,
    Run Run
);

/// <summary>One value of a field in a list.</summary>
public sealed record ValuePart(string Field, ValueShare Share, SearchAddress Address, bool HasBaseline, Run Run)
{
    /// <summary>What is counted, for one and for several.</summary>
    public (string One, string Many) Counted => Run.Noun;
}

/// <summary>Something that can be done with what somebody points at.</summary>
public sealed record PointAction(string Label, string Url, bool NewTab = false);

/// <summary>What can be done with something pointed at.</summary>
public sealed record PointMenu(string Title, IReadOnlyList<PointAction> Actions);

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
        var stages = all.Where(c => c.Stage > 0)
            .GroupBy(c => c.Stage)
            .Select(g => (Stage)new Where(Expr.And(g.Select(c => c.Condition))));
        var query = new Query(match.Count == 0 ? null : Expr.And(match), new Seq<Stage>(stages), Query.From)
        {
            With = Query.With,
        };
        return (Address with { Query = QueryPrinter.Print(query), Tab = Tab.Read, At = null }).Url();
    }
}

/// <summary>Advice about an answer, with links to what was perhaps meant.</summary>
public sealed record HintsPart(IReadOnlyList<AnswerHint> Hints, SearchAddress Address, DateTimeZone Zone, Question Question)
{
    /// <summary>The same query with a focus of the same length around a time.</summary>
    public string AroundAddress(long time)
    {
        var half = Math.Max(Question.Window.Length / 2, Instants.Minute);
        return (Address with { Focus = new TimeRange(Moment.At(time - half), Moment.At(time + half)), At = null }).Url();
    }
}

/// <summary>A frame as a table.</summary>
public sealed record TablePart(Frame Frame, DateTimeZone Zone, PatternView? Patterns = null)
{
    public const int MostRows = 1_000;

    /// <summary>Whether figures are written with the units of their columns.</summary>
    public bool Units { get; init; }

    /// <summary>A cell's text.</summary>
    public string Text(int column, Value value)
    {
        if (value.Kind == ValueKind.Text)
            return BodyText.Visible(value.AsText);
        if (Units && value.IsQuantity && Frame.Schema.Columns[column] is { Role: ColumnRole.Value } of)
            return ChartUnit.Of(of).Text(value.AsDouble);
        return Format.Value(value, Zone);
    }

    /// <summary>Where the menu of a row's keys is asked for; null where rows stand for no records.</summary>
    public string? MenuUrl { get; init; }

    /// <summary>The condition that a row's keys stand for; null where it has none.</summary>
    public string? Condition(Value[] row) =>
        MenuUrl is null
            ? null
            : PointConditions.Of([
                .. Frame
                    .Schema.Columns.Select((c, i) => (c, i))
                    .Where(c => c.c.Role == ColumnRole.Key)
                    .Select(c => (c.c.Name, row[c.i])),
            ]);

    /// <summary>Keys up to this length are not broken over lines.</summary>
    public const int LongestWhole = 24;

    /// <summary>The text of a pattern where a cell holds the id of one; null elsewhere.</summary>
    public string? PatternText(int column, Value value) =>
        Frame.Schema.Columns[column].Name == "pattern"
        && value.IsText
        && !Frame.Schema.Columns.Any(c => c.Name == "text")
        && Patterns?.Text(value.AsText) is { } text
            ? BodyText.Visible(text.Length > 160 ? text[..160] + "…" : text)
            : null;
}
