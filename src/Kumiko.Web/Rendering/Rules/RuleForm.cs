using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>What the form of a rule holds, as it was typed.</summary>
public sealed class RuleForm
{
    public string? Quantity { get; set; }
    public string? Query { get; set; }
    public string? Whole { get; set; }
    public string? Least { get; set; }
    public string? Of { get; set; }
    public string? Service { get; set; }
    public string? Operation { get; set; }
    public string? Slower { get; set; }
    public string? SpansAs { get; set; }
    public string? Objective { get; set; }
    public string? Short { get; set; }
    public string? First { get; set; }
    public string? Second { get; set; }
    public string? Third { get; set; }
    public string? Within { get; set; }
    public bool SameKey { get; set; }
    public string? Keys { get; set; }
    public string? Wrong { get; set; }
    public string? Warning { get; set; }
    public string? Critical { get; set; }
    public string? Side { get; set; }
    public string? By { get; set; }
    public string? Earlier { get; set; }
    public string? Level { get; set; }
    public string? Expected { get; set; }
    public string? History { get; set; }
    public string? Limit { get; set; }
    public string? Reach { get; set; }
    public string? Trend { get; set; }
    public string? Lasting { get; set; }
    public string? Checks { get; set; }
    public string? Share { get; set; }
    public string? ShareOf { get; set; }
    public string? InTheLast { get; set; }
    public string? CheckedEvery { get; set; }
    public string? Delay { get; set; }
    public string? NoData { get; set; }
    public bool HasHours { get; set; }
    public List<int> Days { get; set; } = [];
    public string? From { get; set; }
    public string? To { get; set; }
    public string? Name { get; set; }
    public string? Note { get; set; }
    public string? Runbook { get; set; }
    public string? Labels { get; set; }
    public string? Owner { get; set; }
    public string? Team { get; set; }
    public string? FollowUp { get; set; }
    public string? MailTo { get; set; }

    /// <summary>Where every result goes: metric, and ids of channels.</summary>
    public List<string> Onward { get; set; } = [];
    public bool On { get; set; }

    /// <summary>Over how long it is tried.</summary>
    public string? Over { get; set; }

    /// <summary>A form with what is usual in every field, so that choosing another kind shows sensible values.</summary>
    public static RuleForm Blank() =>
        new()
        {
            Quantity = "count",
            Query = "",
            Whole = "",
            Least = "20",
            Of = "",
            Service = "",
            Operation = "",
            Slower = "500ms",
            SpansAs = "share",
            Short = "5m",
            Within = "10m",
            SameKey = true,
            Keys = "",
            Wrong = "above",
            Side = "high",
            By = "percent",
            Earlier = "7d",
            Level = "warning",
            Expected = "1d",
            History = "7d",
            Limit = "",
            Reach = "above",
            Trend = "6h",
            Lasting = "once",
            Checks = "3",
            Share = "60%",
            ShareOf = "12m",
            InTheLast = "5m",
            CheckedEvery = "1m",
            Delay = "0s",
            NoData = "quiet",
            Days = [1, 2, 3, 4, 5, 6, 7],
            From = "05:00",
            To = "23:00",
            On = true,
            Over = "7d",
        };

    public static RuleForm OfRule(Rule rule)
    {
        var form = OfDefinition(rule.Definition, rule.Unit);
        (form.Name, form.Note, form.Runbook, form.Labels, form.Owner, form.Team) = (
            rule.Name,
            rule.Note,
            rule.Runbook,
            rule.Labels,
            rule.Owner?.ToString(CultureInfo.InvariantCulture),
            rule.Team
        );
        (form.FollowUp, form.MailTo, form.Onward, form.On) = (
            rule.FollowUp,
            rule.MailTo,
            [.. Rule.SplitList(rule.Onward)],
            !rule.Paused
        );
        return form;
    }

    public static RuleForm OfDefinition(RuleDefinition of, string unit = "")
    {
        var form = Blank();
        form.Put(of.Quantity);
        form.Put(of.Condition, RuleWords.UnitOf(of, unit));
        switch (of.Duration)
        {
            case ForChecks checks:
                (form.Lasting, form.Checks) = ("checks", Number(checks.Count));
                break;
            case ForShare share:
                (form.Lasting, form.Share, form.ShareOf) = ("share", Percent(share.Share), Length(share.Window));
                break;
        }
        (form.Keys, form.InTheLast, form.CheckedEvery, form.Delay, form.NoData) = (
            string.Join(", ", of.Keys),
            Length(of.InTheLast),
            Length(of.CheckedEvery),
            of.Delay == 0 ? "0s" : Length(of.Delay),
            of.NoData.ToString().ToLowerInvariant()
        );
        if (of.Hours is { } hours)
            (form.HasHours, form.Days, form.From, form.To) = (
                true,
                [.. hours.Days],
                RuleText.Clock(hours.From),
                RuleText.Clock(hours.To)
            );
        return form;
    }

    private void Put(Quantity quantity)
    {
        switch (quantity)
        {
            case CountOf count:
                (Quantity, Query) = ("count", count.Query);
                break;
            case ShareOf share:
                (Quantity, Query, Whole, Least) = ("share", share.Part, share.Whole, Number(share.Least));
                break;
            case DistinctOf distinct:
                (Quantity, Query, Of) = ("distinct", distinct.Query, distinct.Field);
                break;
            case ValueOf figure:
                (Quantity, Query) = ("figure", figure.Query);
                break;
            case SlowSpans spans:
                (Quantity, Service, Operation, Slower, SpansAs, Least) = (
                    "spans",
                    spans.Service,
                    spans.Operation,
                    Length(spans.Slower),
                    spans.AsShare ? "share" : "number",
                    Number(spans.Least)
                );
                break;
            case BudgetBurnt budget:
                (Quantity, Objective) = ("budget", Number(budget.Objective));
                break;
            case BurnRate burn:
                (Quantity, Objective, Short) = ("burn", Number(burn.Objective), Length(burn.Short));
                break;
            case EachRecord record:
                (Quantity, Query) = ("record", record.Query);
                break;
            case InOrder order:
                (Quantity, Within, SameKey) = ("order", Length(order.Within), order.SameKey);
                (First, Second, Third) = (At(order.Rules, 0), At(order.Rules, 1), At(order.Rules, 2));
                break;
        }
    }

    private static string? At(IReadOnlyList<long> rules, int place) => place < rules.Count ? Number(rules[place]) : null;

    private void Put(AlertCondition condition, string unit)
    {
        switch (condition)
        {
            case Beyond beyond:
                (Wrong, Warning, Critical) = (
                    beyond.Below ? "below" : "above",
                    Figure(beyond.Warning, unit),
                    Figure(beyond.Critical, unit)
                );
                break;
            case Moved moved:
                (Wrong, Side, By, Earlier) = (
                    "moved",
                    moved.Side.ToString().ToLowerInvariant(),
                    moved.By.ToString().ToLowerInvariant(),
                    Length(moved.Earlier)
                );
                var of = moved.By switch
                {
                    MoveBy.Percent => "1",
                    MoveBy.Factor => "",
                    _ => unit,
                };
                (Warning, Critical) = (Figure(moved.Warning, of), Figure(moved.Critical, of));
                break;
            case Unusual unusual:
                (Wrong, Side, Warning, Critical) = (
                    "unusual",
                    unusual.Side.ToString().ToLowerInvariant(),
                    Figure(unusual.Warning, ""),
                    Figure(unusual.Critical, "")
                );
                break;
            case Silent silent:
                (Wrong, Level, Expected) = ("silent", silent.Level.ToString().ToLowerInvariant(), Length(silent.Expected));
                break;
            case NewValue fresh:
                (Wrong, Level, History) = ("new", fresh.Level.ToString().ToLowerInvariant(), Length(fresh.History));
                break;
            case WillReach reach:
                (Wrong, Reach, Limit, Trend) = (
                    "reach",
                    reach.Below ? "below" : "above",
                    Figure(reach.Limit, unit),
                    Length(reach.Trend)
                );
                (Warning, Critical) = (Figure(reach.Warning, "s"), Figure(reach.Critical, "s"));
                break;
            case Occurs happens:
                (Wrong, Level) = ("happens", happens.Level.ToString().ToLowerInvariant());
                break;
        }
    }

    private static string Number(long number) => number.ToString(CultureInfo.InvariantCulture);

    private static string Length(long nanoseconds) => Quantities.Duration(nanoseconds);

    private static string Percent(double share) =>
        ((double)((decimal)share * 100)).ToString("R", CultureInfo.InvariantCulture) + "%";

    /// <summary>A figure as it is typed: with its unit where it has one.</summary>
    public static string? Figure(double? figure, string unit) =>
        figure is not { } number
            ? null
            : unit switch
            {
                "1" when Math.Abs(number) < 1e12 => Percent(number),
                "s" when Math.Abs(number) < 1e9 && number > 0 => Length((long)Math.Round(number * Instants.Second)),
                _ => number.ToString("R", CultureInfo.InvariantCulture),
            };
}

/// <summary>Reads the form of a rule, with a sentence for everything that cannot be read.</summary>
public sealed class RuleFormReader(RuleForm form)
{
    private readonly List<string> _faults = [];

    public IReadOnlyList<string> Faults => _faults;

    public RuleDefinition Definition(DateTimeZone zone)
    {
        var quantity = Quantity();
        var definition = new RuleDefinition
        {
            Quantity = quantity,
            Condition = quantity.IsFigure ? Wrong() : new Occurs(Level()),
            Duration = !quantity.IsFigure
                ? new AtOnce()
                : form.Lasting switch
                {
                    "checks" => new ForChecks((int)Whole(form.Checks, "number of checks")),
                    "share" => new ForShare(
                        Figure(form.Share, "the share of the window") ?? 0,
                        Length(form.ShareOf, "the window of the share")
                    ),
                    _ => new AtOnce(),
                },
            Keys = quantity is ValueOf or BudgetBurnt or BurnRate or InOrder
                ? []
                : [.. (form.Keys ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)],
            InTheLast = Length(form.InTheLast, "how far checks look back"),
            CheckedEvery = Length(form.CheckedEvery, "the time between checks"),
            Delay =
                string.IsNullOrWhiteSpace(form.Delay) || form.Delay.Trim() is "0" or "0s"
                    ? 0
                    : Length(form.Delay, "the wait for what comes late"),
            NoData = form.NoData switch
            {
                "warn" => NoData.Warn,
                "keep" => NoData.Keep,
                _ => NoData.Quiet,
            },
            Hours = form.HasHours ? new CheckHours([.. form.Days.Distinct().Order()], Clock(form.From), Clock(form.To)) : null,
            Zone = zone.Id,
        };
        if (_faults.Count == 0)
            _faults.AddRange(definition.Faults());
        return definition;
    }

    private Quantity Quantity() =>
        form.Quantity switch
        {
            "share" => new ShareOf(Query(form.Query), Query(form.Whole), Whole(form.Least, "least number")),
            "distinct" => new DistinctOf(Query(form.Query), Field(form.Of)),
            "figure" => new ValueOf(Query(form.Query)),
            "spans" => new SlowSpans(
                (form.Service ?? "").Trim(),
                (form.Operation ?? "").Trim(),
                Length(form.Slower, "how slow"),
                form.SpansAs == "share",
                form.SpansAs == "share" ? Whole(form.Least, "least number") : 1
            ),
            "budget" => new BudgetBurnt(Chosen(form.Objective, "an objective")),
            "burn" => new BurnRate(Chosen(form.Objective, "an objective"), Length(form.Short, "the second window")),
            "record" => new EachRecord(Query(form.Query)),
            "order" => new InOrder(
                [
                    Chosen(form.First, "the first rule"),
                    Chosen(form.Second, "the second rule"),
                    .. string.IsNullOrEmpty(form.Third) ? Array.Empty<long>() : [Chosen(form.Third, "the third rule")],
                ],
                Length(form.Within, "within how long"),
                form.SameKey
            ),
            _ => new CountOf(Query(form.Query)),
        };

    private static string Query(string? text) => (text ?? "").ReplaceLineEndings("\n").Trim();

    private string Field(string? text)
    {
        var name = (text ?? "").Trim();
        if (name.Length == 0)
            _faults.Add("Say which field's values are counted.");
        return name;
    }

    private AlertCondition Wrong() =>
        form.Wrong switch
        {
            "below" => new Beyond(
                true,
                Figure(form.Warning, "the limit for warning"),
                Figure(form.Critical, "the limit for critical")
            ),
            "moved" => new Moved(
                Way(),
                form.By switch
                {
                    "factor" => MoveBy.Factor,
                    "amount" => MoveBy.Amount,
                    _ => MoveBy.Percent,
                },
                Length(form.Earlier, "how much earlier"),
                Moved(form.Warning, "the limit for warning"),
                Moved(form.Critical, "the limit for critical")
            ),
            "unusual" => new Unusual(
                Way(),
                Figure(form.Warning, "the limit for warning"),
                Figure(form.Critical, "the limit for critical")
            ),
            "silent" => new Silent(Level(), Length(form.Expected, "how long something is expected")),
            "new" => new NewValue(Level(), Length(form.History, "the history")),
            "reach" => new WillReach(
                form.Reach == "below",
                Figure(form.Limit, "the limit") ?? double.NaN,
                Length(form.Trend, "the stretch of the trend"),
                Seconds(form.Warning, "within how long it is a warning"),
                Seconds(form.Critical, "within how long it is critical")
            ),
            _ => new Beyond(
                false,
                Figure(form.Warning, "the limit for warning"),
                Figure(form.Critical, "the limit for critical")
            ),
        };

    private Direction Way() =>
        form.Side switch
        {
            "low" => Direction.Low,
            "either" => Direction.Either,
            _ => Direction.High,
        };

    private AlertLevel Level() => form.Level == "critical" ? AlertLevel.Critical : AlertLevel.Warning;

    /// <summary>Fifty is meant as fifty percent where percent is chosen.</summary>
    private double? Moved(string? text, string name) =>
        Figure(text, name) is { } number && form.By is not ("factor" or "amount") && text?.Contains('%') == false
            ? number / 100
            : Figure(text, name);

    private double? Figure(string? text, string name)
    {
        var typed = (text ?? "").Replace(Format.ThinSpace, "").Replace(" ", "");
        if (typed.Length == 0)
            return null;
        if (
            typed.EndsWith('%') && double.TryParse(typed[..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out var percent)
        )
            return (double)((decimal)Math.Clamp(percent, -1e15, 1e15) / 100);
        if (double.TryParse(typed, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) && double.IsFinite(number))
            return number;
        if (Quantities.TryParseDuration(typed, out var length))
            return length / (double)Instants.Second;
        if (Quantities.TryParseSize(typed, out var size))
            return size;
        _faults.Add($"Write {name} as a number, such as 40, 5%, 400ms or 2GB.");
        return null;
    }

    private double? Seconds(string? text, string name) =>
        string.IsNullOrWhiteSpace(text) ? null : Length(text, name) / (double)Instants.Second;

    private long Whole(string? text, string name)
    {
        if (
            long.TryParse(
                (text ?? "").Replace(Format.ThinSpace, "").Trim(),
                NumberStyles.None,
                CultureInfo.InvariantCulture,
                out var number
            ) && number is >= 1 and <= 1_000_000
        )
            return number;
        _faults.Add($"The {name} is a whole number from 1 on.");
        return 1;
    }

    private long Chosen(string? text, string name)
    {
        if (long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var id))
            return id;
        _faults.Add($"Choose {name}.");
        return 0;
    }

    private long Length(string? text, string name)
    {
        if (Quantities.TryParseDuration((text ?? "").Replace(" ", "").Replace("min", "m"), out var length))
            return length;
        _faults.Add($"Write {name} as a length of time, such as 5m.");
        return Instants.Minute;
    }

    private int Clock(string? text)
    {
        if (
            (text ?? "").Split(':') is [var hours, var minutes]
            && int.TryParse(hours, NumberStyles.None, CultureInfo.InvariantCulture, out var h)
            && int.TryParse(minutes, NumberStyles.None, CultureInfo.InvariantCulture, out var m)
            && h <= 24
            && m < 60
        )
            return (h * 60) + m;
        _faults.Add("Write the hours of checking as times of day, such as 05:30.");
        return 0;
    }
}
