using System.Collections.Concurrent;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>Builders that are kept for the next batch, with the shapes that they know.</summary>
internal static class BuilderPool
{
    private const int MostKept = 8;

    private static readonly ConcurrentBag<RecordBlockBuilder> Free = [];

    public static RecordBlockBuilder Rent() => Free.TryTake(out var builder) ? builder : new RecordBlockBuilder();

    /// <summary>Takes an empty builder back. One that an error left half filled is not to come back.</summary>
    public static void Return(RecordBlockBuilder builder)
    {
        if (builder.Count == 0 && builder.BytesHeld <= RecordBlockBuilder.MostHeld && Free.Count < MostKept)
            Free.Add(builder);
    }
}
