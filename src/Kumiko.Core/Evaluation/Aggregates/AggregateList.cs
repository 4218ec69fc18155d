using System.Runtime.CompilerServices;

namespace Kumiko.Core.Evaluation;

/// <summary>All aggregates, in the order in which they are mostly used: a new one is a line here.</summary>
public static class AggregateList
{
    private static readonly Func<AggregateKind>[] All =
    [
        () => new Count { Choice = "how many" },
        () => new Distinct { Choice = "how many different" },
        () => new Sum { Choice = "sum" },
        () => new Average { Choice = "mean" },
        () => new Smallest { Choice = "lowest" },
        () => new Largest { Choice = "highest" },
        () => Percentile.Of("median", 0.5, "the middle value", "median"),
        () => Percentile.Of("p50", 0.5, "50th percentile"),
        () => Percentile.Of("p75", 0.75, "75th percentile"),
        () => Percentile.Of("p90", 0.9, "90th percentile", "90th percentile"),
        () => Percentile.Of("p95", 0.95, "95th percentile", "95th percentile"),
        () => Percentile.Of("p99", 0.99, "99th percentile", "99th percentile"),
        () => Percentile.Of("p999", 0.999, "99.9th percentile"),
        () => Percentile.Any(),
        () => new StandardDeviation(),
        () => new First(),
        () => new Last { Choice = "last" },
        () => new PerSecond { Choice = "counter, a second" },
        () => new Growth { Choice = "counter, growth" },
        () => new Share(),
        () => new Correlate(),
    ];

    /// <summary>Queries know these names before anything is evaluated.</summary>
    // The language stands below the evaluator, so that it cannot ask it for its aggregates.
#pragma warning disable CA2255
    [ModuleInitializer]
#pragma warning restore CA2255
    internal static void Register() => Array.ForEach(All, kind => AggregateKinds.Add(kind()));
}
