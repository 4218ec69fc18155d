namespace Kumiko.Core.Sources.Following;

/// <summary>Which files of this machine may be read: those under one folder, wherever links lead.</summary>
/// <param name="root">Null where none may.</param>
public sealed class PathGate(string? root)
{
    /// <summary>The folder; null where no file may be read.</summary>
    public string? Root => root is null ? null : RealOf(Path.GetFullPath(root));

    /// <summary>Whether a file lies under the folder, once all links are followed.</summary>
    public bool Allows(string path) =>
        Path.IsPathFullyQualified(path) && RealOf(Path.GetFullPath(path)) is { } real && IsUnder(real);

    /// <summary>Whether all that a path with * and ? could find lies under the folder, as far as names tell.</summary>
    public bool MayAllow(string pattern) =>
        Path.IsPathFullyQualified(pattern) && IsUnder(RealOf(Fixed(Path.GetFullPath(pattern))) ?? "");

    /// <summary>What stands before the first name with * or ?.</summary>
    private static string Fixed(string pattern)
    {
        var names = pattern.Split('/');
        var fixedNames = names.TakeWhile(n => !PathPattern.IsPattern(n)).ToArray();
        return fixedNames.Length == names.Length ? pattern : string.Join('/', fixedNames) + "/";
    }

    private bool IsUnder(string path) =>
        Root is { } under && (path.TrimEnd('/') + "/").StartsWith(under.TrimEnd('/') + "/", StringComparison.Ordinal);

    /// <summary>A path without links; what is not there is taken as it is. Null where links go round.</summary>
    private static string? RealOf(string path)
    {
        string? real = Path.GetPathRoot(path)!;
        foreach (var name in path[real.Length..].Split('/', StringSplitOptions.RemoveEmptyEntries))
        {
            var next = Path.Combine(real, name);
            try
            {
                var info = new FileInfo(next);
                // A link is told by its attributes also where it leads nowhere.
                real = info.LinkTarget is null ? next : RealOf(info.ResolveLinkTarget(returnFinalTarget: true)!.FullName);
                if (real is null)
                    return null;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return null;
            }
        }
        return real;
    }
}
