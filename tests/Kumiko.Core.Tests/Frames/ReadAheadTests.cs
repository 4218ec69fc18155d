using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;

namespace Kumiko.Core.Tests.Frames;

public class ReadAheadTests
{
    private static Task<bool> Make(Func<bool> next) => Task.Run(next);

    [Theory, InlineData(0), InlineData(1), InlineData(2), InlineData(500)]
    public async Task All_items_come_in_order(int count) =>
        Assert.Equal(Enumerable.Range(0, count), await ReadAhead.One(Enumerable.Range(0, count), Make).ToListAsync());

    [Fact]
    public async Task Nothing_is_made_before_the_first_is_asked_for_and_one_ahead_at_most()
    {
        var made = 0;
        IEnumerable<int> Items()
        {
            while (true)
                yield return Interlocked.Increment(ref made);
        }
        var ahead = ReadAhead.One(Items(), Make);
        Assert.Equal(0, made);
        await using (var each = ahead.GetAsyncEnumerator())
            for (var i = 1; i <= 20; i++)
            {
                Assert.True(await each.MoveNextAsync());
                Assert.Equal(i, each.Current);
                Assert.InRange(Volatile.Read(ref made), i, i + 1);
            }
        // Stopping waits for the one that is being made.
        Assert.Equal(21, made);
    }

    [Fact]
    public async Task What_fails_fails_at_its_place()
    {
        static IEnumerable<int> Items()
        {
            yield return 1;
            throw new QueryRefusedException($"The quay is closed.");
        }
        await using var each = ReadAhead.One(Items(), Make).GetAsyncEnumerator();
        Assert.True(await each.MoveNextAsync());
        Assert.Equal(1, each.Current);
        Assert.Equal(
            "The quay is closed.",
            (await Assert.ThrowsAsync<QueryRefusedException>(async () => await each.MoveNextAsync())).Message
        );
    }

    [Fact]
    public async Task Whoever_stops_ends_the_maker_too()
    {
        var ended = false;
        IEnumerable<int> Items()
        {
            try
            {
                while (true)
                    yield return 1;
            }
            finally
            {
                ended = true;
            }
        }
        Assert.Equal(1, await ReadAhead.One(Items(), Make).FirstAsync());
        Assert.True(ended);
    }
}
