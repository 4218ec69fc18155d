using Kumiko.Charts;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Pages;

namespace Kumiko.Web.Rendering;

/// <summary>Makes lines of records: a time is written only as far as it differs from the line above.</summary>
/// <param name="marked">Whose words are marked; null for those of the run's query.</param>
public sealed class RowMaker(Run run, SearchAddress address, Query? marked = null)
{
    private readonly BodyText _bodies = new(marked ?? run.Question.Parsed.Query, address.Marks);
    private readonly List<(string Name, Func<LogRecord, Value> Read)> _columns =
    [
        .. address.Columns.Select(c => (c, run.Reader(c))),
    ];

    /// <param name="above">The record above the first of these; null for the top of a list.</param>
    /// <param name="meets">Tells which records meet the query, where others are shown too.</param>
    public IReadOnlyList<RecordRow> Of(IEnumerable<FoundRecord> found, RecordId? above, Func<LogRecord, bool>? meets = null)
    {
        var zone = run.Question.Zone;
        var rows = new List<RecordRow>();
        var (day, minute) = above is { } last
            ? (Format.Day(last.Time, zone), Format.Clock(last.Time, zone))
            : (Format.Day(run.Question.Now, zone), "");
        foreach (var (record, computed) in found)
        {
            var (itsDay, itsMinute) = (Format.Day(record.Time, zone), Format.Clock(record.Time, zone));
            var newDay = itsDay != day;
            rows.Add(
                new RecordRow(
                    record,
                    newDay ? itsDay : null,
                    newDay || itsMinute != minute ? itsMinute : null,
                    Format.SecondsPart(record.Time, zone),
                    _bodies.Pieces(record, BodyText.RowLength),
                    [
                        .. _columns
                            .Select(c => (c.Name, Value: c.Read(record)))
                            .Concat(computed)
                            .Where(c => !c.Value.IsMissing)
                            .Select(c => (c.Name, Cut(BodyText.Visible(c.Value.ToText())))),
                    ]
                )
                {
                    Meets = meets?.Invoke(record) ?? false,
                }
            );
            (day, minute) = (itsDay, itsMinute);
        }
        return rows;
    }

    private static string Cut(string text) => text.Length > 120 ? text[..120] + "…" : text;
}
