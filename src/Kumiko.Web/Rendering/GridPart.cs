using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>A cell of a table.</summary>
/// <param name="Text">As it is shown.</param>
/// <param name="Whole">All of it, for hovering and copying; null where that is the text.</param>
/// <param name="Bar">Its part of the highest figure of its column, 0 to 1; null where it has no bar.</param>
/// <param name="Note">What is said beside it.</param>
public sealed record GridCell(string Text, string? Whole = null, double? Bar = null, string? Note = null);

/// <summary>A row of a table.</summary>
/// <param name="Url">Where its record is read; null where it is none.</param>
/// <param name="Condition">The condition that its keys stand for; null where it has none.</param>
public sealed record GridRow(IReadOnlyList<GridCell> Cells, string? Url, string? Condition);

/// <summary>A column of a table that is shown.</summary>
/// <param name="IsFigure">Whether it holds numbers, which stand at the right.</param>
/// <param name="IsTime">Whether it holds times.</param>
public sealed record GridColumn(string Name, bool IsFigure, bool IsTime, int? Width)
{
    /// <summary>Whether it holds ids of traces and the like, whose beginning is enough to tell them apart.</summary>
    public bool IsId => Name.EndsWith("_id", StringComparison.Ordinal);

    /// <summary>Which rules of the sheet its cells follow; null for none.</summary>
    public string? Style =>
        this switch
        {
            { IsFigure: true } => "figure",
            { IsTime: true } => "time-cell",
            { IsId: true } => "id-cell",
            _ => null,
        };
}

/// <summary>An answer as a table: rows of records, or the rows of an answer with columns of its own.</summary>
/// <param name="Frame">Null for records.</param>
public sealed record GridPart(
    IReadOnlyList<GridColumn> Columns,
    IReadOnlyList<GridRow> Rows,
    SearchAddress Address,
    Run Run,
    Frame? Frame
)
{
    public const int MostRows = 1_000;

    /// <summary>What every table of records begins with.</summary>
    private static readonly string[] First = ["time", "level", "service", "host"];

    private const int LongestCell = 400;
    private const int Step = 40;

    /// <summary>Of records that are sorted only so many are kept.</summary>
    private const int MostSorted = 1_000;

    // Widths that suit what is usually in them.
    private const int TimeWidth = 118;
    private const int DayAndTimeWidth = 168;
    private const int LevelWidth = 64;
    private const int NameWidth = 130;

    /// <summary>Where the rows below the last one come from; null at the end.</summary>
    public string? MoreUrl { get; init; }

    /// <summary>What is said behind the last row; null for nothing.</summary>
    public string? End { get; init; }

    public string? MenuUrl => Frame is not null && Run.ReadsRecords ? Address.FragmentUrl(Run, "Menu") : null;

    /// <summary>The columns as an address has them, as a script needs them to set a width.</summary>
    public string Layout => TableColumn.Print(Chosen);

    private IReadOnlyList<TableColumn> Chosen => [.. Columns.Select(c => new TableColumn(c.Name, c.Width))];

    public (string Field, bool Descending)? Order => QueryEdits.OrderOf(Run.Question.Parsed.Query);

    /// <summary>The view in the order of a column; records by time need no order, as they are kept so.</summary>
    public string Sorted(GridColumn column, bool descending)
    {
        if (Frame is null && column.Name == "time" && Order is null)
            return (Address with { OldestFirst = !descending, At = null }).Url();
        return (
            Address with
            {
                Query = QueryEdits.OrderedBy(Address.Query, column.Name, descending, Frame is null ? MostSorted : null),
                At = null,
            }
        ).Url();
    }

    /// <summary>What a click on a head does: the highest first, then the lowest.</summary>
    public string Next(GridColumn column) => Sorted(column, DirectionOf(column) != "descending");

    /// <summary>How the rows are sorted by a column; null where they are not.</summary>
    public string? DirectionOf(GridColumn column)
    {
        if (Order is { } order)
        {
            if (order.Field != column.Name)
                return null;
            return order.Descending ? "descending" : "ascending";
        }
        if (Frame is not null || column.Name != "time")
            return null;
        return Address.OldestFirst ? "ascending" : "descending";
    }

    public string Moved(int from, int by)
    {
        var columns = Chosen.ToList();
        var column = columns[from];
        columns.RemoveAt(from);
        columns.Insert(Math.Clamp(from + by, 0, columns.Count), column);
        return With(columns);
    }

    public string Widened(int at, int by) =>
        With([
            .. Chosen.Select(
                (c, i) =>
                    i == at
                        ? c with
                        {
                            Width = Math.Clamp((c.Width ?? NameWidth) + by, TableColumn.Narrowest, TableColumn.Widest),
                        }
                        : c
            ),
        ]);

    public string Wider(int at) => Widened(at, Step);

    public string Narrower(int at) => Widened(at, -Step);

    public string Without(int at) => With([.. Chosen.Where((_, i) => i != at)]);

    public string CountBy(GridColumn column) =>
        (Address with { Query = QueryEdits.CountBy(Address.Query, column.Name), Table = [], At = null }).Url();

    private string With(IReadOnlyList<TableColumn> columns) => (Address with { Table = columns, At = null }).Url();

    /// <summary>Columns with a field as one more, or without it.</summary>
    public static IReadOnlyList<TableColumn> Toggled(IReadOnlyList<TableColumn> columns, string field)
    {
        var chosen = columns.ToList();
        if (chosen.RemoveAll(c => c.Name == field) == 0)
            // The body is the longest and stays at the end.
            chosen.Insert(
                chosen.Count > 0 && chosen[^1].Name == "body" ? chosen.Count - 1 : chosen.Count,
                new TableColumn(field)
            );
        return chosen;
    }

    /// <summary>The columns that suit records, with those that a person wants in every row.</summary>
    public static IReadOnlyList<TableColumn> OfRecords(IEnumerable<string> more) =>
        [.. First.Concat(more).Append("body").Distinct().Take(TableColumn.Most).Select(name => new TableColumn(name))];

    /// <summary>Rows of an answer that has columns of its own.</summary>
    public static GridPart Of(Frame frame, SearchAddress address, Run run)
    {
        var (zone, now) = (run.Question.Zone, run.Question.Now);
        var schema = frame.Schema;
        // Columns that were chosen for another answer say nothing of this one.
        var chosen = address.Table.All(c => schema.IndexOf(c.Name) >= 0) ? address.Table : [];
        int[] places =
        [
            .. chosen.Count == 0 ? Enumerable.Range(0, schema.Columns.Count) : chosen.Select(c => schema.IndexOf(c.Name)),
        ];
        var shown = frame.Rows.Take(MostRows).ToList();
        // Of rows that nobody grouped, columns without a value only take room.
        if (chosen.Count == 0 && shown.Count > 0 && !run.Question.Parsed.Query.Stages.Any(s => s is Group))
            places = [.. places.Where(i => shown.Exists(r => !r[i].IsMissing))];
        var columns = places
            .Select(i => new GridColumn(
                schema.Columns[i].Name,
                shown.Select(r => r[i]).FirstOrDefault(v => !v.IsMissing).IsQuantity,
                schema.Columns[i].Kind == ValueKind.Time,
                chosen.FirstOrDefault(c => c.Name == schema.Columns[i].Name)?.Width
            ))
            .ToList();
        var clock = ClockOf(shown.SelectMany(r => places.Select(i => r[i])).Where(v => v.Kind == ValueKind.Time), zone);
        var highest = places
            .Select(i => schema.Columns[i].Role == ColumnRole.Value ? shown.Select(r => Size(r[i])).DefaultIfEmpty().Max() : 0)
            .ToArray();
        return new GridPart(columns, [.. shown.Select(Row)], address, run, frame)
        {
            End = frame.Rows.Count switch
            {
                0 => "No rows.",
                > MostRows =>
                    $"The first {Format.Number(MostRows)} of {Format.Number(frame.Rows.Count)} rows; the export has all.",
                _ => null,
            },
        };

        GridRow Row(Value[] row) =>
            new(
                [.. places.Select((i, at) => Cell(row[i], i, highest[at]))],
                null,
                run.ReadsRecords
                    ? PointConditions.Of([
                        .. schema
                            .Columns.Select((c, i) => (c, i))
                            .Where(c => c.c.Role == ColumnRole.Key)
                            .Select(c => (c.c.Name, row[c.i])),
                    ])
                    : null
            );

        GridCell Cell(Value value, int column, double top) =>
            CellOf(value, zone, now, clock) with
            {
                Bar = top > 0 && value.IsQuantity ? Size(value) / top : null,
                Note = Notes(value, schema, column) ?? PatternText(value, schema, column, run.Snapshot.Patterns),
            };
    }

    private const string MillisecondClock = "HH:mm:ss.fff";

    /// <summary>As little of the clock as tells the times apart.</summary>
    private static string ClockOf(IEnumerable<Value> times, DateTimeZone zone)
    {
        var clock = "";
        foreach (var time in times)
        {
            var local = Instants.ToInstant(time.AsLong).InZone(zone).LocalDateTime;
            if (local.NanosecondOfSecond != 0)
                return MillisecondClock;
            if (local.Second != 0)
                clock = "HH:mm:ss";
            else if (clock.Length == 0 && local.TimeOfDay != LocalTime.Midnight)
                clock = "HH:mm";
        }
        return clock;
    }

    private static double Size(Value value) => value.IsQuantity && double.IsFinite(value.AsDouble) ? Math.Abs(value.AsDouble) : 0;

    // What is estimated or put in says so beside the figure.
    private static string? Notes(Value value, Schema schema, int column)
    {
        if (value.Marks.HasFlag(ValueMarks.Approximate))
            return "≈";
        if (value.Marks.HasFlag(ValueMarks.Filled))
            return "filled";
        return
            schema.Columns[column].Role == ColumnRole.Time
            && value.Kind == ValueKind.Time
            && schema.PartialSteps.Contains(value.AsLong)
            ? "partial"
            : null;
    }

    private static string? PatternText(Value value, Schema schema, int column, PatternView? patterns) =>
        schema.Columns[column].Name == "pattern"
        && value.IsText
        && schema.IndexOf("text") < 0
        && patterns?.Text(value.AsText) is { } text
            ? BodyText.Visible(text.Length > 160 ? text[..160] + "…" : text)
            : null;

    /// <summary>Rows of records.</summary>
    public static GridPart Of(IReadOnlyList<FoundRecord> found, SearchAddress address, Run run)
    {
        var (zone, now) = (run.Question.Zone, run.Question.Now);
        var computed = found.SelectMany(f => f.Computed.Select(c => c.Name)).Distinct().ToList();
        IReadOnlyList<TableColumn> chosen = address.Table.Count > 0 ? address.Table : OfRecords(address.Columns.Concat(computed));
        var readers = chosen.Select(c => Reader(c.Name)).ToList();
        var values = found.Select(f => readers.ConvertAll(read => read(f))).ToList();
        var isToday = found.All(f => Format.Day(f.Record.Time, zone) == Format.Day(now, zone));
        var columns = chosen
            .Select(
                (c, i) =>
                {
                    var first = values.Select(v => v[i]).FirstOrDefault(v => !v.IsMissing);
                    var (figure, time) = (first.IsQuantity, first.Kind == ValueKind.Time);
                    return new GridColumn(c.Name, figure, time, c.Width ?? Suited(c.Name, time, isToday));
                }
            )
            .ToList();
        return new GridPart(
            columns,
            [
                .. found.Select(
                    (f, row) =>
                        new GridRow(
                            [.. values[row].Select(v => CellOf(v, zone, now, MillisecondClock))],
                            (address with { Tab = Tab.Read, At = f.Id }).Url(),
                            null
                        )
                ),
            ],
            address,
            run,
            null
        );

        Func<FoundRecord, Value> Reader(string name)
        {
            var stored = run.Reader(name);
            return computed.Contains(name)
                ? f => f.Computed.FirstOrDefault(c => c.Name == name) is { Name: not null } own ? own.Value : stored(f.Record)
                : f => stored(f.Record);
        }
    }

    private static int? Suited(string name, bool isTime, bool isToday) =>
        name switch
        {
            "body" => null,
            "level" => LevelWidth,
            _ when isTime => isToday ? TimeWidth : DayAndTimeWidth,
            _ => NameWidth,
        };

    private static GridCell CellOf(Value value, DateTimeZone zone, long now, string clock)
    {
        if (value.Kind == ValueKind.Time)
            return new GridCell(Format.Short(value.AsLong, zone, now, clock), Instants.Format(value.AsLong));
        if (!value.IsText && value.Kind is not (ValueKind.List or ValueKind.Object))
        {
            var shown = Format.Value(value, zone);
            var whole = value.ToText();
            return new GridCell(shown, whole == shown ? null : whole);
        }
        var text = BodyText.Visible(value.ToText());
        return text.Length > LongestCell ? new GridCell(text[..LongestCell] + "…", text) : new GridCell(text);
    }
}
