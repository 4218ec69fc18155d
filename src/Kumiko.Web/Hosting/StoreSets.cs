using Kumiko.Core.Changes;
using Kumiko.Core.Query;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Signals;
using Kumiko.Core.Tables;

namespace Kumiko.Web.Hosting;

/// <summary>What queries of a data folder can reach besides its records.</summary>
public static class StoreSets
{
    public static QuerySources Of(
        RecordStore records,
        MetricStore metrics,
        SignalStore signals,
        RuleStore rules,
        ChangeStore changes,
        LookupTables tables
    ) =>
        new(
            (name, window) =>
                name switch
                {
                    "spans" => SpanSet.Read(signals, window),
                    "alerts" => AlertSet.Read(rules.Alerts, window),
                    "changes" => ChangeSet.Read(changes, window),
                    _ => tables.Read(name, window),
                }
        )
        {
            Metrics = metrics,
            Lookup = tables.Lookup,
            Tables = tables.Names,
            Damage = records.DamageIn,
        };
}
