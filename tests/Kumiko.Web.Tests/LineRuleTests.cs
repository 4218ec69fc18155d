using Kumiko.Core.Frames;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Demo.StandIns;
using Kumiko.Demo.World;
using Kumiko.Worlds.Disturbances;

namespace Kumiko.Web.Tests;

/// <summary>The ferry line's rules: every kind is among them, and what goes wrong there is told.</summary>
public sealed class LineRuleTests : IAsyncLifetime
{
    /// <summary>A Monday, so that no weekend changes what is usual.</summary>
    private static readonly DateTimeOffset Day = new(2026, 11, 16, 0, 0, 0, TimeSpan.Zero);

    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public async ValueTask DisposeAsync() => await _server.DisposeAsync();

    private static readonly Dictionary<string, long> Names = new()
    {
        ["objective"] = 1,
        ["locks"] = 2,
        ["refusals"] = 3,
    };

    private static RuleDefinition Of(string name) => RuleDesk.DefinitionOf(LineRules.All.Single(r => r.Name == name), Names);

    [Fact]
    public void Every_rule_can_be_read_and_every_kind_is_among_them()
    {
        var all = LineRules.All.Select(r => RuleDesk.DefinitionOf(r, Names)).ToList();
        Assert.All(all, d => Assert.Empty(d.Faults()));
        Assert.Equal(9, all.Select(d => d.Quantity.GetType()).Distinct().Count());
        Assert.Equal(7, all.Select(d => d.Condition.GetType()).Distinct().Count());
        Assert.Equal(3, all.Select(d => d.Duration.GetType()).Distinct().Count());
        Assert.All(LineRules.All, r =>
            Assert.True(r.Owner.Length == 0 || SkerryLine.People.Any(p => p.Name == r.Owner), r.Owner)
        );
    }

    /// <summary>Plays hours of the world into the store.</summary>
    private async Task Play(DateTimeOffset from, DateTimeOffset until, params Play[] plays)
    {
        var (made, writers) = (new Dictionary<string, MemoryStream>(), new Dictionary<string, LineWriter>());
        var simulator = new Simulator(1);
        foreach (var record in simulator.Between(from, until, plays, []))
        {
            var source = Senders.SourceOf(record);
            if (!writers.TryGetValue(source, out var writer))
                writers.Add(source, writer = new LineWriter(made[source] = new MemoryStream()));
            writer.Write(record);
        }
        foreach (var writer in writers.Values)
            writer.Dispose();
        foreach (var (source, lines) in made)
        {
            lines.Position = 0;
            await _server.Get<LineIntake>().Take(lines, new LineWish(source), default);
        }
        await _server.Get<MetricStore>().Append(new Measurements(simulator).OfServices(from, until, plays), Senders.Metrics);
    }

    private async Task<IReadOnlyList<TrialEpisode>> Told(string rule, DateTimeOffset from, DateTimeOffset until)
    {
        using var snapshot = _server.Get<RecordStore>().Current;
        return (
            await _server
                .Get<RuleTrial>()
                .Of(Of(rule), new Window(Instants.FromDateTime(from), Instants.FromDateTime(until)), snapshot)
        ).Episodes;
    }

    [Theory]
    [InlineData(1, 17.8, 0.7, "Refusals at the gates", "Tarnhead")]
    [InlineData(1, 17.8, 0.7, "Row locks in seat-ledger", "")]
    [InlineData(2, 9.7, 0.7, "Handshakes with the acquirer fail", "pay-5")]
    [InlineData(3, 13.1, 0.7, "Berths are refused", "")]
    [InlineData(5, 10.3, 0.7, "The clock service of a kiosk stops", "kiosk-m1")]
    [InlineData(7, 6.9, 0.7, "Screens wait for their notices", "")]
    [InlineData(7, 6.9, 0.7, "A host of notice-board goes silent", "notice-3")]
    [InlineData(9, 9.4, 0.9, "Screens keep what they showed", "")]
    public async Task A_disturbance_is_told_while_it_goes_on_and_not_before(
        int number,
        double hour,
        double hours,
        string rule,
        string of
    )
    {
        var begins = Day.AddHours(hour);
        var until = begins.AddHours(hours);
        var play = new Play(Disturbances.Of(number), begins, null, Disturbances.Of(number).InHistory.Intensity);
        await Play(begins.AddHours(-0.7), until, play);
        var told = await Told(rule, begins.AddHours(-0.4), until);
        Assert.NotEmpty(told);
        Assert.All(told, t => Assert.True(t.From >= Instants.FromDateTime(begins)));
        if (of.Length > 0)
            Assert.Contains(told, t => t.Of == of);
    }

    [Fact]
    public async Task A_disk_that_fills_over_two_days_is_told_a_day_before_it_is_full()
    {
        var (begins, until) = (Day.AddHours(8), Day.AddHours(31));
        await _server
            .Get<MetricStore>()
            .Append(
                new Measurements(new Simulator(1)).OfHosts(
                    begins.AddHours(-1),
                    until,
                    [new Play(Disturbances.Of(4), begins, null, 0.1)]
                ),
                Senders.Metrics
            );
        var told = await Told("A disk of manifest will be full", begins, until);
        Assert.Equal(["manifest-1", "manifest-2"], told.Select(t => t.Of).Order());
        // It is at 95 percent after 44.6 hours.
        Assert.All(told, t => Assert.InRange((Instants.ToDateTime(t.From) - begins).TotalHours, 17, 21));
    }

    [Fact]
    public async Task A_storm_makes_refunds_surge_and_is_explained_by_no_fault()
    {
        var begins = Day.AddDays(1).AddHours(8);
        await Play(begins.AddDays(-1).AddHours(-0.5), begins.AddDays(-1).AddHours(1.5));
        await Play(begins.AddHours(-0.5), begins.AddHours(1.5), new Play(Disturbances.Of(6), begins, null, 0.4));
        var (from, until) = (begins.AddHours(-0.2), begins.AddHours(1.5));
        Assert.NotEmpty(await Told("Refunds surge", from, until));
        foreach (
            var cause in new[]
            {
                "Refusals at the gates",
                "Row locks in seat-ledger",
                "Handshakes with the acquirer fail",
                "Berths are refused",
                "Screens wait for their notices",
                "The clock service of a kiosk stops",
                "A host of notice-board goes silent",
            }
        )
            Assert.Empty(await Told(cause, from, until));
    }

    [Fact]
    public async Task A_shortened_time_out_is_an_error_never_seen_before_in_the_evening_peak()
    {
        var evening = Day.AddHours(17);
        await Play(evening.AddHours(-9), evening.AddHours(-7));
        await Play(evening.AddHours(-0.5), evening.AddHours(0.7), new Play(Disturbances.Of(8), Day.AddHours(11), null, 0.35));
        var told = await Told("Booking meets an error never seen before", evening.AddHours(-0.4), evening.AddHours(0.7));
        Assert.NotEmpty(told);
    }
}
