using System.Runtime.CompilerServices;
using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>All kinds of stages, in the order in which they are mostly used: a new one is a line here.</summary>
public static class StageList
{
    private static readonly Func<StageKind>[] All =
    [
        () => Where.Kind,
        () => Group.Kind,
        () => Parse.Kind,
        () => SetFields.Kind,
        () => Select.Kind,
        () => Highest.Kind,
        () => OrderBy.Kind,
        () => Limit.Kind,
        () => Gaps.Kind,
        () => Join.StageKind,
        () => Union.Kind,
    ];

    /// <summary>Queries know these words before anything is evaluated.</summary>
    // The language stands below the evaluator, so that it cannot ask it for its stages.
#pragma warning disable CA2255
    [ModuleInitializer]
#pragma warning restore CA2255
    internal static void Register() => Array.ForEach(All, kind => StageKinds.Add(kind()));
}
