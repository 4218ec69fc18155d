using System.Globalization;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Demo.World;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Demo.StandIns;

/// <summary>Writes the ferry line's rules once its history is there, and has them checked over the past day.</summary>
public sealed class RuleDesk(
    HistoryFiller history,
    RuleStore rules,
    ObjectiveStore objectives,
    RuleChecker checker,
    NotificationPlanner planner,
    NotificationDesk telling,
    PeopleStore people,
    LineZone zone,
    TimeProvider clock
) : BackgroundService
{
    private static readonly TimeSpan Past = TimeSpan.FromHours(24);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            await history.Complete.WaitAsync(stoppingToken);
            if (rules.Rules().Count > 0)
            {
                await telling.Renew(stoppingToken);
                return;
            }
            await Add(stoppingToken);
        }
        catch (OperationCanceledException)
        { /* the demonstration stops */
        }
    }

    private async Task Add(CancellationToken cancel)
    {
        var everybody = people.All().ToDictionary(p => p.Name, StringComparer.Ordinal);
        var ines = everybody["Ines Halloran"];
        var now = Instants.FromDateTime(clock.GetUtcNow());
        var since = now - (long)(Past.TotalSeconds * Instants.Second);
        var objective = await objectives.Add(
            new Objective
            {
                Name = LineRules.ObjectiveName,
                Good = LineRules.ObjectiveGood,
                All = LineRules.ObjectiveAll,
                Target = LineRules.ObjectiveTarget,
                Days = 7,
                Team = "Quayside",
                Author = ines.Id,
                Note = "Who has a ticket walks aboard.",
            }
        );
        var names = new Dictionary<string, long> { ["objective"] = objective };
        var added = new List<(long Id, LineRule Of)>();
        foreach (var of in LineRules.All)
        {
            var id = await rules.Add(RuleOf(of, names, everybody, ines, zone.Id, mail: false), since);
            if (of.Key is { } key)
                names[key] = id;
            added.Add((id, of));
        }
        // What was yesterday is there to be looked at, and nobody gets mail about it.
        await checker.CheckDue(now, cancel);
        await planner.TellWaiting(cancel);
        await telling.Add(ines.Id, cancel);
        foreach (var (id, of) in added)
            await rules.Change(RuleOf(of, names, everybody, ines, zone.Id, mail: true, id));
    }

    /// <exception cref="InvalidOperationException">A rule of the ferry line cannot be read: its text is wrong.</exception>
    public static RuleDefinition DefinitionOf(LineRule of, IReadOnlyDictionary<string, long> names)
    {
        var text = names.Aggregate(of.Text, (t, n) =>
            t.Replace("{" + n.Key + "}", n.Value.ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal)
        );
        var (definition, problem) = RuleTextReader.Read(text);
        return definition ?? throw new InvalidOperationException($"{of.Name}: {problem}");
    }

    private static Rule RuleOf(
        LineRule of,
        Dictionary<string, long> names,
        Dictionary<string, Person> everybody,
        Person author,
        string zone,
        bool mail,
        long id = 0
    ) =>
        new()
        {
            Id = id,
            Name = of.Name,
            Definition = DefinitionOf(of, names) with { Zone = zone },
            Note = of.Note,
            Runbook = of.Runbook,
            Labels = of.Labels,
            Team = of.Team,
            FollowUp = of.FollowUp,
            Owner = everybody.GetValueOrDefault(of.Owner)?.Id,
            MailTo = mail ? everybody.GetValueOrDefault(of.Owner)?.Email ?? "" : "",
            Author = author.Id,
        };
}
