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
            else if (Wrong(line) is { } condition)
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
        _at++;
        if (line == "count of")
            return new CountOf(Block());
        if (line == "figure of")
            return new ValueOf(Block());
        if (line == "every record of")
            return new EachRecord(Block());
        if (line == "share of")
        {
            var part = Block();
            if (Next() is not { } next || Among().Match(next) is not { Success: true } among)
                throw new FormatException("Write “among” and the query of the whole below it.");
            _at++;
            return new ShareOf(part, Block(), among.Groups[1].Success ? Whole(among.Groups[1].Value) : 1);
        }
        if (Distinct().Match(line) is { Success: true } distinct)
            return Names(distinct.Groups[1].Value) is [var field] ? new DistinctOf(Block(), field) : throw Unknown(line);
        if (Spans().Match(line) is { Success: true } spans)
            return new SlowSpans(
                Unquoted(spans.Groups[2]),
                Unquoted(spans.Groups[3]),
                Length(spans.Groups[4].Value),
                spans.Groups[1].Success,
                spans.Groups[5].Success ? Whole(spans.Groups[5].Value) : 1
            );
        if (Budget().Match(line) is { Success: true } budget)
            return new BudgetBurnt(Whole(budget.Groups[1].Value));
        if (Burn().Match(line) is { Success: true } burn)
            return new BurnRate(Whole(burn.Groups[1].Value), Length(burn.Groups[2].Value));
        if (Order().Match(line) is { Success: true } order)
            return new InOrder(
                [.. order.Groups[1].Value.Split(" then ").Select(r => (long)Whole(r))],
                Length(order.Groups[2].Value),
                order.Groups[3].Success
            );
        _at--;
        throw Unknown(line);
    }

    private static FormatException Unknown(string line) =>
        new(
            $"“{Short(line)}” is nothing that can be looked at. Begin with count of, share of, distinct … of, figure of, spans, every record of, or rules."
        );

    private string Block()
    {
        var lines = new List<string>();
        for (; _at < _lines.Length && _lines[_at].StartsWith(RuleText.Indent, StringComparison.Ordinal); _at++)
            lines.Add(_lines[_at][RuleText.Indent.Length..]);
        return string.Join('\n', lines);
    }

    private static AlertCondition? Wrong(string line)
    {
        if (
            BeyondLine().Match(line) is { Success: true } beyond
            && Limits(beyond.Groups[1].Value, BeyondLimit()) is var b and not null
            && b.Value.Texts.Select(t => t.Groups["side"].Value).Distinct().Count() == 1
        )
            return new Beyond(b.Value.Texts[0].Groups["side"].Value == "below", b.Value.Warning, b.Value.Critical);
        if (MovedLine().Match(line) is { Success: true } moved && Limits(moved.Groups[2].Value, MoveLimit()) is { } m)
            return new Moved(
                moved.Groups[1].Value switch
                {
                    "rises" => Direction.High,
                    "falls" => Direction.Low,
                    _ => Direction.Either,
                },
                m.Texts[0].Groups switch
                {
                    var told when told["factor"].Success => MoveBy.Factor,
                    var told when told["percent"].Success => MoveBy.Percent,
                    _ => MoveBy.Amount,
                },
                Length(moved.Groups[3].Value),
                m.Warning,
                m.Critical
            );
        if (UnusualLine().Match(line) is { Success: true } unusual && Limits(unusual.Groups[2].Value, Spreads()) is { } u)
            return new Unusual(
                unusual.Groups[1].Value switch
                {
                    "ly high" => Direction.High,
                    "ly low" => Direction.Low,
                    _ => Direction.Either,
                },
                u.Warning,
                u.Critical
            );
        if (SilentLine().Match(line) is { Success: true } silent)
            return new Silent(Level(silent.Groups[1].Value), Length(silent.Groups[2].Value));
        if (NewLine().Match(line) is { Success: true } fresh)
            return new NewValue(Level(fresh.Groups[1].Value), Length(fresh.Groups[2].Value));
        if (ReachLine().Match(line) is { Success: true } reach && Limits(reach.Groups[3].Value, WithinSeconds()) is { } r)
            return new WillReach(
                reach.Groups[1].Value == "below",
                Number(reach.Groups[2].Value),
                Length(reach.Groups[4].Value),
                r.Warning,
                r.Critical
            );
        if (HappensLine().Match(line) is { Success: true } happens)
            return new Occurs(Level(happens.Groups[1].Value));
        return null;
    }

    private static (double? Warning, double? Critical, List<Match> Texts)? Limits(string text, Regex each)
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

    private static AlertLevel Level(string text) => text == "critical" ? AlertLevel.Critical : AlertLevel.Warning;

    private static double Number(string text)
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

    private static int Whole(string text) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : throw new FormatException($"“{text}” is no whole number.");

    private static long Length(string text) =>
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

    private static string Unquoted(Group group) => group.Success ? Unquoted(group.Value) : "";

    private static string Unquoted(string text)
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

    private static List<string> Names(string text)
    {
        var names = new List<string>();
        foreach (Match match in NameOf().Matches(text))
            names.Add(match.Value[0] == '"' ? Unquoted(match.Value) : match.Value);
        return names;
    }

    private const string As = " as (?:a )?(?<level>warning|critical)$";

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

    [GeneratedRegex(@"^among(?: at least (\d+) of)?$")]
    private static partial Regex Among();

    [GeneratedRegex("^distinct (.+) of$")]
    private static partial Regex Distinct();

    [GeneratedRegex(
        """^(share of )?spans(?: of ("(?:[^"\\]|\\.)*"))?(?: named ("(?:[^"\\]|\\.)*"))? slower than (\S+)(?: among at least (\d+))?$"""
    )]
    private static partial Regex Spans();

    [GeneratedRegex(@"^budget burnt of objective (\d+)$")]
    private static partial Regex Budget();

    [GeneratedRegex(@"^burn rate of objective (\d+), also in (\S+)$")]
    private static partial Regex Burn();

    [GeneratedRegex(@"^rules (\d+(?: then \d+)*) within (\S+)( on the same key)?$")]
    private static partial Regex Order();

    [GeneratedRegex("^is ((?:above|below) .+)$")]
    private static partial Regex BeyondLine();

    [GeneratedRegex($@"^(?<side>above|below) (?<n>\S+){As}")]
    private static partial Regex BeyondLimit();

    [GeneratedRegex(@"^(rises|falls|moves) (.+) against (\S+) earlier$")]
    private static partial Regex MovedLine();

    [GeneratedRegex($@"^by (?<factor>factor )?(?<n>[^\s%]+(?<percent>%)?){As}")]
    private static partial Regex MoveLimit();

    [GeneratedRegex("^is unusual(ly high|ly low|) (by .+)$")]
    private static partial Regex UnusualLine();

    [GeneratedRegex($@"^by (?<n>\S+) spreads{As}")]
    private static partial Regex Spreads();

    [GeneratedRegex(@"^is silent as (?:a )?(warning|critical), expected for (\S+)$")]
    private static partial Regex SilentLine();

    [GeneratedRegex(@"^is new as (?:a )?(warning|critical), against (\S+) before$")]
    private static partial Regex NewLine();

    [GeneratedRegex(@"^will be (above|below) (\S+) (within .+) by the trend of (\S+)$")]
    private static partial Regex ReachLine();

    [GeneratedRegex($@"^within (?<n>\S+) s{As}")]
    private static partial Regex WithinSeconds();

    [GeneratedRegex("^happens as (?:a )?(warning|critical)$")]
    private static partial Regex HappensLine();

    [GeneratedRegex(@"[^\s,""]+|""(?:[^""\\]|\\.)*""")]
    private static partial Regex NameOf();
}
