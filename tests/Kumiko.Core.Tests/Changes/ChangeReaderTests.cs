using System.Text.Json;
using Kumiko.Core.Changes;

namespace Kumiko.Core.Tests.Changes;

/// <summary>What events tell of where a change was made, and how far it has come.</summary>
public sealed class ChangeReaderTests
{
    private static Change? Read(string data, out string? reason, string type = "example.skerry.deploy.v1") =>
        ChangeReader.Read(
            new ChangeEvent("7", "/releases", type, "berth-planner", 1, JsonDocument.Parse(data).RootElement),
            "desk",
            "releases",
            2,
            out reason
        );

    [Fact]
    public void Services_hosts_instances_places_roll_out_and_share_are_read()
    {
        var change = Read(
            """
            {"what":"planner","to":"4.3","services":["berth-planner","berth-planner"],"hosts":["kettle-1","kettle-2"],"instance":"planner-1",
             "place":"Tarnhead","roll_out":"r-77","share":"12.5 %","who":"Ines"}
            """,
            out _
        )!;
        var scope = change.Scope!;
        Assert.Equal(
            ("berth-planner", "kettle-1,kettle-2", "planner-1", "Tarnhead", "r-77", 0.125, "deploy"),
            (
                string.Join(',', scope.Services),
                string.Join(',', scope.Hosts),
                string.Join(',', scope.Instances),
                string.Join(',', scope.Places),
                change.RollOut,
                change.Share!.Value,
                change.Kind
            )
        );
    }

    [Fact]
    public void Flags_are_read_by_their_standard_names()
    {
        var change = Read(
            """{"feature_flag.key":"quick-board","feature_flag.result.variant":"on","service.name":"web-booking","percent":50}""",
            out _,
            "example.changed"
        )!;
        Assert.Equal(
            ("quick-board", "on", "flag", 0.5, "web-booking"),
            (change.What, change.To, change.Kind, change.Share!.Value, change.Scope!.Services[0])
        );
    }

    [Theory]
    [InlineData("""{"what":"x","share":"a lot"}""", "share")]
    [InlineData("""{"what":"x","share":7}""", "share")]
    public void A_share_that_is_none_is_refused(string data, string reason)
    {
        Assert.Null(Read(data, out var told));
        Assert.Contains(reason, told);
    }

    [Fact]
    public void Too_many_names_are_refused()
    {
        var hosts = string.Join(",", Enumerable.Range(0, 1_001).Select(i => $"\"h{i}\""));
        Assert.Null(Read($$"""{"what":"x","hosts":[{{hosts}}]}""", out var told));
        Assert.Contains("1000", told);
    }

    [Fact]
    public void An_event_without_names_is_told_by_its_words_alone() =>
        Assert.Null(Read("""{"what":"x","where":7}""", out _)!.Scope);

    [Theory]
    [InlineData(null, null)]
    [InlineData("", null)]
    [InlineData("0.125", 0.125)]
    [InlineData("12.5%", 0.125)]
    [InlineData(" 100 % ", 1.0)]
    public void Shares_are_read_as_people_write_them(string? text, double? share) =>
        Assert.Equal(share, ChangeReader.ShareOf(text));
}
