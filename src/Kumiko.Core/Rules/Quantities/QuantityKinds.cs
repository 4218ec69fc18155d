using System.Collections.Immutable;

namespace Kumiko.Core.Rules;

/// <summary>The kinds of quantities, in the order in which they are mostly chosen: a new one is a line here.</summary>
public static class QuantityKinds
{
    private static ImmutableArray<QuantityKind> _all =
    [
        CountOf.Kind,
        ShareOf.Kind,
        DistinctOf.Kind,
        ValueOf.Kind,
        SlowSpans.Kind,
        BudgetBurnt.Kind,
        BurnRate.Kind,
        EachRecord.Kind,
        InOrder.Kind,
    ];

    public static IReadOnlyList<QuantityKind> All => _all;

    /// <summary>Makes a kind known, before the first rule is read.</summary>
    public static void Add(QuantityKind kind) =>
        ImmutableInterlocked.Update(ref _all, (all, added) => all.Any(k => k.Word == added.Word) ? all : all.Add(added), kind);

    public static QuantityKind? Find(string? word) => _all.FirstOrDefault(k => k.Word == word);

    public static QuantityKind Of(Quantity quantity) => _all.First(k => k.Type == quantity.GetType());
}
