using Kumiko.Core.Storage.Segments;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Storage;

public sealed class KeptColumnsTests
{
    private const int Rows = 1_000;

    private readonly FakeTimeProvider _clock = new();

    private static long Key(long segment, SegmentColumn column = SegmentColumn.Severity) => Segment.KeyOf(segment, column);

    private static byte[] Bytes(int seed) => [.. Enumerable.Range(0, Rows).Select(i => (byte)(i + seed))];

    [Fact]
    public void What_was_offered_is_found_as_it_was()
    {
        var kept = new ColumnCache(1 << 20, _clock);
        var bytes = Bytes(1);
        kept.Offer(Key(1), bytes, Rows);
        bytes[0] = 99;
        kept.Offer(Key(1, SegmentColumn.Rest), [], Rows);
        Assert.Equal(Bytes(1), kept.Find(Key(1))!.Span);
        // That a segment has no such column is worth knowing too.
        Assert.True(kept.Find(Key(1, SegmentColumn.Rest))!.Span.IsEmpty);
        Assert.Null(kept.Find(Key(2)));
        // Giving it back gives nothing away.
        kept.Find(Key(1))!.Dispose();
        Assert.Equal(Bytes(1), kept.Find(Key(1))!.Span);
    }

    [Theory, InlineData(4 * Rows, true), InlineData(5 * Rows, false)]
    public void Wide_columns_are_not_kept(int length, bool isKept)
    {
        var kept = new ColumnCache(1 << 20, _clock);
        kept.Offer(Key(1), new byte[length], Rows);
        Assert.Equal(isKept, kept.Find(Key(1)) is not null);
    }

    [Fact]
    public void A_question_over_more_than_fits_finds_the_same_part_each_time()
    {
        var kept = new ColumnCache(10 * (Rows + 160), _clock);
        for (var again = 0; again < 3; again++)
        {
            var found = 0;
            for (var segment = 0; segment < 40; segment++)
            {
                if (kept.Find(Key(segment)) is not null)
                    found++;
                else
                    kept.Offer(Key(segment), Bytes(segment), Rows);
                _clock.Advance(TimeSpan.FromMilliseconds(100));
            }
            Assert.Equal(again == 0 ? 0 : 10, found);
            Assert.Equal(10 * (Rows + 160), kept.Size);
        }
    }

    [Fact]
    public void What_nobody_used_for_a_while_makes_room_for_what_is_used_now()
    {
        var kept = new ColumnCache(2 * (Rows + 160), _clock);
        kept.Offer(Key(1), Bytes(1), Rows);
        kept.Offer(Key(2), Bytes(2), Rows);
        _clock.Advance(TimeSpan.FromSeconds(20));
        _ = kept.Find(Key(1));
        _clock.Advance(TimeSpan.FromSeconds(20));
        kept.Offer(Key(3), Bytes(3), Rows);
        kept.Offer(Key(4), Bytes(4), Rows);
        Assert.Equal([1, 3], new long[] { 1, 2, 3, 4 }.Where(s => kept.Find(Key(s)) is not null));
    }

    [Fact]
    public void A_forgotten_segment_leaves_nothing()
    {
        var kept = new ColumnCache(1 << 20, _clock);
        foreach (var segment in new long[] { 1, 2 })
        foreach (var column in new[] { SegmentColumn.Severity, SegmentColumn.FirstField, SegmentColumn.FirstField + 4_000 })
            kept.Offer(Key(segment, column), Bytes(7), Rows);
        kept.Forget(1);
        Assert.Null(kept.Find(Key(1)));
        Assert.Null(kept.Find(Key(1, SegmentColumn.FirstField + 4_000)));
        Assert.NotNull(kept.Find(Key(2)));
        kept.Forget(2);
        Assert.Equal(0, kept.Size);
    }
}
