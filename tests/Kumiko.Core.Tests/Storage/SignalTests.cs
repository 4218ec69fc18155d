using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Kept spans: what becomes of them with time, copies and a full disk.</summary>
public sealed class SignalTests : StoreTest
{
    private long Now => Instants.FromDateTime(Clock.GetUtcNow());

    private static Span Claim(long start) =>
        new()
        {
            TraceId = new string('a', 32),
            SpanId = new string('b', 16),
            Name = "claim",
            Start = start,
            End = start + 5,
        };

    [Fact]
    public async Task They_go_with_age_counted_from_the_later_of_arrival_and_time()
    {
        using var store = Open(new Retention(Age: Instants.Day));
        var signals = new SpanStore(store);
        await signals.Append([Claim(Now - (30 * Instants.Day))], "old");
        await signals.Append([Claim(Now + Instants.Day)], "ahead");
        await store.Upkeep.SealAll();
        await store.Upkeep.Retain();
        Assert.Equal(2, signals.Spans(Ever).Count());
        Clock.Advance(TimeSpan.FromHours(25));
        await store.Upkeep.Retain();
        Assert.Empty(signals.Latest("old", 5));
        Assert.Single(signals.Spans(Ever));
    }

    [Fact]
    public async Task One_that_claims_to_last_for_ages_goes_with_the_others()
    {
        using var store = Open(new Retention(Age: Instants.Day));
        var signals = new SpanStore(store);
        await signals.Append(
            [
                new Span
                {
                    TraceId = new string('a', 32),
                    SpanId = new string('b', 16),
                    Name = "claim",
                    Start = Now,
                    End = Now + (200 * 365 * Instants.Day),
                },
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        Clock.Advance(TimeSpan.FromHours(25));
        await store.Upkeep.Retain();
        Assert.Empty(signals.Spans(Ever));
    }

    [Fact]
    public async Task They_are_in_a_backup()
    {
        using var store = Open();
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"));
        var signals = new SpanStore(store);
        for (var i = 0; i < 70; i++)
            await signals.Append([Claim(i)], "spans");
        var to = Path.Combine(Folder, "copy");
        await StoreBackup.Run(store, database, to, null, CancellationToken.None);
        using var copy = Open(path: Path.Combine(to, "records.db"));
        var copied = new SpanStore(copy);
        Assert.Equal(Enumerable.Range(0, 70).Select(i => (long)i), copied.Spans(Ever).Select(m => m.Start));
    }

    [Fact]
    public async Task On_a_full_disk_nothing_is_taken_and_that_is_said()
    {
        using var store = Open();
        await store.LimitPages(1);
        var noise = Enumerable
            .Range(0, 2_000)
            .Select(i =>
            {
                var span = Claim(i);
                return new Span
                {
                    TraceId = span.TraceId,
                    SpanId = span.SpanId,
                    Start = span.Start,
                    End = span.End,
                    Name = Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(100)),
                };
            })
            .ToList();
        await Assert.ThrowsAsync<DiskFullException>(() => new SpanStore(store).Append(noise, "hosts"));
    }

    [Fact]
    public async Task The_latest_batch_of_a_source_is_found_and_nothing_is_no_batch()
    {
        using var store = Open();
        var signals = new SpanStore(store);
        var told = new List<SignalBatch>();
        signals.Committed += told.Add;
        await signals.Append([], "hosts");
        Assert.Empty(signals.Latest("hosts", 5));
        await signals.Append([Claim(7)], "spans");
        await signals.Append([Claim(9)], "spans");
        Assert.Equal([9, 7], signals.Latest("spans", 5).Select(s => s.Start));
        Assert.Equal(9, Assert.Single(signals.Latest("spans", 1)).Start);
        Assert.Equal([new SignalBatch("spans", 1, 12), new SignalBatch("spans", 1, 14)], told);
    }
}
