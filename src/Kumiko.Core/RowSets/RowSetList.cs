using System.Runtime.CompilerServices;
using Kumiko.Core.Changes;
using Kumiko.Core.Entities;
using Kumiko.Core.Language;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Rules;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Tables;

namespace Kumiko.Core.RowSets;

/// <summary>The stores whose rows can be asked for.</summary>
public sealed record RowStores(
    RecordStore Records,
    MetricStore Metrics,
    RuleStore Rules,
    ChangeStore Changes,
    FailureRules Failures,
    InstanceBook Instances,
    LookupTables Tables
);

/// <summary>All sets of rows besides the logs: a new one is a line here.</summary>
public static class RowSetList
{
    private static readonly (string Name, Func<RowStores, RowSet> Make)[] All =
    [
        ("metrics", stores => new MetricSet(stores.Metrics)),
        ("exemplars", stores => new ExemplarSet(stores.Metrics)),
        ("spans", _ => new SpanSet()),
        ("alerts", stores => new AlertSet(stores.Rules.Alerts)),
        ("changes", stores => new ChangeSet(stores.Changes)),
        ("instances", stores => new InstanceSet(stores.Instances)),
        ("patterns", stores => new PatternSet(stores.Rules.Alerts.CountIn)),
    ];

    /// <summary>What queries of a data folder can reach besides its records.</summary>
    public static QuerySources Sources(RowStores stores) =>
        new(new RowSetBook(All.Select(s => s.Make(stores)), stores.Tables))
        {
            Lookup = stores.Tables.Lookup,
            Failed = stores.Failures.HasFailed,
            Damage = stores.Records.DamageIn,
        };

    /// <summary>Queries know these names before anything of them is asked.</summary>
    // The language stands below the rooms that own rows, so that it cannot ask them for their names.
#pragma warning disable CA2255
    [ModuleInitializer]
#pragma warning restore CA2255
    internal static void Register() => Array.ForEach(All, set => RowSetNames.Add(set.Name));
}
