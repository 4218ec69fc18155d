using System.IO.Enumeration;

namespace Kumiko.Core.Sources.Following;

/// <summary>Finds files by a path whose names may have * and ?.</summary>
public static class PathPattern
{
    /// <summary>More are not looked at.</summary>
    public const int MostFiles = 1_000;

    /// <summary>Whether a name has * or ?.</summary>
    public static bool IsPattern(string name) => name.AsSpan().IndexOfAny('*', '?') >= 0;

    /// <summary>Files of a path, at most a thousand, by name. What may not be read is left out.</summary>
    public static IReadOnlyList<string> Find(string path)
    {
        var root = Path.GetPathRoot(path)!;
        IEnumerable<string> places = [root];
        var names = path[root.Length..].Split('/', StringSplitOptions.RemoveEmptyEntries);
        for (var i = 0; i < names.Length; i++)
        {
            var (name, isLast) = (names[i], i == names.Length - 1);
            places = places.SelectMany(p => Inside(p, name, isLast)).ToList();
        }
        return [.. places.Order(StringComparer.Ordinal).Take(MostFiles)];
    }

    private static IEnumerable<string> Inside(string folder, string name, bool isLast)
    {
        if (!IsPattern(name))
        {
            var path = Path.Combine(folder, name);
            return (isLast ? File.Exists(path) : Directory.Exists(path)) ? [path] : [];
        }
        try
        {
            var found = isLast ? Directory.EnumerateFiles(folder) : Directory.EnumerateDirectories(folder);
            return [.. found.Where(f => FileSystemName.MatchesSimpleExpression(name, Path.GetFileName(f), ignoreCase: false))];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
