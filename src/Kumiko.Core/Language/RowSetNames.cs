using System.Collections.Immutable;

namespace Kumiko.Core.Language;

/// <summary>Names behind <c>from</c> that every query knows. Others are known where they are named: look-up tables come and
/// go.</summary>
public static class RowSetNames
{
    /// <summary>What is read where nothing is named.</summary>
    public const string Logs = "logs";

    private static ImmutableArray<string> _all = [Logs];

    public static IReadOnlyList<string> All => _all;

    /// <summary>Makes a name known, once and for all.</summary>
    public static void Add(string name) =>
        ImmutableInterlocked.Update(ref _all, (all, added) => all.Contains(added) ? all : all.Add(added), name);

    public static bool Has(string name) => _all.Contains(name);
}
