using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>A question for the figures of a quantity at the ends of windows, and the ways to ask it.</summary>
public sealed class ValueRequest(
    RuleDefinition definition,
    IReadOnlyList<long> ends,
    ObjectiveCounts objectives,
    Snapshot snapshot,
    QuerySources sources,
    CancellationToken cancel
)
{
    public RuleDefinition Definition => definition;

    /// <summary>Ends of windows, rising.</summary>
    public IReadOnlyList<long> Ends => ends;

    public ObjectiveCounts Objectives => objectives;

    /// <summary>A query as somebody wrote it.</summary>
    /// <exception cref="QueryRefusedException">It cannot be read; the message says why.</exception>
    public static ParseResult Parsed(string text)
    {
        var parsed = QueryParser.Parse(text);
        return parsed.Ok ? parsed : throw new QueryRefusedException($"{parsed.Errors[0].Describe(text)}");
    }

    /// <inheritdoc cref="Parsed"/>
    public ParseResult Read(string text) => Parsed(text);

    /// <summary>The same for windows of another length.</summary>
    public ValueRequest WithLength(long length) =>
        new(definition with { InTheLast = length }, ends, objectives, snapshot, sources, cancel) { Slice = Slice };

    /// <summary>The same for windows of one slice each, at other ends.</summary>
    public ValueRequest WithSlices(long length, IReadOnlyList<long> at) =>
        new(definition with { InTheLast = length }, at, objectives, snapshot, sources, cancel) { Slice = length };

    /// <summary>The stretch of which windows are put together; nanoseconds.</summary>
    private long Slice { get; init; } = definition.Slice;

    /// <summary>The first figure of a query that ends in a group.</summary>
    public Task<SlidingAnswer> Ask(ParseResult query) =>
        new SlidingQuery("rule", query, definition.TimeZone, snapshot, sources).Answer(definition.InTheLast, Slice, ends, cancel);

    /// <summary>An aggregate of the rows of a query for each key of the rule.</summary>
    public Task<SlidingAnswer> Each(Language.Query rows, string aggregate, params Expr[] arguments)
    {
        var call = new Call(aggregate, new Seq<Expr>(arguments));
        return Ask(ParseResult.Of(rows.Grouped(call, definition.Keys.Select(k => new Field(k)))));
    }

    /// <summary>How many rows of one query there are for each of another, by key.</summary>
    /// <param name="least">With fewer of the whole there is no figure.</param>
    public async Task<SlidingAnswer> Share(Language.Query part, Language.Query whole, long least)
    {
        var all = await Each(whole, "count");
        var some = await Each(part, "count");
        var parts = some.Lines.ToDictionary(l => l.Name, StringComparer.Ordinal);
        SlidingLine ShareOf(SlidingLine line)
        {
            var found = parts.GetValueOrDefault(line.Name);
            var values = new double[ends.Count];
            for (var i = 0; i < values.Length; i++)
                values[i] =
                    line.Values[i] < Math.Max(1, least)
                        ? double.NaN
                        : SlidingCollector.Rounded((found?.Values[i] ?? 0) / line.Values[i]);
            return line with { Values = values };
        }
        return new SlidingAnswer(ends, [.. all.Lines.Select(ShareOf)], double.NaN) { Unit = "1" };
    }
}
