using System.Text.RegularExpressions;

namespace Kumiko.Core.Tests;

/// <summary>References point one way, between projects and between the rooms of Core.</summary>
public partial class ArchitectureTests
{
    private static string Root()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (folder is not null && !File.Exists(Path.Combine(folder.FullName, "Kumiko.slnx")))
            folder = folder.Parent;
        return folder?.FullName ?? throw new InvalidOperationException("Run the tests inside the repository.");
    }

    [Theory]
    [InlineData("Kumiko.Core", "")]
    [InlineData("Kumiko.Charts", "Kumiko.Core")]
    [InlineData("Kumiko.Web", "Kumiko.Charts Kumiko.Core")]
    [InlineData("Kumiko.Cli", "Kumiko.Web Kumiko.Core")]
    [InlineData("Kumiko.Worlds", "Kumiko.Core")]
    [InlineData("Kumiko.Demo", "Kumiko.Web Kumiko.Worlds Kumiko.Core")]
    public void Projects_reference_only_what_is_below_them(string project, string below)
    {
        var text = File.ReadAllText(Path.Combine(Root(), "src", project, project + ".csproj"));
        var references = ProjectReference().Matches(text).Select(m => m.Groups[1].Value);
        Assert.Empty(references.Except(below.Split(' ')));
    }

    [Theory]
    [InlineData("Records", "Records")]
    [InlineData("Frames", "Records Frames")]
    [InlineData("Language", "Records Frames Language")]
    [InlineData("Evaluation", "Records Frames Language Evaluation")]
    [InlineData("Storage", "Records Frames Language Evaluation Storage")]
    [InlineData("Intake", "Records Frames Language Evaluation Storage Intake")]
    [InlineData("Query", "Records Frames Language Evaluation Storage Analysis Query")]
    [InlineData("Analysis", "Records Frames Analysis")]
    [InlineData("Workbench", "Records Frames Language Evaluation Analysis Query Workbench")]
    public void Rooms_of_Core_use_only_what_is_below_them(string room, string below)
    {
        var files = Directory.GetFiles(Path.Combine(Root(), "src", "Kumiko.Core", room), "*.cs", SearchOption.AllDirectories);
        Assert.NotEmpty(files);
        foreach (var file in files)
            Assert.Empty(UsingCore().Matches(File.ReadAllText(file)).Select(m => m.Groups[1].Value).Except(below.Split(' ')));
    }

    [Fact]
    public void Core_knows_no_interface()
    {
        foreach (
            var file in Directory
                .GetFiles(Path.Combine(Root(), "src", "Kumiko.Core"), "*.cs", SearchOption.AllDirectories)
                .Where(f => !f.Contains("/obj/"))
        )
        {
            var text = File.ReadAllText(file);
            Assert.DoesNotContain("Microsoft.AspNetCore", text);
            Assert.DoesNotContain("Console.", text);
        }
    }

    [GeneratedRegex(@"ProjectReference Include=""[^""]*/(Kumiko\.\w+)\.csproj""")]
    private static partial Regex ProjectReference();

    [GeneratedRegex(@"^using Kumiko\.Core\.(\w+)", RegexOptions.Multiline)]
    private static partial Regex UsingCore();
}
