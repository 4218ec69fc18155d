namespace Kumiko.House.Tests;

/// <summary>No line of code is longer than the formatter's width, but for those of a list that only shrinks.</summary>
public sealed class LineLengthTests
{
    private const int Width = 130;

    [Fact]
    public void Lines_are_no_longer_than_the_width()
    {
        var allowed = Repository
            .List("long-lines.txt")
            .Select(line => line.Split(' '))
            .ToDictionary(p => p[1], p => int.Parse(p[0]));
        var found = Repository
            .Files(".cs", ".cshtml", ".js", ".css")
            .Select(file =>
                (File: file, Long: File.ReadLines(Path.Combine(Repository.Root, file)).Count(line => line.Length > Width))
            )
            .Where(f => f.Long > 0)
            .ToDictionary(f => f.File, f => f.Long);
        var more = found.Where(f => f.Value > allowed.GetValueOrDefault(f.Key)).Select(f => $"{f.Value} {f.Key}");
        var fewer = allowed
            .Where(a => a.Value > found.GetValueOrDefault(a.Key))
            .Select(a => $"{found.GetValueOrDefault(a.Key)} {a.Key}");
        Assert.True(!more.Any(), $"Lines of more than {Width} characters came in. Break them:\n{string.Join('\n', more)}");
        Assert.True(!fewer.Any(), $"Fewer long lines are left. Write so in long-lines.txt:\n{string.Join('\n', fewer)}");
    }
}
