using ArchUnitNET.Domain;
using ArchUnitNET.Domain.Extensions;
using ArchUnitNET.Loader;
using Assembly = System.Reflection.Assembly;

namespace Kumiko.House.Tests;

/// <summary>References between the rooms of the house, as they are in what was built, go one way.</summary>
public sealed class RoomTests
{
    private static readonly Assembly[] Assemblies =
    [
        typeof(Core.Frames.Frame).Assembly,
        typeof(Worlds.Chance).Assembly,
        typeof(Charts.Chart).Assembly,
        typeof(Web.Hosting.KumikoServer).Assembly,
        typeof(Cli.Commands).Assembly,
        typeof(Demo.DemoOptions).Assembly,
    ];

    private static readonly Architecture House = new ArchLoader().LoadAssemblies(Assemblies).Build();

    private static string RoomOf(IType type) => type.Namespace?.FullName ?? "";

    /// <summary>References from a type of one room to a type of another, each once.</summary>
    private static IEnumerable<(string From, string To, string Types)> References() =>
        from type in House.Types
        let room = RoomOf(type)
        where room.StartsWith("Kumiko.", StringComparison.Ordinal)
        from target in type.GetTypeDependencies().Distinct()
        let other = RoomOf(target)
        where other != room && other.StartsWith("Kumiko.", StringComparison.Ordinal)
        select (room, other, $"{type.Name} → {target.Name}");

    [Fact]
    public void Rooms_see_only_those_below_them()
    {
        var rooms = Repository.List("rooms.txt");
        var floor = rooms.Select((room, i) => (room, i)).ToDictionary(r => r.room, r => r.i, StringComparer.Ordinal);
        var references = References().Where(r => floor.ContainsKey(r.From)).ToList();
        Assert.Empty(references.Where(r => !floor.ContainsKey(r.To)).Select(r => $"{r.From} sees {r.To}, which is above it."));
        var upwards = references
            .Where(r => floor[r.To] > floor[r.From])
            .GroupBy(r => $"{r.From} -> {r.To}")
            .ToDictionary(g => g.Key, g => g.Select(r => r.Types).Distinct().Order(StringComparer.Ordinal).ToList());
        var allowed = Repository
            .List("circles.txt")
            .Select(line => line.Split(' ', 2))
            .ToDictionary(p => p[1], p => int.Parse(p[0], System.Globalization.CultureInfo.InvariantCulture));
        var more = upwards.Where(u => u.Value.Count > allowed.GetValueOrDefault(u.Key));
        var fewer = allowed.Where(a => a.Value > (upwards.GetValueOrDefault(a.Key)?.Count ?? 0));
        Assert.True(
            !more.Any(),
            "References that go up came in:\n"
                + string.Join('\n', more.Select(u => $"{u.Value.Count} {u.Key}\n    {string.Join("\n    ", u.Value)}"))
        );
        Assert.True(
            !fewer.Any(),
            "Fewer references go up. Write so in circles.txt:\n"
                + string.Join('\n', fewer.Select(a => $"{upwards.GetValueOrDefault(a.Key)?.Count ?? 0} {a.Key}"))
        );
    }

    [Fact]
    public void Every_room_of_core_worlds_charts_and_web_is_in_the_list()
    {
        var rooms = Repository.List("rooms.txt").ToHashSet(StringComparer.Ordinal);
        var found = House
            .Types.Select(RoomOf)
            .Where(room =>
                room.StartsWith("Kumiko.Core", StringComparison.Ordinal)
                || room.StartsWith("Kumiko.Worlds", StringComparison.Ordinal)
                || room.StartsWith("Kumiko.Charts", StringComparison.Ordinal)
                || room.StartsWith("Kumiko.Web", StringComparison.Ordinal)
            )
            .ToHashSet(StringComparer.Ordinal);
        Assert.Empty(found.Except(rooms));
        Assert.Empty(rooms.Except(found));
    }

    [Fact]
    public void Projects_refer_one_way()
    {
        string[] order = ["Kumiko.Core", "Kumiko.Worlds", "Kumiko.Charts", "Kumiko.Web"];
        foreach (var assembly in Assemblies)
        {
            var name = assembly.GetName().Name!;
            var below = Array.IndexOf(order, name) is >= 0 and var at ? order[..at] : order;
            var seen = assembly
                .GetReferencedAssemblies()
                .Select(a => a.Name!)
                .Where(n => n.StartsWith("Kumiko.", StringComparison.Ordinal));
            Assert.Empty(seen.Except(below));
        }
    }

    [Theory]
    [InlineData("Microsoft.AspNetCore")]
    [InlineData("System.Net.Http")]
    [InlineData("SkiaSharp")]
    public void Core_has_no_interface_code(string room) =>
        Assert.Empty(
            House
                .Types.Where(t => RoomOf(t).StartsWith("Kumiko.Core", StringComparison.Ordinal))
                .Where(t => t.GetTypeDependencies().Any(d => RoomOf(d).StartsWith(room, StringComparison.Ordinal)))
                .Select(t => t.FullName)
        );

    [Fact]
    public void Only_stores_speak_to_a_database()
    {
        static bool IsStore(IType type) =>
            RoomOf(type).StartsWith("Kumiko.Core.Storage", StringComparison.Ordinal)
            || type.FullName.Split('+')[0].EndsWith("Store", StringComparison.Ordinal);
        var speaks = House
            .Types.Where(t => RoomOf(t).StartsWith("Kumiko.", StringComparison.Ordinal) && !IsStore(t))
            .Where(t =>
                t.GetTypeDependencies().Any(d => RoomOf(d) is "Microsoft.Data.Sqlite" or "Dapper" && d.Name != "SqliteException")
            )
            .Select(t => t.FullName.Split('+')[0])
            .Distinct()
            .Order(StringComparer.Ordinal);
        Assert.Equal(string.Join("\n", Repository.List("database.txt")), string.Join("\n", speaks));
    }

    [Fact]
    public void Analysis_sees_frames_only() =>
        Assert.Empty(
            References()
                .Where(r => r.From == "Kumiko.Core.Analysis" && r.To is not ("Kumiko.Core.Frames" or "Kumiko.Core.Records"))
                .Select(r => r.Types)
        );
}
