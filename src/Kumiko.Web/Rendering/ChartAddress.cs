using Kumiko.Charts;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Web.Rendering;

/// <summary>A chart and the view it stands in, as the address of the page has them.</summary>
/// <param name="View">Focus, baseline, span, zone.</param>
public sealed record ChartAddress(SearchAddress View, ChartBoard Board)
{
    public const string Path = "/charts";

    /// <summary>The series whose row is open for editing; null for none.</summary>
    public string? Editing { get; init; }

    /// <summary>The moment that was picked on the chart, UTC nanoseconds; null for none.</summary>
    public long? Moment { get; init; }

    /// <summary>The formula whose change at the moment is shared out, and the condition that its line stands for; null for the
    /// first that is shown, and all lines.</summary>
    public string? Moved { get; init; }
    public string? MovedOf { get; init; }

    /// <summary>Reads an address; what makes no sense is left out and told in a notice.</summary>
    public static ChartAddress Parse(Func<string, string?> value, long now, List<string> notices)
    {
        var view = SearchAddress.Parse(value, now, notices) with
        {
            Query = "",
            At = null,
            Tab = Tab.Auto,
            Columns = [],
            Marks = [],
            Form = null,
            Each = null,
        };
        var board = new ChartBoard();
        if (value("c") is { Length: > 0 } text)
        {
            if (ChartBoard.FromJson(text, out var problem) is { } read)
                board = read;
            else
                notices.Add(problem!);
        }
        if (board.Series.Count + board.Title.Length > 0)
            view = view with { Kept = [("c", board.ToJson())] };
        return new ChartAddress(view, board)
        {
            Editing = value("edit") is { Length: > 0 } name && board.Series.Any(s => s.Name == name) ? name : null,
            Moved = value("moved"),
            MovedOf = value("moved-of") is { Length: > 0 and <= 2_000 } of ? of : null,
            Moment =
                Core.Query.Moment.Parse(value("moment")) is { Relative: false } moment && value("moment") is { Length: > 0 }
                    ? moment.Nanoseconds
                    : null,
        };
    }

    public string Url(string path = Path, params (string Name, string Value)[] more) =>
        (View with { Kept = [] }).Url(
            path,
            [
                ("c", Board == new ChartBoard() ? "" : Board.ToJson()),
                ("edit", Editing ?? ""),
                ("moment", Moment is { } at ? Core.Query.Moment.At(at).ToString() : ""),
                ("moved", Moment is null ? "" : Moved ?? ""),
                ("moved-of", Moment is null ? "" : MovedOf ?? ""),
                .. more,
            ]
        );

    /// <summary>The address of a part, which names the instant of its page so that it reads the same.</summary>
    public string PartUrl(long now, string handler, params (string Name, string Value)[] more) =>
        Url(Path, [("handler", handler), ("now", now.ToString(System.Globalization.CultureInfo.InvariantCulture)), .. more]);

    /// <summary>The same view with another chart.</summary>
    public ChartAddress With(ChartBoard board) =>
        this with
        {
            Board = board,
            Editing = board.Series.Any(s => s.Name == Editing) ? Editing : null,
        };
}
