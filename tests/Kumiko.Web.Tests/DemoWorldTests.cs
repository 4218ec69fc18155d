using System.Text.Json;
using Kumiko.Demo.World;

namespace Kumiko.Web.Tests;

public class DemoWorldTests
{
    private static readonly DateTimeOffset Evening = new(2026, 11, 23, 17, 30, 0, TimeSpan.Zero);

    private static byte[] Written(Simulator simulator, DateTimeOffset from, DateTimeOffset until, params FirmwarePlay[] plays)
    {
        using var lines = new MemoryStream();
        simulator.Write(lines, from, until, plays);
        return lines.ToArray();
    }

    [Fact]
    public void The_same_seed_gives_the_same_world_in_whatever_pieces()
    {
        var whole = Written(new Simulator(7), Evening, Evening.AddMinutes(10));
        var pieces = Enumerable.Range(0, 20).SelectMany(i => Written(new Simulator(7), Evening.AddSeconds(i * 30), Evening.AddSeconds((i + 1) * 30)));
        Assert.Equal(whole, pieces);
        Assert.NotEqual(whole, Written(new Simulator(8), Evening, Evening.AddMinutes(10)));
    }

    [Fact]
    public void Twelve_services_speak_in_sixty_templates_or_more()
    {
        Assert.Equal(12, Templates.All.Select(t => t.Service).Distinct().Count());
        Assert.True(Templates.All.Count >= 60, $"{Templates.All.Count} templates");
        Assert.All(SkerryLine.Hosts.Values, hosts => Assert.InRange(hosts.Length, 2, 6));
    }

    [Fact]
    public void Two_days_hold_about_three_hundred_thousand_records_with_a_daily_rhythm()
    {
        var monday = new DateTimeOffset(2026, 11, 23, 0, 0, 0, TimeSpan.Zero);
        var simulator = new Simulator(1);
        var hours = Enumerable.Range(0, 24).Select(h => Enumerable.Range(0, 6).Sum(m => simulator.Minute(monday.AddHours(h).AddMinutes(m * 10), []).Count) * 10).ToList();
        Assert.InRange(hours.Sum() * 2, 240_000, 360_000);
        Assert.True(hours[17] > hours[3] * 4, "the evening is far busier than the night");
    }

    [Fact]
    public void The_firmware_refuses_tickets_at_Tarnhead_and_leaves_the_rest_alone()
    {
        var simulator = new Simulator(1);
        var play = new FirmwarePlay(Evening.AddMinutes(2), Evening.AddMinutes(6), 1);
        var without = simulator.Minute(Evening.AddMinutes(4), []);
        var with = simulator.Minute(Evening.AddMinutes(4), [play]);
        var extra = with.Select(r => r.Body).Except(without.Select(r => r.Body)).ToList();
        Assert.Empty(without.Select(r => r.Body).Except(with.Select(r => r.Body)));
        Assert.InRange(extra.Count(b => b.Contains("refused: seat already claimed")), 120, 280);
        Assert.All(with.Where(r => r.Attributes.Any(a => a is ("firmware", "7.3"))), r => Assert.Contains(("terminal", (object)"Tarnhead"), r.Attributes));
        Assert.Equal(0, play.Strength(Evening));
        Assert.Equal(1, play.Strength(Evening.AddMinutes(4)));
        Assert.Equal(0, play.Strength(Evening.AddMinutes(8)));
        Assert.Equal(3, simulator.Minute(Evening.AddMinutes(6), [play]).Count(r => r.Body.StartsWith("firmware 7.3 replaced by 7.2", StringComparison.Ordinal)));
    }

    [Fact]
    public void The_truth_is_kept_apart_and_survives_a_restart()
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
        try
        {
            var truth = new Truth(folder);
            truth.SendFirmware(Evening, null, 1);
            Assert.NotNull(new Truth(folder).Open);
            truth.RollBack(Evening.AddHours(1));
            var entry = Assert.Single(new Truth(folder).Entries);
            Assert.Equal((1, Evening, Evening.AddHours(1)), (entry.Disturbance, entry.Start, entry.End));
            Assert.Contains("seat-ledger", entry.Affected);
        }
        finally { Directory.Delete(folder, true); }
    }

    [Fact]
    public void Every_line_is_json_with_its_fields_as_attributes()
    {
        var lines = System.Text.Encoding.UTF8.GetString(Written(new Simulator(1), Evening, Evening.AddMinutes(5), new FirmwarePlay(Evening, null, 1))).TrimEnd().Split('\n');
        Assert.All(lines, line => JsonDocument.Parse(line).Dispose());
        var refusal = JsonDocument.Parse(lines.First(l => l.Contains("seat already claimed"))).RootElement;
        foreach (var field in new[] { "terminal", "reason", "wait", "firmware", "ticket" }) Assert.True(refusal.TryGetProperty(field, out _), field);
    }
}
