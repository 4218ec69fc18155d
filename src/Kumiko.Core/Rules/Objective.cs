using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>A share of good events to keep over a period, and so how much may still fail.</summary>
public sealed record Objective
{
    public static readonly IReadOnlyList<int> Periods = [7, 28];

    public long Id { get; init; }
    public string Name { get; init; } = "";

    /// <summary>The query of good events.</summary>
    public string Good { get; init; } = "";

    /// <summary>The query of all events.</summary>
    public string All { get; init; } = "";

    /// <summary>Between 0 and 1: 0.995.</summary>
    public double Target { get; init; }
    public int Days { get; init; } = 28;
    public string Note { get; init; } = "";
    public string Team { get; init; } = "";
    public string Zone { get; init; } = "UTC";
    public long Author { get; init; }
    public long Created { get; init; }

    public long Period => Days * Instants.Day;

    /// <summary>The share of events that may fail.</summary>
    public double Budget => 1 - Target;

    public IReadOnlyList<string> Faults()
    {
        var faults = new List<string>();
        if (string.IsNullOrWhiteSpace(Name) || Name.Length > 200)
            faults.Add("Give the objective a name of up to 200 characters.");
        faults.AddRange(new RuleQuery("Good events", Good).Faults());
        faults.AddRange(new RuleQuery("All events", All).Faults());
        if (!(Target is > 0 and < 1))
            faults.Add("The share to keep lies between 0% and 100%, such as 99.5%.");
        if (!Periods.Contains(Days))
            faults.Add("The period is 7 or 28 days.");
        if (Note.Length > 10_000 || Team.Length > 100)
            faults.Add("That note, or the team's name, is too long.");
        return faults;
    }
}
