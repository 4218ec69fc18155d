using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using NodaTime;

namespace Kumiko.Core.Query.Sliding;

/// <summary>Asks one question for many windows of one length, each as if it were asked alone at its end.</summary>
/// <param name="person">Whose question it is.</param>
/// <param name="parsed">A query without errors that ends in figures.</param>
public sealed class SlidingQuery(string person, ParseResult parsed, DateTimeZone zone, Snapshot snapshot, QuerySources sources)
{
    /// <summary>Windows that are asked one by one, where a query does not fit slices.</summary>
    public const int MostAlone = 400;

    public const int MostKeys = 2_000;
    private const int MostSlices = 600_000;
    private const int MostCells = 6_000_000;

    private static readonly Limits Limits = Evaluation.Limits.Default with
    {
        Keys = MostKeys,
        Steps = MostSlices,
        Rows = MostCells,
    };

    /// <summary>Whether many windows are as quick as one.</summary>
    public bool IsQuick => SlicedWindows.Fits(parsed.Query);

    /// <summary>Whether many windows of a query are as quick as one.</summary>
    public static bool Fits(Language.Query query) => SlicedWindows.Fits(query);

    /// <param name="length">Of each window, in nanoseconds.</param>
    /// <param name="ends">Rising, each once.</param>
    /// <param name="slice">Divides the length and the distances of ends that lie near one another.</param>
    /// <exception cref="QueryRefusedException">The query cannot be answered, or these are too many windows.</exception>
    public async Task<SlidingAnswer> Answer(long length, long slice, IReadOnlyList<long> ends, CancellationToken cancel)
    {
        if (Parameters.WithoutValue(parsed.Query) is [{ Name: var open }, ..])
            throw new QueryRefusedException($":{open} is without a value. Write the value itself.");
        if (ends.Count == 0)
            return new SlidingAnswer([], [], double.NaN);
        var parts = new List<SlidingAnswer>();
        if (IsQuick)
            foreach (var near in Clusters(ends, length))
                parts.Add(await Slide(length, slice, near, cancel));
        else
        {
            if (ends.Count > MostAlone)
                throw new QueryRefusedException(
                    $"This query reads more than slices of time, so each of {ends.Count:N0} windows would be a question of its own; {MostAlone:N0} is the most."
                );
            foreach (var end in ends)
                parts.Add(await Alone(length, end, cancel));
        }
        return Joined(parts, ends);
    }

    /// <summary>Ends that lie so near one another that what is between them is read too.</summary>
    private static IEnumerable<IReadOnlyList<long>> Clusters(IReadOnlyList<long> ends, long length)
    {
        var near = new List<long>();
        foreach (var end in ends)
        {
            if (near.Count > 0 && end - length > near[^1] + Math.Max(length, Instants.Hour))
            {
                yield return near;
                near = [];
            }
            near.Add(end);
        }
        yield return near;
    }

    private async Task<SlidingAnswer> Slide(long length, long slice, IReadOnlyList<long> ends, CancellationToken cancel)
    {
        var window = new Window(ends[0] - length, ends[^1]);
        var count = window.Length / slice;
        if (count > MostSlices)
            throw new QueryRefusedException($"{count:N0} slices of time are too many. Take a longer time between checks.");
        using var run = new Run(new Question(person, parsed, window, ends[^1], zone, Limits), snapshot.Share(), sources)
        {
            Slices = Steps.Even(window.From, slice, (int)count),
        };
        using var reading = run.Attach(cancel);
        return await run.Slide((int)(length / slice), ends);
    }

    private async Task<SlidingAnswer> Alone(long length, long end, CancellationToken cancel)
    {
        using var run = new Run(
            new Question(person, parsed, new Window(end - length, end), end, zone, Limits),
            snapshot.Share(),
            sources
        );
        using var reading = run.Attach(cancel);
        if (!run.IsGrouped)
            throw new QueryRefusedException($"The answer has no figure. Add a group, such as group count().");
        var frame = await run.Frame();
        var aggregate =
            parsed.Query.Stages.Count > 0 && parsed.Query.Stages[^1] is Group { Aggregates: [{ Expr: Call call }, ..] }
                ? AggregateKinds.Of(call)
                : null;
        var collector = new SlidingCollector(frame.Schema, [end], aggregate);
        foreach (var row in frame.Rows)
            collector.Add(0, row, null);
        return collector.Finish();
    }

    private static SlidingAnswer Joined(List<SlidingAnswer> parts, IReadOnlyList<long> ends)
    {
        if (parts.Count == 1)
            return parts[0];
        var lines = new Dictionary<string, SlidingLine>(StringComparer.Ordinal);
        var at = 0;
        foreach (var part in parts)
        {
            foreach (var line in part.Lines)
            {
                if (!lines.TryGetValue(line.Name, out var whole))
                {
                    lines.Add(
                        line.Name,
                        whole = new SlidingLine(line.Name, line.Keys, new double[ends.Count], new bool[ends.Count])
                    );
                    Array.Fill(whole.Values, part.Nothing);
                }
                line.Values.CopyTo(whole.Values, at);
                line.Seen.CopyTo(whole.Seen, at);
            }
            at += part.Ends.Count;
        }
        return new SlidingAnswer(ends, [.. lines.Values.OrderBy(l => l.Name, StringComparer.Ordinal)], parts[0].Nothing)
        {
            Unit = parts[0].Unit,
            Kind = parts.Select(p => p.Kind).FirstOrDefault(k => k != ValueKind.Decimal, ValueKind.Decimal),
        };
    }
}
