using System.Text.RegularExpressions;

namespace Kumiko.House.Tests;

/// <summary>The modules of the scripts see one another in one direction, and one of them fetches.</summary>
public sealed partial class ScriptTests
{
    private const string Folder = "src/Kumiko.Web/assets/js/";

    private static readonly Dictionary<string, string> Modules = Repository
        .Files(".js")
        .Where(file => file.StartsWith(Folder, StringComparison.Ordinal))
        .ToDictionary(file => file[Folder.Length..], file => File.ReadAllText(Path.Combine(Repository.Root, file)));

    [Fact]
    public void No_module_sees_itself_through_others()
    {
        var seen = Modules.ToDictionary(m => m.Key, m => Imports().Matches(m.Value).Select(i => i.Groups[1].Value).ToList());
        var circles = seen.Keys.Where(module => Behind(module, seen).Contains(module));
        Assert.True(!circles.Any(), "These import themselves, through others: " + string.Join(", ", circles));
        Assert.Contains("go.js", seen["menus.js"]);
    }

    private static HashSet<string> Behind(string module, Dictionary<string, List<string>> seen)
    {
        var (found, open) = (new HashSet<string>(), new Stack<string>(seen[module]));
        while (open.TryPop(out var next))
            if (found.Add(next))
                foreach (var further in seen[next])
                    open.Push(further);
        return found;
    }

    [Theory]
    [InlineData("fetch(", "ask.js")]
    [InlineData("createElementNS(", "svg.js")]
    public void One_module_does_it_for_all(string call, string module) =>
        Assert.Equal([module], Modules.Where(m => m.Value.Contains(call, StringComparison.Ordinal)).Select(m => m.Key));

    [GeneratedRegex("""from '\./([a-z]+\.js)'""")]
    private static partial Regex Imports();
}
