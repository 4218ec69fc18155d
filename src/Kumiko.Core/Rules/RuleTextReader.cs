using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Reads what <see cref="RuleText"/> prints.</summary>
public sealed partial class RuleTextReader
{
    private const double MostPercent = 1e15;

    private readonly string[] _lines;
    private int _at;

    private RuleTextReader(string text) => _lines = text.ReplaceLineEndings("\n").Split('\n');

    /// <returns>The definition, or the line (from 1) that could not be read and a sentence.</returns>
    public static (RuleDefinition? Definition, string? Problem) Read(string text)
    {
        var reader = new RuleTextReader(text);
        try
        {
            return (reader.Definition(), null);
        }
        catch (FormatException e)
        {
            return (null, FormattableString.Invariant($"Line {Math.Min(reader._at + 1, reader._lines.Length)}: {e.Message}"));
        }
    }

    private string? Next()
    {
        while (_at < _lines.Length && string.IsNullOrWhiteSpace(_lines[_at]))
            _at++;
        return _at < _lines.Length ? _lines[_at].Trim() : null;
    }

    private RuleDefinition Definition()
    {
        var quantity = Quantity();
        var definition = new RuleDefinition { Quantity = quantity, Condition = new Occurs(AlertLevel.Warning) };
        var told = false;
        while (Next() is { } line)
        {
            if (Keys().Match(line) is { Success: true } keys)
                definition = definition with { Keys = Names(keys.Groups[1].Value) };
            else if (When().Match(line) is { Success: true } when)
                definition = definition with
                {
                    InTheLast = Length(when.Groups[1].Value),
                    CheckedEvery = Length(when.Groups[2].Value),
                    Delay = when.Groups[3].Success ? Length(when.Groups[3].Value) : 0,
                };
            else if (ForChecksLine().Match(line) is { Success: true } checks)
                definition = definition with { Duration = new ForChecks(Whole(checks.Groups[1].Value)) };
            else if (ForShareLine().Match(line) is { Success: true } share)
                definition = definition with
                {
                    Duration = new ForShare(Number(share.Groups[1].Value), Length(share.Groups[2].Value)),
                };
            else if (WithoutData().Match(line) is { Success: true } without)
                definition = definition with
                {
                    NoData = without.Groups[1].Value switch
                    {
                        "warn" => NoData.Warn,
                        "keep" => NoData.Keep,
                        _ => NoData.Quiet,
                    },
                };
            else if (Only().Match(line) is { Success: true } only)
                definition = definition with
                {
                    Hours = new CheckHours(
                        [.. only.Groups[1].Value.Split(' ').Select(Day)],
                        Clock(only.Groups[2].Value),
                        Clock(only.Groups[3].Value)
                    ),
                };
            else if (Zone().Match(line) is { Success: true } zone)
            {
                if (NodaTime.DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone.Groups[1].Value) is null)
                    throw new FormatException($"“{zone.Groups[1].Value}” is no time zone. Write one such as Europe/Lisbon.");
                definition = definition with { Zone = zone.Groups[1].Value };
            }
            else if (Renamed(line) is { } today)
                throw new FormatException($"“{Short(line)}” is written “{today}” now.");
            else if (Condition(line) is { } condition)
                (definition, told) = (definition with { Condition = condition }, true);
            else
                throw new FormatException($"“{Short(line)}” is not understood. Print a rule to see how lines are written.");
            _at++;
        }
        return told ? definition : throw new FormatException("Say what is wrong, such as: is above 40 as a warning.");
    }

    /// <summary>How a line is written today that was written otherwise once; null for others.</summary>
    private static string? Renamed(string line)
    {
        if (FormerWhen().Match(line) is { Success: true } when)
            return $"in the last {when.Groups[1].Value}, checked every {when.Groups[2].Value}";
        if (FormerShare().Match(line) is { Success: true } share)
            return $"at {share.Groups[1].Value} of the checks of {share.Groups[2].Value}";
        return null;
    }

    private static string Short(string line) => line.Length <= 60 ? line : line[..60] + "…";

    private Quantity Quantity()
    {
        var line = Next() ?? throw new FormatException("Nothing is written. Begin with what is looked at, such as: count of.");
        var at = _at++;
        foreach (var kind in QuantityKinds.All)
            if (kind.ReadText(this, line) is { } quantity)
                return quantity;
        _at = at;
        var begins = QuantityKinds.All.Select(k => k.Begins).ToList();
        throw new FormatException(
            $"“{Short(line)}” is nothing that can be looked at. Begin with {string.Join(", ", begins.SkipLast(1))}, or {begins[^1]}."
        );
    }

    /// <summary>The query that is indented below the last line.</summary>
    public string Block()
    {
        var lines = new List<string>();
        for (; _at < _lines.Length && _lines[_at].StartsWith(RuleText.Indent, StringComparison.Ordinal); _at++)
            lines.Add(_lines[_at][RuleText.Indent.Length..]);
        return string.Join('\n', lines);
    }

    /// <summary>The next line, where it is of a form; null leaves it.</summary>
    public Match? Take(Regex form)
    {
        if (Next() is not { } line || form.Match(line) is not { Success: true } match)
            return null;
        _at++;
        return match;
    }

    private static AlertCondition? Condition(string line) =>
        ConditionKinds.All.Select(kind => kind.ReadText(line)).FirstOrDefault(condition => condition is not null);

    /// <summary>Limits with their levels, as <see cref="RuleText.Limits"/> prints them.</summary>
    /// <param name="each">Of one limit, with groups n and level.</param>
    /// <returns>Null where a part has another form.</returns>
    public static (double? Warning, double? Critical, List<Match> Texts)? Limits(string text, Regex each)
    {
        double? warning = null;
        double? critical = null;
        var texts = new List<Match>();
        foreach (var part in text.Split(", "))
        {
            if (each.Match(part) is not { Success: true } match)
                return null;
            if (Level(match.Groups["level"].Value) == AlertLevel.Critical)
                critical = Number(match.Groups["n"].Value);
            else
                warning = Number(match.Groups["n"].Value);
            texts.Add(match);
        }
        return (warning, critical, texts);
    }

    public static AlertLevel Level(string text) => text == "critical" ? AlertLevel.Critical : AlertLevel.Warning;

    public static double Number(string text)
    {
        var percent = text.EndsWith('%');
        if (
            !double.TryParse(percent ? text[..^1] : text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
            || !double.IsFinite(number)
        )
            throw new FormatException($"“{text}” is no number.");
        if (percent)
        {
            if (Math.Abs(number) < MostPercent)
                return (double)((decimal)number / 100);
            return number / 100;
        }
        return number;
    }

    public static int Whole(string text) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw new FormatException($"“{text}” is no whole number.");

    public static long Length(string text) =>
        Quantities.TryParseDuration(text, out var length)
            ? length
            : throw new FormatException($"“{text}” is no length of time. Write one such as 5m or 1h30m.");

    private static int Day(string text) =>
        RuleText.DayNames.ToList().IndexOf(text) is >= 0 and var day
            ? day + 1
            : throw new FormatException($"“{text}” is no day. Write {string.Join(" ", RuleText.DayNames)}.");

    private static int Clock(string text)
    {
        var (hour, minute) = (Whole(text[..2]), Whole(text[3..]));
        return hour <= 24 && minute < 60 && (hour * 60) + minute <= CheckHours.MinutesOfDay
            ? (hour * 60) + minute
            : throw new FormatException($"“{text}” is no time of day. Write one such as 05:30.");
    }

    public static string Unquoted(Group group) => group.Success ? Unquoted(group.Value) : "";

    public static string Unquoted(string text)
    {
        try
        {
            return JsonSerializer.Deserialize<string>(text) ?? "";
        }
        catch (JsonException)
        {
            throw new FormatException($"{Short(text)} is not closed by a quotation mark.");
        }
    }

    public static List<string> Names(string text)
    {
        var names = new List<string>();
        foreach (Match match in NameOf().Matches(text))
            names.Add(match.Value[0] == '"' ? Unquoted(match.Value) : match.Value);
        return names;
    }

    /// <summary>The end of the form of a limit.</summary>
    public const string AsLevel = " as (?:a )?(?<level>warning|critical)$";

    [GeneratedRegex("^for each (.+)$")]
    private static partial Regex Keys();

    [GeneratedRegex(@"^in the last (\S+), checked every ([^\s,]+)(?:, (\S+) late)?$")]
    private static partial Regex When();

    [GeneratedRegex(@"^for (\d+) checks?$")]
    private static partial Regex ForChecksLine();

    [GeneratedRegex(@"^at (\S+) of the checks of (\S+)$")]
    private static partial Regex ForShareLine();

    [GeneratedRegex(@"^in (\S+), every (.+)$")]
    private static partial Regex FormerWhen();

    [GeneratedRegex(@"^in (\S+) of the last (\S+)$")]
    private static partial Regex FormerShare();

    [GeneratedRegex("^without data (quiet|warn|keep)$")]
    private static partial Regex WithoutData();

    [GeneratedRegex(@"^only ([A-Za-z ]+) from (\d\d:\d\d) to (\d\d:\d\d)$")]
    private static partial Regex Only();

    [GeneratedRegex(@"^zone (\S+)$")]
    private static partial Regex Zone();

    [GeneratedRegex(@"[^\s,""]+|""(?:[^""\\]|\\.)*""")]
    private static partial Regex NameOf();
}
