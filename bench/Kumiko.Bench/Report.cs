using System.Text;

namespace Kumiko.Bench;

/// <summary>Puts what a run prints into docs/performance.md as well, in the place of what the last run put there.</summary>
internal static class Report
{
    /// <param name="name">Of the run; the document has a place of this name.</param>
    public static async Task Written(string name, Func<Task> run)
    {
        var (console, text) = (Console.Out, new StringBuilder());
        Console.SetOut(new Both(console, text));
        try
        {
            await run();
        }
        finally
        {
            Console.SetOut(console);
        }
        if (Document() is not { } path)
        {
            Console.Error.WriteLine("There is no docs/performance.md above this program, so the figures were printed only.");
            return;
        }
        var document = await File.ReadAllTextAsync(path);
        var (start, end) = ($"<!-- {name} -->\n", $"<!-- end of {name} -->");
        var (from, to) = (document.IndexOf(start, StringComparison.Ordinal), document.IndexOf(end, StringComparison.Ordinal));
        if (from < 0 || to < from)
            throw new InvalidOperationException($"{path} has no place for the figures: a line {start.Trim()} and a line {end}.");
        // The document has headings of its own above these.
        await File.WriteAllTextAsync(
            path,
            document[..(from + start.Length)]
                + text.ToString().Trim().Replace("# ", "### ", StringComparison.Ordinal)
                + "\n"
                + document[to..]
        );
    }

    private static string? Document()
    {
        for (var folder = new DirectoryInfo(AppContext.BaseDirectory); folder is not null; folder = folder.Parent)
            if (Path.Combine(folder.FullName, "docs", "performance.md") is var path && File.Exists(path))
                return path;
        return null;
    }

    private sealed class Both(TextWriter console, StringBuilder text) : TextWriter
    {
        public override Encoding Encoding => console.Encoding;

        public override void Write(char value)
        {
            console.Write(value);
            text.Append(value);
        }

        public override void Write(string? value)
        {
            console.Write(value);
            text.Append(value);
        }

        public override void WriteLine(string? value) => Write(value + "\n");

        public override void WriteLine() => Write('\n');

        public override void Flush() => console.Flush();
    }
}
