using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Query;

/// <summary>The answer of a run as a stream of rows.</summary>
internal static class RunStream
{
    private const int ChunkRows = 1_024;

    /// <param name="reading">Ends with the stream.</param>
    public static async Task<FrameStream> Begin(RunPlan plan, RunWork work, IDisposable? reading)
    {
        try
        {
            // Some of the query is answered while it is put together.
            await work.Make(() => plan.Pipeline is not null);
            var pipeline = plan.Pipeline;
            Func<Row, Value[]> reader = pipeline.IsRecords ? RecordColumns.Reader((RecordScope)pipeline.Scope) : row => row.Slots;
            var parts = InTime(work, plan.Guarded(Answer(plan)).Select(reader).Chunk(ChunkRows));
            return await new FrameStream(pipeline.Schema, Closing(ReadAhead.One(parts, work.Make), reading)).Begin();
        }
        catch
        {
            reading?.Dispose();
            throw;
        }
    }

    /// <summary>The rows of the answer. A group is gathered when its first row is asked for, which is within a turn.</summary>
    private static IEnumerable<Row> Answer(RunPlan plan)
    {
        var (pipeline, executor) = (plan.Pipeline, plan.Executor);
        foreach (var row in pipeline.IsRecords ? pipeline.Answer(executor.Passing(pipeline)) : executor.Answer(pipeline))
            yield return row;
    }

    private static async IAsyncEnumerable<IReadOnlyList<Value[]>> Closing(
        IAsyncEnumerable<IReadOnlyList<Value[]>> parts,
        IDisposable? reading
    )
    {
        using (reading)
            await foreach (var part in parts)
                yield return part;
    }

    private static IEnumerable<Value[][]> InTime(RunWork work, IEnumerable<Value[][]> parts)
    {
        foreach (var part in parts)
        {
            work.LimitNoTime();
            yield return part;
            work.LimitTime();
        }
    }
}
