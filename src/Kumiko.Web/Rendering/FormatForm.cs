using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Http;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>How a text is read, as a form shows it and reads it back.</summary>
/// <param name="Given">What was said; the rest is told from the lines.</param>
/// <param name="Preview">What comes of it; null where there are no lines to look at.</param>
public sealed record FormatForm(FormatSettings Given, FilePreview? Preview)
{
    private const int MostFields = 500;
    private const int Longest = 300;

    public static readonly IReadOnlyList<(RecordStart Start, string Words)> Starts =
    [
        (RecordStart.ByFormat, "as the lines tell"),
        (RecordStart.EachLine, "each line"),
        (RecordStart.Time, "a line with a time"),
        (RecordStart.Indentation, "a line that is not indented"),
        (RecordStart.BlankLine, "a line behind a blank one"),
        (RecordStart.Pattern, "a line that matches"),
    ];

    public static readonly IReadOnlyList<(DayOrder Order, string Words)> Orders =
    [
        (DayOrder.None, "as the lines tell"),
        (DayOrder.YearFirst, "year, month, day"),
        (DayOrder.MonthFirst, "month, day, year"),
        (DayOrder.DayFirst, "day, month, year"),
    ];

    public static readonly IReadOnlyList<(string Unit, string Words)> Units =
    [
        ("", "as the lines tell"),
        ("s", "seconds"),
        ("ms", "milliseconds"),
        ("us", "microseconds"),
    ];

    /// <summary>What has to be said before it can start; null for nothing.</summary>
    public string? Problem =>
        RecordBounds.Problem(Given)
        ?? (
            Preview is { Guess.Settings.AsksOrder: true, WrittenTime: { } time }
                ? $"Which number of {time} is the day? The lines do not tell: choose the order of days."
                : null
        );

    /// <summary>Reads the form.</summary>
    public static FormatSettings Read(IFormCollection form)
    {
        var zone = Text("zone") ?? "";
        return new FormatSettings(FormatList.Find(Text("format") ?? "")?.Name ?? "text")
        {
            Zone = DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is null ? "UTC" : zone,
            Order = Enum.TryParse<DayOrder>(Text("order"), out var order) ? order : DayOrder.None,
            Start = Enum.TryParse<RecordStart>(Text("start"), out var start) ? start : RecordStart.ByFormat,
            StartPattern = Text("pattern"),
            Service = Text("service"),
            Host = Text("host"),
            DurationUnit = Text("unit"),
            Fields = Fields(form),
        };

        string? Text(string name) => form[name].ToString().Trim() is { Length: > 0 and <= Longest } text ? text : null;
    }

    private static List<FieldWish> Fields(IFormCollection form)
    {
        var (names, called, types) = (form["field"], form["as"], form["type"]);
        var wishes = new List<FieldWish>();
        for (var i = 0; i < names.Count && i < called.Count && i < types.Count && i < MostFields; i++)
        {
            var name = names[i] ?? "";
            var type = Enum.TryParse<FieldType>(types[i], out var read) ? read : FieldType.AsWritten;
            var wish = types[i] == "out" ? new FieldWish(name, "") : new FieldWish(name, Name(called[i], name), type);
            if (name.Length is > 0 and <= Longest && (wish.As != name || wish.Type != FieldType.AsWritten))
                wishes.Add(wish);
        }
        return wishes;
    }

    private static string Name(string? called, string name) =>
        called?.Trim() is { Length: > 0 and <= Longest } text ? text : name;

    /// <summary>Fields by the names they were found under, those that are renamed or left out too.</summary>
    public IReadOnlyList<(string Name, string As, string Type, string Example, int Records)> FieldRows()
    {
        var seen = Preview?.Fields ?? [];
        var wishes = Given.Fields;
        return
        [
            .. wishes.Select(w =>
            {
                var shown = seen.FirstOrDefault(f => f.Name == w.As);
                var type = w.As.Length == 0 ? "out" : w.Type.ToString();
                return (w.Name, w.As.Length == 0 ? w.Name : w.As, type, shown?.Example ?? "", shown?.Records ?? 0);
            }),
            .. seen.Where(f => wishes.All(w => w.As != f.Name && w.Name != f.Name))
                .Select(f => (f.Name, f.Name, nameof(FieldType.AsWritten), f.Example, f.Records)),
        ];
    }

    /// <summary>What was found, in a sentence.</summary>
    public string Found()
    {
        if (Preview is null)
            return "";
        var settings = Preview.Guess.Settings;
        var start = Starts
            .First(s => s.Start == (settings.Start == RecordStart.ByFormat ? RecordStart.ByFormat : settings.Start))
            .Words;
        var told = new List<string> { Preview.Guess.Format.Title };
        if (settings.Start is not (RecordStart.ByFormat or RecordStart.Pattern))
            told.Add($"{start} begins a record");
        if (settings.Delimiter is { } delimiter)
            told.Add($"columns parted by {(delimiter == '\t' ? "tabs" : $"“{delimiter}”")}");
        if (settings.Order != DayOrder.None)
            told.Add($"days as {Orders.First(o => o.Order == settings.Order).Words}");
        if (settings.DurationUnit is { } unit)
            told.Add($"durations in {Units.First(u => u.Unit == unit).Words}");
        return string.Join("; ", told);
    }
}
