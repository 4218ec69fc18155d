namespace Kumiko.House.Tests;

/// <summary>The files that this was built from.</summary>
internal static class Repository
{
    private static readonly string[] NotOurs = ["node_modules", "dist", "obj", "bin", ".git"];

    public static string Root { get; } = Found();

    /// <summary>Paths of all files with such an ending, from the root, with slashes; what is built or fetched is left out.</summary>
    public static IEnumerable<string> Files(params string[] endings) =>
        Below(new DirectoryInfo(Root))
            .Where(f => endings.Contains(f.Extension))
            .Select(f => Path.GetRelativePath(Root, f.FullName).Replace('\\', '/'))
            .Order(StringComparer.Ordinal);

    /// <summary>The lines of a list that lies beside these tests, without remarks and blank lines.</summary>
    public static string[] List(string name) =>
        [
            .. File.ReadAllLines(Path.Combine(Root, "tests", "Kumiko.House.Tests", name))
                .Where(line => line.Length > 0 && line[0] != '#'),
        ];

    private static string Found()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Kumiko.slnx")))
            folder = folder.Parent;
        return folder.FullName;
    }

    private static IEnumerable<FileInfo> Below(DirectoryInfo folder) =>
        folder.EnumerateFiles().Concat(folder.EnumerateDirectories().Where(d => !NotOurs.Contains(d.Name)).SelectMany(Below));
}
