using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;

namespace Kumiko.Core.Tests.Frames;

public class ReadAheadTests
{
    [Theory, InlineData(0), InlineData(1), InlineData(2), InlineData(500)]
    public void All_items_come_in_order(int count) => Assert.Equal(Enumerable.Range(0, count), ReadAhead.One(Enumerable.Range(0, count)));

    [Fact]
    public void Nothing_is_made_before_the_first_is_asked_for_and_one_ahead_at_most()
    {
        var made = 0;
        IEnumerable<int> Items() { while (true) yield return Interlocked.Increment(ref made); }
        var ahead = ReadAhead.One(Items());
        Assert.Equal(0, made);
        using (var each = ahead.GetEnumerator())
            for (var i = 1; i <= 20; i++)
            {
                Assert.True(each.MoveNext());
                Assert.Equal(i, each.Current);
                Assert.InRange(Volatile.Read(ref made), i, i + 1);
            }
        // Stopping waits for the one that is being made.
        Assert.Equal(21, made);
    }

    [Fact]
    public void What_fails_fails_at_its_place()
    {
        static IEnumerable<int> Items()
        {
            yield return 1;
            throw new QueryRefusedException($"The quay is closed.");
        }
        using var each = ReadAhead.One(Items()).GetEnumerator();
        Assert.True(each.MoveNext());
        Assert.Equal(1, each.Current);
        Assert.Equal("The quay is closed.", Assert.Throws<QueryRefusedException>(() => each.MoveNext()).Message);
    }

    [Fact]
    public void Whoever_stops_ends_the_maker_too()
    {
        var ended = false;
        IEnumerable<int> Items()
        {
            try { while (true) yield return 1; }
            finally { ended = true; }
        }
        Assert.Equal(1, ReadAhead.One(Items()).First());
        Assert.True(ended);
    }
}
