using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>The figures of a rule's quantity at many instants.</summary>
/// <param name="objectives">An objective by its id; null where there is none.</param>
public sealed class RuleValueReader(QuerySources sources, Func<long, Objective?> objectives)
{
    /// <summary>What objectives count.</summary>
    public ObjectiveCounts Objectives { get; } = new(objectives);

    /// <param name="ends">Ends of windows, rising, a whole number of slices apart where they lie near one another.</param>
    /// <exception cref="QueryRefusedException">A query cannot be answered.</exception>
    public Task<SlidingAnswer> At(
        RuleDefinition definition,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    ) => definition.Quantity.Values(Request(definition, ends, snapshot, cancel));

    /// <summary>A question for figures at the ends of windows.</summary>
    public ValueRequest Request(
        RuleDefinition definition,
        IReadOnlyList<long> ends,
        Snapshot snapshot,
        CancellationToken cancel
    ) => new(definition, ends, Objectives, snapshot, sources, cancel);

    /// <summary>Makes a query on single records ready, and forgets it.</summary>
    /// <exception cref="QueryRefusedException">It cannot be asked; the message says why.</exception>
    internal void Probe(string query, RuleDefinition definition, Snapshot snapshot)
    {
        using var run = new Run(
            new Question("rule", ValueRequest.Parsed(query), new Frames.Window(0, 1), 1, definition.TimeZone, Limits.Default),
            snapshot.Share(),
            sources
        );
        run.Reader(definition.Keys);
        if (!run.ReadsRecords)
            throw new QueryRefusedException($"Only records come in one by one. Take “from” away, or count instead.");
    }
}
