using Kumiko.Charts;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Gathering;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Rendering;

/// <summary>Ways to read a result.</summary>
public enum Tab
{
    /// <summary>What suits the answer best.</summary>
    Auto,
    Read,
    Table,

    /// <summary>Drawn.</summary>
    Line,

    /// <summary>By patterns.</summary>
    Gather,
}

/// <summary>What the time strip spans: a length that follows the focus, a stretch that stays, or everything.</summary>
public sealed record StripSpan
{
    private const long Shortest = Instants.Second;
    private const long Longest = 3_700 * Instants.Day;

    public long? Length { get; private init; }
    public Window? Window { get; private init; }
    public bool All { get; private init; }

    public static StripSpan Of(long length) => new() { Length = length };

    /// <summary>Reads what <see cref="ToString"/> writes; null where it is none.</summary>
    public static StripSpan? Parse(string text)
    {
        if (text == "all")
            return new StripSpan { All = true };
        if (Quantities.TryParseDuration(text, out var length))
            return length is >= Instants.Minute and <= 366 * Instants.Day ? Of(length) : null;
        var ends = text.Split('/');
        return
            ends.Length == 2
            && Moment.Parse(ends[0]) is { Relative: false } from
            && Moment.Parse(ends[1]) is { Relative: false } to
            && to.Nanoseconds - from.Nanoseconds is >= Shortest and <= Longest
            ? new StripSpan { Window = new Window(from.Nanoseconds, to.Nanoseconds) }
            : null;
    }

    public override string ToString()
    {
        if (All)
            return "all";
        if (Window is { } window)
            return $"{Moment.At(window.From)}/{Moment.At(window.To)}";
        return Quantities.Duration(Length ?? 0);
    }
}

/// <summary>A term that is set off in one of five colours, each with a line of its own beneath.</summary>
public sealed record TermMark(string Text, int Colour)
{
    public const int Colours = 5;
    public const int Most = 8;
    public const int Longest = 100;

    /// <summary>As addresses have them: a digit for the colour and the text, separated by tabs.</summary>
    public static string Print(IEnumerable<TermMark> marks) => string.Join('\t', marks.Select(m => $"{m.Colour}{m.Text}"));

    public static IReadOnlyList<TermMark> ParseAll(string? text) =>
        [
            .. (text ?? "")
                .Split('\t')
                .Where(m => m.Length is > 1 and <= Longest && m[0] is >= '0' and < (char)('0' + Colours))
                .Select(m => new TermMark(m[1..], m[0] - '0'))
                .DistinctBy(m => m.Text)
                .Take(Most),
        ];
}

/// <summary>A column of a table, in its place.</summary>
/// <param name="Width">In pixels; null for what suits it.</param>
public sealed record TableColumn(string Name, int? Width = null)
{
    public const int Most = 24;
    public const int Narrowest = 40;
    public const int Widest = 1_200;
    private const int LongestName = 200;

    /// <summary>As addresses have them: a width if there is one, a colon and the name, separated by tabs.</summary>
    public static string Print(IEnumerable<TableColumn> columns) =>
        string.Join(
            '\t',
            columns.Select(c => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{c.Width}:{c.Name}"))
        );

    public static IReadOnlyList<TableColumn> ParseAll(string? text) =>
        [
            .. (text ?? "")
                .Split('\t')
                .Select(c => (Colon: c.IndexOf(':'), Text: c))
                .Where(c => c.Colon >= 0 && c.Text.Length - c.Colon is > 1 and <= LongestName)
                .Select(c => new TableColumn(c.Text[(c.Colon + 1)..], WidthOf(c.Text[..c.Colon])))
                .DistinctBy(c => c.Name)
                .Take(Most),
        ];

    private static int? WidthOf(string text) =>
        int.TryParse(
            text,
            System.Globalization.NumberStyles.None,
            System.Globalization.CultureInfo.InvariantCulture,
            out var width
        )
            ? Math.Clamp(width, Narrowest, Widest)
            : null;
}

/// <summary>Everything a view depends on, as it stands in the page's address; every view is a link.</summary>
public sealed record SearchAddress
{
    public static readonly TimeRange DefaultFocus = TimeRange.Last(3 * Instants.Hour);

    private const long ShortestFocus = 1_000_000;
    private const int MostParameters = 20;

    public string Query { get; init; } = "";
    public TimeRange Focus { get; init; } = DefaultFocus;

    /// <summary>What the focus is compared with.</summary>
    public BaselineChoice Baseline { get; init; } = BaselineChoice.LikeDays;

    /// <summary>How much the strip spans; null to suit the focus.</summary>
    public StripSpan? Span { get; init; }
    public string? Zone { get; init; }
    public Tab Tab { get; init; }

    /// <summary>The form that the answer is drawn in; null for the one that suits it.</summary>
    public ChartForm? Form { get; init; }

    /// <summary>A key of which each value is drawn by itself; null for one chart.</summary>
    public string? Each { get; init; }

    /// <summary>Fields shown in every row, besides the body.</summary>
    public IReadOnlyList<string> Columns { get; init; } = [];

    /// <summary>The columns of the table; none for those that suit the answer.</summary>
    public IReadOnlyList<TableColumn> Table { get; init; } = [];

    /// <summary>Terms set off in colours of choice.</summary>
    public IReadOnlyList<TermMark> Marks { get; init; } = [];

    /// <summary>Whether the oldest record comes first.</summary>
    public bool OldestFirst { get; init; }

    /// <summary>How gathered patterns stand below each other.</summary>
    public PatternOrder Patterns { get; init; }

    /// <summary>Whether bodies are wrapped rather than cut at the edge.</summary>
    public bool Wrap { get; init; }

    /// <summary>Values of the query's parameters.</summary>
    public IReadOnlyList<(string Name, string Value)> Parameters { get; init; } = [];

    /// <summary>The unfolded record.</summary>
    public RecordId? At { get; init; }

    /// <summary>What else the page's address holds, to be kept by its strip.</summary>
    public IReadOnlyList<(string Name, string Value)> Kept { get; init; } = [];

    /// <summary>Reads an address; what makes no sense is left out and told in a notice.</summary>
    public static SearchAddress Parse(Func<string, string?> value, long now, List<string> notices)
    {
        var address = new SearchAddress
        {
            Query = (value("q") ?? "").ReplaceLineEndings("\n"),
            Zone = KnownZone(value("zone"), notices),
        };
        address = address with { Focus = FocusOf(value("from"), value("to"), now, notices) };
        if (BaselineChoice.Parse(value("base")) is { } baseline)
            address = address with { Baseline = baseline };
        else
            notices.Add($"There is no baseline “{Cut(value("base")!)}”; comparing with like days.");
        if (value("span") is { Length: > 0 } span)
        {
            if (StripSpan.Parse(span) is { } known)
                address = address with { Span = known };
            else
                notices.Add(
                    $"“{Cut(span)}” is no span for the time strip; write a length from 1m to 366d, two instants with a slash, or all."
                );
        }
        address = address with
        {
            OldestFirst = value("order") == "oldest",
            Wrap = value("wrap") == "1",
            Patterns = Named<PatternOrder>(value("by")) ?? PatternOrder.Count,
            Marks = TermMark.ParseAll(value("marks")),
            Table = TableColumn.ParseAll(value("table")),
        };
        if (value("tab") is { Length: > 0 } tab)
        {
            // Links of before there were more forms than two.
            if (tab == "column")
                address = address with { Tab = Tab.Line, Form = ChartForms.StackedColumn };
            else if (Named<Tab>(tab) is { } known)
                address = address with { Tab = known };
            else
                notices.Add($"There is no way to read a result called “{Cut(tab)}”.");
        }
        if (ChartForms.Find(value("form")) is { } drawn)
            address = address with { Form = drawn };
        if (value("each") is { Length: > 0 and <= 100 } each)
            address = address with { Each = each };
        if (value("cols") is { Length: > 0 } cols)
            address = address with
            {
                Columns =
                [
                    .. cols.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                        .Distinct()
                        .Where(c => c.Length <= 100)
                        .Take(8),
                ],
            };
        if (value("at") is { Length: > 0 } at)
        {
            if (RecordId.Parse(at) is { } id)
                address = address with { At = id };
            else
                notices.Add($"“{Cut(at)}” is no record's id.");
        }
        return address;
    }

    /// <summary>Reads an address as <see cref="Url"/> writes it, as far as it makes sense, without the unfolded record.</summary>
    public static SearchAddress OfText(string? address, long now)
    {
        var values = Microsoft.AspNetCore.WebUtilities.QueryHelpers.ParseQuery(address ?? "");
        return Parse(name => values.TryGetValue(name, out var value) ? value.ToString() : null, now, []) with
        {
            At = null,
            Parameters =
            [
                .. values
                    .Where(v => v.Key.StartsWith("p.", StringComparison.Ordinal))
                    .Select(v => (v.Key[2..], v.Value.ToString()))
                    .Take(MostParameters),
            ],
        };
    }

    /// <summary>One of a kind by its name; null where there is none.</summary>
    private static T? Named<T>(string? name)
        where T : struct, Enum =>
        name is { Length: > 0 } && !char.IsAsciiDigit(name[0]) && Enum.TryParse<T>(name, ignoreCase: true, out var known)
            ? known
            : null;

    private static TimeRange FocusOf(string? from, string? to, long now, List<string> notices)
    {
        if (string.IsNullOrEmpty(from) && string.IsNullOrEmpty(to))
            return DefaultFocus;
        var (first, last) = (Moment.Parse(from), string.IsNullOrEmpty(to) ? Moment.Now : Moment.Parse(to));
        if (first is null || last is null)
        {
            notices.Add(
                $"“{Cut(first is null ? from ?? "" : to!)}” is no time; showing the last 3 hours. Write ISO 8601, -3h or now."
            );
            return DefaultFocus;
        }
        var range = new TimeRange(first.Value, last.Value);
        if (range.Resolve(now).Length >= ShortestFocus)
            return range;
        notices.Add("The focus ends before it begins; showing the last 3 hours.");
        return DefaultFocus;
    }

    private static string? KnownZone(string? zone, List<string> notices)
    {
        if (string.IsNullOrEmpty(zone))
            return null;
        if (zone.Length <= 64 && NodaTime.DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is not null)
            return zone;
        notices.Add($"There is no time zone “{Cut(zone)}”.");
        return null;
    }

    private static string Cut(string text) => text.Length > 40 ? text[..40] + "…" : text;

    /// <summary>The stretch that the strip spans: up to the present where the focus is near it, else around the focus.</summary>
    /// <param name="collected">From the oldest record on, for a strip of everything.</param>
    public Window StripWindow(long now, long collected)
    {
        if (Span is { Window: { } given })
            return given;
        var focus = Focus.Resolve(now);
        if (Span is { All: true })
            return new Window(Math.Min(collected, focus.From), Math.Max(now, focus.To) + ((now - Math.Min(collected, now)) / 50));
        var span = Span?.Length ?? Steps.FirstOrDefault(s => s >= focus.Length * 3, focus.Length * 3);
        span = Math.Max(span, focus.Length + (focus.Length / 10));
        // A little room to the right keeps "now" readable.
        var end = now + (span / 50);
        if (focus.To <= end && focus.From >= end - span)
            return new Window(end - span, end);
        var middle = focus.From + (focus.Length / 2);
        return new Window(middle - (span / 2), middle + (span - (span / 2)));
    }

    private static readonly long[] Steps =
    [
        10 * Instants.Minute,
        30 * Instants.Minute,
        Instants.Hour,
        3 * Instants.Hour,
        6 * Instants.Hour,
        12 * Instants.Hour,
        Instants.Day,
        2 * Instants.Day,
        7 * Instants.Day,
        28 * Instants.Day,
    ];

    /// <summary>Names and values of this view, only what differs from the default.</summary>
    public IEnumerable<(string Name, string Value)> Pairs()
    {
        IEnumerable<(string Name, string? Value)> all =
        [
            ("q", Query),
            ("from", Focus == DefaultFocus ? null : Focus.From.ToString()),
            ("to", Focus == DefaultFocus ? null : Focus.To.ToString()),
            ("base", Baseline.ToString()),
            ("span", Span?.ToString()),
            ("zone", Zone),
            ("tab", Tab == Tab.Auto ? null : Tab.ToString().ToLowerInvariant()),
            ("form", Form?.ToString().ToLowerInvariant()),
            ("each", Each),
            ("cols", string.Join(',', Columns)),
            ("table", TableColumn.Print(Table)),
            ("marks", TermMark.Print(Marks)),
            ("order", OldestFirst ? "oldest" : null),
            ("by", Patterns == PatternOrder.Count ? null : Patterns.ToString().ToLowerInvariant()),
            ("wrap", Wrap ? "1" : null),
            .. Parameters.Select(p => ("p." + p.Name, (string?)p.Value)),
            ("at", At?.ToString()),
            .. Kept.Select(k => (k.Name, (string?)k.Value)),
        ];
        return all.Where(p => !string.IsNullOrEmpty(p.Value)).Select(p => (p.Name, p.Value!));
    }

    /// <summary>The address of this view on a page.</summary>
    public string Url(string path = "/search", params (string Name, string Value)[] more)
    {
        var pairs = string.Join(
            '&',
            Pairs()
                .Concat(more.Where(m => m.Value.Length > 0))
                .Select(p => $"{Uri.EscapeDataString(p.Name)}={Uri.EscapeDataString(p.Value)}")
        );
        return pairs.Length == 0 ? path : path + "?" + pairs;
    }

    /// <summary>
    /// The address of a fragment. It names the instant of its page, so that it reads the same as the page does, and
    /// what it links to stays relative where the page is.
    /// </summary>
    public string FragmentUrl(Run run, string handler, params (string Name, string Value)[] more) =>
        Url(
            "/search",
            [
                ("handler", handler),
                ("run", run.Id),
                ("now", run.Question.Now.ToString(System.Globalization.CultureInfo.InvariantCulture)),
                .. more,
            ]
        );
}
