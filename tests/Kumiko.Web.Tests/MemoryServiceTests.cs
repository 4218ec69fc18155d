using Kumiko.Web.Background;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Web.Tests;

/// <summary>Memory is given back when much is held, and not again and again where it is in use.</summary>
public sealed class MemoryServiceTests
{
    private const long Megabyte = 1 << 20;

    /// <summary>How often it was collected, where each look finds so much and a collection leaves so much.</summary>
    private static int Collections(long left, params long[] held)
    {
        var (now, times) = (0L, 0);
        var memory = new MemoryService(
            new FakeTimeProvider(),
            () => false,
            () => now,
            () =>
            {
                now = left;
                times++;
            }
        );
        foreach (var more in held)
        {
            now = more;
            memory.CollectIfGrown();
        }
        return times;
    }

    [Fact]
    public void Little_memory_is_let_be() => Assert.Equal(0, Collections(0, 0, 100 * Megabyte, MemoryService.Enough - 1));

    [Fact]
    public void Much_is_collected_each_time_it_has_grown() =>
        Assert.Equal(
            2,
            Collections(100 * Megabyte, MemoryService.Enough, 150 * Megabyte, 200 * Megabyte, MemoryService.Enough + Megabyte)
        );

    [Fact]
    public void What_is_in_use_is_not_collected_again_until_it_has_grown_by_half() =>
        Assert.Equal(
            2,
            Collections(600 * Megabyte, 700 * Megabyte, 700 * Megabyte, 899 * Megabyte, 900 * Megabyte, 800 * Megabyte)
        );

    [Fact]
    public void What_a_peak_left_behind_comes_back_within_a_minute()
    {
        var (clock, isBusy, held, inUse) = (new FakeTimeProvider(), false, 6_000 * Megabyte, 5_900 * Megabyte);
        var memory = new MemoryService(clock, () => isBusy, () => held, () => held = inUse);
        memory.CollectIfGrown();
        Assert.Equal(inUse, held);
        // The queries end; nothing grows any more.
        inUse = 200 * Megabyte;
        for (var i = 0; i < 60; i++)
        {
            clock.Advance(TimeSpan.FromSeconds(1));
            memory.CollectIfGrown();
        }
        Assert.Equal(inUse, held);
    }

    [Fact]
    public void Where_it_frees_nothing_it_is_tried_less_and_less()
    {
        var (clock, times) = (new FakeTimeProvider(), 0);
        var memory = new MemoryService(clock, () => false, () => 900 * Megabyte, () => times++);
        for (var i = 0; i < 3_600; i++)
        {
            memory.CollectIfGrown();
            clock.Advance(TimeSpan.FromSeconds(1));
        }
        Assert.InRange(times, 2, 9);
    }

    [Fact]
    public void Nobody_is_stopped_while_queries_hold_what_they_use()
    {
        var (busy, times) = (true, 0);
        var memory = new MemoryService(new FakeTimeProvider(), () => busy, () => 2_000 * Megabyte, () => times++);
        memory.CollectIfGrown();
        Assert.Equal(0, times);
        busy = false;
        memory.CollectIfGrown();
        Assert.Equal(1, times);
    }
}
