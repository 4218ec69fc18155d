using System.Collections.Immutable;

namespace Kumiko.Core.Rules;

/// <summary>The kinds of conditions, in the order in which they are mostly chosen: a new one is a line here.</summary>
public static class ConditionKinds
{
    private static ImmutableArray<ConditionKind> _all =
    [
        Beyond.Kind,
        Moved.Kind,
        Unusual.Kind,
        Silent.Kind,
        NewValue.Kind,
        WillReach.Kind,
        Occurs.Kind,
    ];

    public static IReadOnlyList<ConditionKind> All => _all;

    /// <summary>Makes a kind known, before the first rule is read.</summary>
    public static void Add(ConditionKind kind) =>
        ImmutableInterlocked.Update(ref _all, (all, added) => all.Any(k => k.Word == added.Word) ? all : all.Add(added), kind);

    /// <summary>The kind of a choice of the form.</summary>
    public static ConditionKind? Chosen(string? choice) => _all.FirstOrDefault(k => k.Choices.Any(c => c.Value == choice));

    public static ConditionKind Of(AlertCondition condition) => _all.First(k => k.Type == condition.GetType());
}
