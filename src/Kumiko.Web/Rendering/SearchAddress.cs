using System.Text;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
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
    Line,
    Column,
}

/// <summary>Everything a view depends on, as it stands in the page's address; every view is a link.</summary>
public sealed record SearchAddress
{
    public static readonly TimeRange DefaultFocus = TimeRange.Last(3 * Instants.Hour);

    private const long ShortestFocus = 1_000_000, ShortestSpan = Instants.Minute, LongestSpan = 366 * Instants.Day;

    public string Query { get; init; } = "";
    public TimeRange Focus { get; init; } = DefaultFocus;

    /// <summary>Whether the same clock time of the day before is compared with.</summary>
    public bool Baseline { get; init; } = true;

    /// <summary>How much the strip spans, in nanoseconds; null to suit the focus.</summary>
    public long? Span { get; init; }
    public string? Zone { get; init; }
    public Tab Tab { get; init; }

    /// <summary>Fields shown in every row, besides the body.</summary>
    public IReadOnlyList<string> Columns { get; init; } = [];

    /// <summary>Values of the query's parameters.</summary>
    public IReadOnlyList<(string Name, string Value)> Parameters { get; init; } = [];

    /// <summary>The unfolded record.</summary>
    public RecordId? At { get; init; }

    /// <summary>Reads an address; what makes no sense is left out and told in a notice.</summary>
    public static SearchAddress Parse(Func<string, string?> value, long now, List<string> notices)
    {
        var address = new SearchAddress { Query = (value("q") ?? "").ReplaceLineEndings("\n"), Baseline = value("base") != "none", Zone = Known(value("zone"), notices) };
        address = address with { Focus = FocusOf(value("from"), value("to"), now, notices) };
        if (value("base") is { Length: > 0 } named && named is not ("none" or "yesterday")) notices.Add($"There is no baseline “{Cut(named)}”; comparing with yesterday, same time.");
        if (value("span") is { Length: > 0 } span)
        {
            if (Quantities.TryParseDuration(span, out var length) && length is >= ShortestSpan and <= LongestSpan) address = address with { Span = length };
            else notices.Add($"“{Cut(span)}” is no span for the time strip; write a length from 1m to 366d.");
        }
        if (value("tab") is { Length: > 0 } tab)
        {
            if (Enum.TryParse<Tab>(tab, ignoreCase: true, out var known) && Enum.IsDefined(known) && !char.IsAsciiDigit(tab[0])) address = address with { Tab = known };
            else notices.Add($"There is no way to read a result called “{Cut(tab)}”.");
        }
        if (value("cols") is { Length: > 0 } cols)
            address = address with { Columns = [.. cols.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Distinct().Where(c => c.Length <= 100).Take(8)] };
        if (value("at") is { Length: > 0 } at)
        {
            if (RecordId.Parse(at) is { } id) address = address with { At = id };
            else notices.Add($"“{Cut(at)}” is no record's id.");
        }
        return address;
    }

    private static TimeRange FocusOf(string? from, string? to, long now, List<string> notices)
    {
        if (string.IsNullOrEmpty(from) && string.IsNullOrEmpty(to)) return DefaultFocus;
        var (first, last) = (Moment.Parse(from), string.IsNullOrEmpty(to) ? Moment.Now : Moment.Parse(to));
        if (first is null || last is null)
        {
            notices.Add($"“{Cut(first is null ? from ?? "" : to!)}” is no time; showing the last 3 hours. Write ISO 8601, -3h or now.");
            return DefaultFocus;
        }
        var range = new TimeRange(first.Value, last.Value);
        if (range.Resolve(now).Length >= ShortestFocus) return range;
        notices.Add("The focus ends before it begins; showing the last 3 hours.");
        return DefaultFocus;
    }

    private static string? Known(string? zone, List<string> notices)
    {
        if (string.IsNullOrEmpty(zone)) return null;
        if (zone.Length <= 64 && NodaTime.DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is not null) return zone;
        notices.Add($"There is no time zone “{Cut(zone)}”.");
        return null;
    }

    private static string Cut(string text) => text.Length > 40 ? text[..40] + "…" : text;

    /// <summary>The stretch that the strip spans: up to the present where the focus is near it, else around the focus.</summary>
    public Window StripWindow(long now)
    {
        var focus = Focus.Resolve(now);
        var span = Span ?? Steps.FirstOrDefault(s => s >= focus.Length * 3, focus.Length * 3);
        span = Math.Max(span, focus.Length + (focus.Length / 10));
        // A little room to the right keeps "now" readable.
        var end = now + (span / 50);
        if (focus.To <= end && focus.From >= end - span) return new Window(end - span, end);
        var middle = focus.From + (focus.Length / 2);
        return new Window(middle - (span / 2), middle + (span - (span / 2)));
    }

    private static readonly long[] Steps = [10 * Instants.Minute, 30 * Instants.Minute, Instants.Hour, 3 * Instants.Hour, 6 * Instants.Hour, 12 * Instants.Hour, Instants.Day, 2 * Instants.Day, 7 * Instants.Day, 28 * Instants.Day];

    /// <summary>The address of this view on a page, with only what differs from the default.</summary>
    public string Url(string path = "/search", params (string Name, string Value)[] more)
    {
        var url = new StringBuilder(path);
        var separator = '?';
        void Add(string name, string? value)
        {
            if (string.IsNullOrEmpty(value)) return;
            url.Append(separator).Append(name).Append('=').Append(Uri.EscapeDataString(value));
            separator = '&';
        }
        Add("q", Query);
        if (Focus != DefaultFocus) { Add("from", Focus.From.ToString()); Add("to", Focus.To.ToString()); }
        if (!Baseline) Add("base", "none");
        if (Span is { } span) Add("span", Quantities.Duration(span));
        Add("zone", Zone);
        if (Tab != Tab.Auto) Add("tab", Tab.ToString().ToLowerInvariant());
        Add("cols", string.Join(',', Columns));
        foreach (var (name, value) in Parameters) Add("p." + name, value);
        Add("at", At?.ToString());
        foreach (var (name, value) in more) Add(name, value);
        return url.ToString();
    }

    /// <summary>The address of a fragment: times resolved, so that it reads the same as its page.</summary>
    public string FragmentUrl(Run run, string handler, params (string Name, string Value)[] more) =>
        (this with { Focus = new TimeRange(Moment.At(run.Question.Window.From), Moment.At(run.Question.Window.To)), Zone = run.Question.Zone.Id })
            .Url("/search", [("handler", handler), ("run", run.Id), ("now", run.Question.Now.ToString(System.Globalization.CultureInfo.InvariantCulture)), .. more]);
}
