using Kumiko.Core.Sources.Following;

namespace Kumiko.Core.Sources;

/// <summary>Which files of this machine may be read: those under one folder, wherever links lead.</summary>
/// <param name="root">Null where none may.</param>
public sealed class PathGate(string? root)
{
    private readonly string? _root = root is null ? null : RealOf(Path.GetFullPath(root));

    /// <summary>The folder; null where no file may be read.</summary>
    public string? Root => _root;

    /// <summary>Whether a file lies under the folder, once all links are followed.</summary>
    public bool Allows(string path) =>
        _root is not null && Path.IsPathFullyQualified(path) && RealOf(Path.GetFullPath(path)) is { } real && IsUnder(real);

    /// <summary>Whether all that a path with * and ? could find lies under the folder, as far as names tell.</summary>
    public bool MayAllow(string pattern) =>
        _root is not null && Path.IsPathFullyQualified(pattern) && IsUnder(RealOf(Fixed(Path.GetFullPath(pattern))) ?? "");

    /// <summary>What stands before the first name with * or ?.</summary>
    private static string Fixed(string pattern)
    {
        var names = pattern.Split('/');
        var fixedNames = names.TakeWhile(n => !PathPattern.IsPattern(n)).ToArray();
        return fixedNames.Length == names.Length ? pattern : string.Join('/', fixedNames) + "/";
    }

    private bool IsUnder(string path) =>
        path.TrimEnd('/') + "/" is var whole && whole.StartsWith(_root!.TrimEnd('/') + "/", StringComparison.Ordinal);

    /// <summary>A path without links; what is not there is taken as it is. Null where links go round.</summary>
    private static string? RealOf(string path)
    {
        var real = Path.GetPathRoot(path)!;
        foreach (var name in path[real.Length..].Split('/', StringSplitOptions.RemoveEmptyEntries))
        {
            var next = Path.Combine(real, name);
            try
            {
                FileSystemInfo info = Directory.Exists(next) ? new DirectoryInfo(next) : new FileInfo(next);
                real = info.ResolveLinkTarget(returnFinalTarget: true) is { } target ? RealOf(target.FullName) ?? next : next;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return null;
            }
        }
        return real;
    }
}
