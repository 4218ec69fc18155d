using System.Globalization;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>How bad it is: nothing, a warning, or critical.</summary>
public enum AlertLevel
{
    None,
    Warning,
    Critical,
}

/// <summary>What a rule was last seen to be.</summary>
public enum RuleState
{
    NotChecked,
    Well,
    Warning,
    Critical,
    NoData,
    Paused,
    CheckFailed,
}

/// <summary>A condition that is checked, what stands around it, and what its last check found.</summary>
public sealed class Rule
{
    public const int LongestText = 20_000;
    public const int LongestName = 200;

    public long Id { get; init; }
    public string Name { get; init; } = "";
    public required RuleDefinition Definition { get; init; }

    /// <summary>For those who come across it: why it is there.</summary>
    public string Note { get; init; } = "";

    /// <summary>What to do when it is true, as Markdown.</summary>
    public string Runbook { get; init; } = "";

    /// <summary>Separated by commas.</summary>
    public string Labels { get; init; } = "";
    public long? Owner { get; init; }
    public string Team { get; init; } = "";

    /// <summary>A query that is asked when an alert starts, of the window that started it; empty for none.</summary>
    public string FollowUp { get; init; } = "";

    /// <summary>Mail addresses, separated by commas; empty to tell nobody.</summary>
    public string MailTo { get; init; } = "";

    /// <summary>Where every result goes, good ones too: <c>metric</c>, and ids of channels; empty for nowhere.</summary>
    public string Onward { get; init; } = "";
    public long Author { get; init; }
    public long Created { get; init; }
    public bool Paused { get; init; }

    /// <summary>When it was last checked, and what was found: the highest level of its keys, and the figure of that
    /// key.</summary>
    public long? Checked { get; init; }
    public AlertLevel Level { get; init; }
    public double? Figure { get; init; }
    public string Unit { get; init; } = "";

    /// <summary>Whether there was nothing to judge.</summary>
    public bool HasNoData { get; init; }

    /// <summary>Whether the last check lay outside the hours of checking.</summary>
    public bool IsOutside { get; init; }

    /// <summary>Keys that are judged, and those that were too many.</summary>
    public int KeyCount { get; init; }
    public int LeftOut { get; init; }

    /// <summary>Nanoseconds that the last check took.</summary>
    public long Took { get; init; }

    /// <summary>Checks that were left out since it was changed, as earlier ones took too long or the process was down for
    /// long.</summary>
    public long Skipped { get; init; }
    public string? Problem { get; init; }
    public long? ProblemSince { get; init; }

    public RuleState State
    {
        get
        {
            if (Paused || IsOutside)
                return RuleState.Paused;
            if (Problem is not null)
                return RuleState.CheckFailed;
            if (Checked is null)
                return RuleState.NotChecked;
            return Level switch
            {
                AlertLevel.Critical => RuleState.Critical,
                AlertLevel.Warning => RuleState.Warning,
                _ => HasNoData ? RuleState.NoData : RuleState.Well,
            };
        }
    }

    /// <summary>When the next check is due: at whole intervals since 1970; a new rule is due at once.</summary>
    public long Due
    {
        get
        {
            var interval = Definition.CheckedEvery;
            return Checked is { } last ? ((last / interval) + 1) * interval : Created / interval * interval;
        }
    }

    public IReadOnlyList<string> LabelList => SplitList(Labels);
    public IReadOnlyList<string> Recipients => SplitList(MailTo);

    public bool HasOnward => Onward.Length > 0;
    public bool IsMetric => SplitList(Onward).Contains(OnwardMetric);
    public IReadOnlyList<long> OnwardChannels =>
        [
            .. SplitList(Onward)
                .Select(o => long.TryParse(o, NumberStyles.None, CultureInfo.InvariantCulture, out var id) ? id : 0)
                .Where(id => id > 0),
        ];

    /// <summary>In <see cref="Onward"/>: the results become samples of Kumiko's own metrics.</summary>
    public const string OnwardMetric = "metric";

    public static IReadOnlyList<string> SplitList(string text) =>
        [
            .. text.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                .Distinct(StringComparer.Ordinal),
        ];

    /// <summary>What is wrong with the rule's settings, each as a sentence; empty where it can be saved.</summary>
    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (string.IsNullOrWhiteSpace(Name) || Name.Length > LongestName)
            faults.Add("Give the rule a name of up to 200 characters.");
        faults.AddRange(Definition.Faults());
        if (Note.Length > LongestText || Runbook.Length > LongestText)
            faults.Add("Note and runbook have up to 20\u2009000 characters each.");
        if (LabelList.Count > 20 || LabelList.Any(l => l.Length > 80))
            faults.Add("A rule has up to 20 labels of up to 80 characters.");
        if (Team.Length > 100)
            faults.Add("The team's name is too long.");
        if (FollowUp.Length > 0 && Language.QueryParser.Parse(FollowUp) is { Ok: false } wrong)
            faults.Add("The follow-up query: " + wrong.Errors[0].Describe(FollowUp));
        return faults;
    }
}
