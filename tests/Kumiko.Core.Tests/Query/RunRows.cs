using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Query;

/// <summary>All rows of an answer at once, for tests of what is in it.</summary>
internal static class RunRows
{
    public static IReadOnlyList<Value[]> Rows(this Run run) => run.Stream().GetAwaiter().GetResult().Rows();

    public static IReadOnlyList<Value[]> Rows(this FrameStream answer) =>
        answer.Chunks().SelectMany(c => c).ToListAsync().AsTask().GetAwaiter().GetResult();
}
