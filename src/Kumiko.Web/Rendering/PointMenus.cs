using Kumiko.Charts;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Web.Rendering;

/// <summary>What can be done with a stretch of text, a condition, or a stretch of time that somebody points at: each writes query
/// text.</summary>
public static class PointMenus
{
    private const int LongestText = 500;

    /// <summary>A word or a marked stretch of a body.</summary>
    /// <param name="record">Where it stands; its fields with this very value can be counted by.</param>
    public static PointMenu OfText(SearchAddress address, string text, LogRecord? record)
    {
        text = text.Trim();
        if (text.Length is 0 or > LongestText)
            return new PointMenu("Mark up to 500 characters.", []);
        var term = new Term(text, !Words(text));
        var actions = Only(address, term, new Not(term), record is null ? [] : Holding(record, text).ToList());
        actions.Add(
            new PointAction(
                "Set it off in colour",
                (address with { Marks = [.. address.Marks.Where(m => m.Text != text), new TermMark(text, Free(address))] }).Url()
            )
        );
        return new PointMenu(Cut(text), actions);
    }

    /// <summary>A condition that something shown stands for: a legend entry, a row of a table.</summary>
    public static PointMenu OfCondition(SearchAddress address, string condition)
    {
        var parsed = QueryParser.Parse(condition);
        if (!parsed.Ok || parsed.Query.Match is not { } match || parsed.Query.Stages.Count > 0)
            return new PointMenu("This is no condition.", []);
        var records = address with { Query = QueryEdits.RecordsOnly(address.Query), Tab = Tab.Auto };
        var without = match is Compare { Op: CompareOp.Equal } compare
            ? compare with
            {
                Op = CompareOp.NotEqual,
            }
            : (Expr)new Not(match);
        return new PointMenu(
            Cut(condition),
            [
                .. Verbs(address, match, without, Fields(match).Distinct()),
                new("Its records", With(records, match)),
                new("Its records in a new tab", With(records, match), NewTab: true),
            ]
        );
    }

    /// <summary>A mark of a drawn answer: a group at a step of time.</summary>
    public static PointMenu OfMark(SearchAddress address, string? condition, long start, long end, string words)
    {
        var parsed = QueryParser.Parse(condition ?? "");
        if (!parsed.Ok)
            return new PointMenu("This is no condition.", []);
        var step = address with
        {
            Focus = new TimeRange(Moment.At(start), Moment.At(end)),
            Query = QueryEdits.RecordsOnly(address.Query),
            Tab = Tab.Read,
            At = null,
        };
        var records = parsed.Query.Match is { } match ? With(step, match) : step.Url();
        var actions = new List<PointAction>
        {
            new("Its records", records),
            new("Its records in a new tab", records, NewTab: true),
        };
        if (parsed.Query.Match is { } group)
        {
            actions.Add(new PointAction("Only this", With(address, group)));
            actions.Add(new PointAction("Without this", With(address, new Not(group))));
        }
        actions.Add(new PointAction("Only this time", (address with { Focus = step.Focus, At = null }).Url()));
        actions.Add(
            new PointAction(
                "Compare with this time",
                (address with { Baseline = new Core.Query.Baselines.DrawnStretch(step.Focus) }).Url()
            )
        );
        return new PointMenu(condition is null ? words : Cut(condition) + ", " + words, actions);
    }

    /// <summary>A bar on the strip or a column of a chart.</summary>
    public static PointMenu OfTime(SearchAddress address, long start, long end, string words)
    {
        var (from, to) = (Moment.At(start), Moment.At(end));
        var only = address with { Focus = new TimeRange(from, to), At = null };
        var outside = new Or(
            new Seq<Expr>([
                new Compare(new Field("time"), CompareOp.Less, new Literal(from.ToString(), false)),
                new Compare(new Field("time"), CompareOp.GreaterOrEqual, new Literal(to.ToString(), false)),
            ])
        );
        return new PointMenu(
            words,
            [
                new("Only this", only.Url()),
                new("Without this", With(address, outside)),
                new("In a new tab", only.Url(), NewTab: true),
                new(
                    "Compare with this",
                    (address with { Baseline = new Core.Query.Baselines.DrawnStretch(new TimeRange(from, to)) }).Url()
                ),
            ]
        );
    }

    private static List<PointAction> Only(SearchAddress address, Expr only, Expr without, IReadOnlyList<string> fields)
    {
        List<PointAction> actions =
        [
            .. Verbs(address, only, without, fields),
            new("In a new tab", With(address, only), NewTab: true),
        ];
        if (fields.Count == 0)
            actions.Add(
                new PointAction(
                    "Count over time",
                    (
                        address with
                        {
                            Query = QueryEdits.CountOverTime(QueryEdits.With(address.Query, only).Text),
                            Tab = Tab.Auto,
                            At = null,
                        }
                    ).Url()
                )
            );
        return actions;
    }

    /// <summary>What is done with a value: only it, what else there is beside it, all but it.</summary>
    private static IEnumerable<PointAction> Verbs(SearchAddress address, Expr only, Expr without, IEnumerable<string> fields) =>
        [
            new("Only this", With(address, only)),
            .. fields.Select(f => new PointAction(
                $"Count by {f}",
                (address with { Query = QueryEdits.CountBy(address.Query, f), Tab = Tab.Auto, At = null }).Url()
            )),
            new("Without this", With(address, without)),
        ];

    private static string With(SearchAddress address, Expr condition) =>
        (address with { Query = QueryEdits.With(address.Query, condition).Text, At = null }).Url();

    private static bool Words(string text) =>
        text.All(c => char.IsLetterOrDigit(c) || c is '_' or '-' or '.')
        && QueryParser.Parse(text).Query.Match is Term { Quoted: false } term
        && term.Text == text;

    /// <summary>Fields of a record that hold just this text.</summary>
    private static IEnumerable<string> Holding(LogRecord record, string text)
    {
        if (record.Resource.Host.ToText() == text)
            yield return "host";
        if (record.Resource.Service.ToText() == text)
            yield return "service";
        for (var i = 0; i < record.Attributes.Count; i++)
            if (record.Attributes.Values[i] is { Kind: not (ValueKind.Object or ValueKind.List) } value && value.ToText() == text)
                yield return record.Attributes.Names[i];
    }

    private static IEnumerable<string> Fields(Expr expr) =>
        expr switch
        {
            And and => and.Items.SelectMany(Fields),
            Compare { Left: Field field } => [field.Name],
            _ => [],
        };

    private static int Free(SearchAddress address) =>
        Enumerable.Range(0, TermMark.Colours).OrderBy(c => address.Marks.Count(m => m.Colour == c)).First();

    private static string Cut(string text) => BodyText.Visible(text.Length > 60 ? text[..60] + "…" : text);
}
