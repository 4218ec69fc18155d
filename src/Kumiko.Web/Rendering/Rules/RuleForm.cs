using System.Globalization;
using Kumiko.Core.Rules;
using Microsoft.AspNetCore.Http;
using NodaTime;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>What the form of a rule holds, as it was typed.</summary>
public sealed class RuleForm
{
    /// <summary>What is looked at, and what is wrong with it.</summary>
    public RuleFields Fields { get; private init; } = new();
    public string? Keys { get; set; }
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
            Fields = RuleFields.Blank(),
            Keys = "",
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

    public static RuleForm OfReady(ReadyRule rule)
    {
        var form = OfDefinition(rule.Definition, rule.Unit);
        form.Name = rule.Name;
        return form;
    }

    public static RuleForm OfDefinition(RuleDefinition of, string unit = "")
    {
        var form = Blank();
        form.Fields.Put(of.Quantity);
        form.Fields.Put(of.Condition, RuleWords.UnitOf(of, unit));
        switch (of.Duration)
        {
            case ForChecks checks:
                (form.Lasting, form.Checks) = ("checks", RuleFields.Number(checks.Count));
                break;
            case ForShare share:
                (form.Lasting, form.Share, form.ShareOf) = (
                    "share",
                    RuleFields.Percent(share.Share),
                    RuleFields.Length(share.Window)
                );
                break;
        }
        (form.Keys, form.InTheLast, form.CheckedEvery, form.Delay, form.NoData) = (
            string.Join(", ", of.Keys),
            RuleFields.Length(of.InTheLast),
            RuleFields.Length(of.CheckedEvery),
            of.Delay == 0 ? "0s" : RuleFields.Length(of.Delay),
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

    /// <summary>Takes the fields that no property of the form is named for.</summary>
    public RuleForm Take(IFormCollection posted)
    {
        foreach (var name in RuleFields.Names)
            Fields[name] = posted[name];
        return this;
    }
}

/// <summary>Reads the form of a rule, with a sentence for everything that cannot be read.</summary>
public sealed class RuleFormReader(RuleForm form)
{
    private readonly RuleFieldReader _reader = new(form.Fields);

    public IReadOnlyList<string> Faults => _reader.Faults;

    public RuleDefinition Definition(DateTimeZone zone)
    {
        var quantity = _reader.Quantity();
        var definition = new RuleDefinition
        {
            Quantity = quantity,
            Condition = _reader.Condition(quantity),
            Duration = quantity.IsFigure ? Duration() : new AtOnce(),
            Keys = QuantityKinds.Of(quantity).TakesKeys
                ? [.. (form.Keys ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)]
                : [],
            InTheLast = _reader.Length(form.InTheLast, "how far checks look back"),
            CheckedEvery = _reader.Length(form.CheckedEvery, "the time between checks"),
            Delay =
                string.IsNullOrWhiteSpace(form.Delay) || form.Delay.Trim() is "0" or "0s"
                    ? 0
                    : _reader.Length(form.Delay, "the wait for what comes late"),
            NoData = form.NoData switch
            {
                "warn" => NoData.Warn,
                "keep" => NoData.Keep,
                _ => NoData.Quiet,
            },
            Hours = form.HasHours ? new CheckHours([.. form.Days.Distinct().Order()], Clock(form.From), Clock(form.To)) : null,
            Zone = zone.Id,
        };
        if (Faults.Count == 0)
            foreach (var fault in definition.Faults())
                _reader.Fault(fault);
        return definition;
    }

    private ForDuration Duration() =>
        form.Lasting switch
        {
            "checks" => new ForChecks((int)_reader.Whole(form.Checks, "number of checks")),
            "share" => new ForShare(
                _reader.Figure(form.Share, "the share of the window") ?? 0,
                _reader.Length(form.ShareOf, "the window of the share")
            ),
            _ => new AtOnce(),
        };

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
        _reader.Fault("Write the hours of checking as times of day, such as 05:30.");
        return 0;
    }
}
