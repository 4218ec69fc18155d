using Kumiko.Core.Delivery;
using Kumiko.Core.Records;

namespace Kumiko.Web.Rendering.Notifications;

/// <summary>What the form of a route holds, as it was typed.</summary>
public sealed class RouteForm : MatchForm
{
    public const int Steps = 3;

    public string? Name { get; set; }
    public long? Calendar { get; set; }
    public string? Side { get; set; } = "Any";
    public string? AlsoOn { get; set; }
    public string? NotOn { get; set; }
    public List<long> Channels { get; set; } = [];
    public string? After1 { get; set; }
    public List<long> Step1 { get; set; } = [];
    public string? After2 { get; set; }
    public List<long> Step2 { get; set; } = [];
    public string? After3 { get; set; }
    public List<long> Step3 { get; set; } = [];
    public bool TellsEnd { get; set; } = true;

    /// <summary>The steps in their order.</summary>
    public IReadOnlyList<(string? After, List<long> Channels)> All => [(After1, Step1), (After2, Step2), (After3, Step3)];

    public static RouteForm Of(Route route)
    {
        var definition = route.Definition;
        var form = new RouteForm
        {
            Name = route.Name,
            Calendar = definition.Times.Calendar,
            Side = definition.Times.Side.ToString(),
            AlsoOn = definition.Times.AlsoOn,
            NotOn = definition.Times.NotOn,
            Channels = [.. definition.Channels],
            TellsEnd = definition.TellsEnd,
        };
        form.Fill(definition.Match, definition.Times.Hours);
        (string? After, List<long> To) Step(int i) =>
            i < definition.Steps.Count
                ? (Quantities.Duration(definition.Steps[i].After), [.. definition.Steps[i].Channels])
                : (null, []);
        (form.After1, form.Step1) = Step(0);
        (form.After2, form.Step2) = Step(1);
        (form.After3, form.Step3) = Step(2);
        return form;
    }

    /// <param name="zone">Of the hours.</param>
    public (RouteDefinition Definition, IReadOnlyList<string> Faults) Read(string zone)
    {
        var faults = new List<string>();
        if ((Name ?? "").Trim().Length is 0 or > 100)
            faults.Add("Give the route a name of up to 100 characters.");
        var steps = new List<EscalationStep>();
        foreach (var (after, to) in All)
        {
            if (string.IsNullOrWhiteSpace(after) && to.Count == 0)
                continue;
            steps.Add(new EscalationStep(Quantities.TryParseDuration((after ?? "").Trim(), out var time) ? time : 0, to));
        }
        var definition = new RouteDefinition
        {
            Match = Match(),
            Times = new RouteTimes
            {
                Hours = Hours(faults),
                Zone = zone,
                Calendar = Calendar,
                Side = Enum.TryParse<CalendarSide>(Side, out var side) && Enum.IsDefined(side) ? side : CalendarSide.Any,
                AlsoOn = (AlsoOn ?? "").Trim(),
                NotOn = (NotOn ?? "").Trim(),
            },
            Channels = [.. Channels.Distinct()],
            Steps = [.. steps.OrderBy(s => s.After)],
            TellsEnd = TellsEnd,
        };
        faults.AddRange(definition.Faults());
        return (definition, faults);
    }
}
