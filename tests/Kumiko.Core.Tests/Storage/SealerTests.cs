using CsCheck;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Core.Tests.Storage;

/// <summary>What is sealed, merged and dropped when: choices, without a file.</summary>
public sealed class SealerTests
{
    private static LogRecord At(long time, int length = 10, long sequence = 0) =>
        new()
        {
            Time = time,
            Observed = time,
            Body = new string('x', length),
            Sequence = sequence,
        };

    [Fact]
    public void Cut_records_are_all_there_sorted_within_a_day_and_within_the_limits() =>
        Gen.Select(Gen.Long[-3 * Instants.Day, 3 * Instants.Day], Gen.Int[0, 2_000])
            .Array[1, 300]
            .Sample(
                records =>
                {
                    var input = records.Select((r, i) => At(r.Item1, r.Item2, i)).ToList();
                    RecordBlock[] blocks = [.. input.Chunk(70).Select(RecordBlock.Of)];
                    var parts = Sealer.Cut(blocks, 40, 20_000).Select(rows => BlockGather.Of(blocks, rows)).ToList();
                    Assert.Equal(
                        input.OrderBy(r => r.Id).Select(r => (r.Id, r.Body.Length)),
                        parts.SelectMany(p => p.Records).Select(r => (r.Id, r.Body.Length))
                    );
                    foreach (var part in parts)
                    {
                        Assert.InRange(part.Count, 1, 40);
                        Assert.Equal(Segment.DayOf(part.Times[0]), Segment.DayOf(part.Times[^1]));
                        Assert.True(part.Count == 1 || part.Size <= 20_000);
                    }
                },
                iter: Cases.Of(300)
            );

    [Theory]
    [InlineData(16_384, 1)]
    [InlineData(16_385, 2)]
    [InlineData(30_000, 2)]
    [InlineData(32_769, 3)]
    public void Parts_are_about_equal(int rows, int parts)
    {
        var cut = Sealer
            .Cut([RecordBlock.Of(Enumerable.Range(0, rows).Select(i => At(i)))], SegmentWriter.SealedRows, long.MaxValue)
            .ToList();
        Assert.Equal(parts, cut.Count);
        Assert.InRange(cut.Min(p => p.Length), rows / parts, (rows / parts) + 1);
    }

    [Theory]
    [InlineData("1969-12-31T23:59:59.999999999Z", -1)]
    [InlineData("1970-01-01T00:00:00Z", 0)]
    [InlineData("1970-01-02T00:00:00Z", 1)]
    [InlineData("2026-11-23T17:00:00Z", 20_780)]
    public void A_day_begins_at_midnight_of_utc(string time, long day) => Assert.Equal(day, Segment.DayOf(Sample.At(time)));

    private static RecentTier Tier(params (string Source, int Rows, int Length, long Received)[] batches)
    {
        var tier = new RecentTier();
        foreach (var (source, rows, length, received) in batches)
            tier.Add(new RecentEntry(0, RecordBlock.Of(Enumerable.Range(0, rows).Select(i => At(i, length))), source, received));
        return tier;
    }

    [Fact]
    public void Nothing_is_sealed_while_it_is_neither_full_nor_old()
    {
        var tier = Tier(("quay", 100, 10, 0));
        Assert.Null(Sealer.Choose(tier, Retention.None, Sealer.OldestUnsealed - 1, all: false));
        Assert.NotNull(Sealer.Choose(tier, Retention.None, Sealer.OldestUnsealed, all: false));
        Assert.NotNull(Sealer.Choose(tier, Retention.None, 0, all: true));
        Assert.Null(Sealer.Choose(new RecentTier(), Retention.None, 0, all: true));
    }

    [Fact]
    public void A_full_source_goes_alone_and_no_more_of_it_than_is_sealed_at_once()
    {
        var tier = Tier([("quiet", 10, 10, 0), .. Enumerable.Repeat(("busy", 10_000, 10, 0L), 10)]);
        var chosen = Sealer.Choose(tier, Retention.None, 0, all: false)!.Value;
        Assert.Equal("busy", chosen.Source);
        Assert.Equal(60_000, chosen.Entries.Sum(e => e.Block.Count));
    }

    [Fact]
    public void A_source_of_large_records_is_full_by_its_bytes()
    {
        var chosen = Sealer.Choose(Tier(("quay", 3, 3 << 20, 0)), Retention.None, 0, all: false);
        Assert.Equal("quay", chosen?.Source);
    }

    [Fact]
    public void Quiet_sources_share_but_for_those_with_a_retention_of_their_own()
    {
        var retention = new Retention(Sources: new Dictionary<string, long> { ["audit"] = Instants.Day });
        var tier = Tier(("quay", 5, 10, 0), ("audit", 5, 10, 0), ("import", 5, 10, 0));
        var first = Sealer.Choose(tier, retention, Sealer.OldestUnsealed, all: false)!.Value;
        Assert.Equal(("audit", 1), (first.Source, first.Entries.Count));
        tier.Remove(first.Entries.ToHashSet());
        var second = Sealer.Choose(tier, retention, Sealer.OldestUnsealed, all: false)!.Value;
        Assert.Equal((null, 2), (second.Source, second.Entries.Count));
        tier.Remove(second.Entries.ToHashSet());
        Assert.Equal((0L, 0L), (tier.Bytes, tier.BytesOf("quay")));
    }

    [Fact]
    public async Task Whoever_waits_for_room_is_told_when_something_was_sealed()
    {
        var tier = Tier(("quay", 5, 10, 0));
        var shrunk = tier.Shrunk;
        Assert.False(shrunk.IsCompleted);
        tier.Remove(tier.Entries.ToHashSet());
        await shrunk;
        Assert.False(tier.Shrunk.IsCompleted);
    }

    [Fact]
    public void Retention_of_a_source_stands_before_that_of_all()
    {
        var retention = new Retention(30 * Instants.Day, null, new Dictionary<string, long> { ["audit"] = 365 * Instants.Day });
        Assert.Equal(365 * Instants.Day, retention.AgeOf("audit"));
        Assert.Equal(30 * Instants.Day, retention.AgeOf("quay"));
        Assert.Equal(30 * Instants.Day, retention.AgeOf(null));
        Assert.Null(Retention.None.AgeOf("quay"));
        Assert.False(retention.MayShare("audit"));
        Assert.True(retention.MayShare("quay"));
    }

    [Fact]
    public void The_least_recently_used_goes_first()
    {
        var cache = new LeastRecentlyUsed<string>(10);
        string Get(long id, string made) => cache.Get(id, () => (made, 4));
        Assert.Equal("a", Get(1, "a"));
        Assert.Equal("b", Get(2, "b"));
        Assert.Equal("a", Get(1, "again"));
        Assert.Equal("c", Get(3, "c"));
        Assert.Equal("a", Get(1, "again"));
        Assert.Equal("new", Get(2, "new"));
        cache.Remove(1);
        Assert.Equal("other", Get(1, "other"));
        Assert.Equal("large", cache.Get(9, () => ("large", 1_000)));
        Assert.Equal("large", cache.Get(9, () => ("made twice", 1_000)));
    }

    [Fact]
    public void Pins_tell_whether_an_older_version_is_still_read()
    {
        var pins = new SnapshotPins();
        var first = pins.Take();
        var version = pins.Replace([RecentBatch.Of(RecordBlock.Of([At(1)]))]);
        Assert.True(pins.IsReadBefore(version));
        var shared = first.Share();
        first.Dispose();
        first.Dispose();
        Assert.True(pins.IsReadBefore(version));
        shared.Dispose();
        Assert.False(pins.IsReadBefore(version));
        Assert.Throws<ObjectDisposedException>(() => first.Share());
        using var newest = pins.Take();
        Assert.Equal((1L, 1L), (newest.Count, pins.CountOf(Signal.Logs)));
        Assert.False(pins.IsReadBefore(version));
    }

    [Fact]
    public void Notices_are_few_and_each_is_told_once()
    {
        var notices = new NoticeList();
        for (var i = 0; i < 300; i++)
            notices.Add($"Segment {i % 150} is damaged.");
        Assert.Equal(100, notices.All.Count);
        Assert.Equal(notices.All.Count, notices.All.Distinct().Count());
        Assert.Equal("Segment 149 is damaged.", notices.All[^1]);
    }
}
