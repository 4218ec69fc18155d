using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Signals;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Kept metrics and spans: what becomes of them with time, copies and a full disk.</summary>
public sealed class SignalTests : StoreTest
{
    private long Now => Instants.FromDateTime(Clock.GetUtcNow());

    private Metric Up(long time) => new("up", "", "", MetricKind.Gauge, Resource.Unknown, InstrumentationScope.None, [new Kumiko.Core.Records.Sample { Time = time, Value = Value.Of(1) }]);

    private static Span Claim(long start) => new() { TraceId = new string('a', 32), SpanId = new string('b', 16), Name = "claim", Start = start, End = start + 5 };

    [Fact]
    public async Task They_go_with_age_counted_from_the_later_of_arrival_and_time()
    {
        using var store = Open(new Retention(Age: Instants.Day));
        var signals = new SignalStore(store, Clock);
        await signals.Append([Up(Now - (30 * Instants.Day))], "hosts");
        await signals.Append([Claim(Now + Instants.Day)], "spans");
        await store.Upkeep.Retain();
        Assert.Single(signals.Metrics(Ever));
        Clock.Advance(TimeSpan.FromHours(25));
        await store.Upkeep.Retain();
        Assert.Empty(signals.Metrics(Ever));
        Assert.Single(signals.Spans(Ever));
    }

    [Fact]
    public async Task They_are_in_a_backup()
    {
        using var store = Open();
        using var kept = new KeptDatabase(Path.Combine(Folder, "kumiko.db"));
        var signals = new SignalStore(store, Clock);
        for (var i = 0; i < 70; i++) await signals.Append([Up(i)], "hosts");
        await signals.Append([Claim(5)], "spans");
        var to = Path.Combine(Folder, "copy");
        await StoreBackup.Run(store, kept, to, null, CancellationToken.None);
        using var copy = Open(path: Path.Combine(to, "records.db"));
        var copied = new SignalStore(copy, Clock);
        Assert.Equal(Enumerable.Range(0, 70).Select(i => (long)i), copied.Metrics(Ever).Select(m => m.Samples[0].Time));
        Assert.Equal("claim", copied.Spans(Ever).Single().Name);
    }

    [Fact]
    public async Task On_a_full_disk_nothing_is_taken_and_that_is_said()
    {
        using var store = Open();
        await store.LimitPages(1);
        var noise = Enumerable.Range(0, 2_000).Select(i => Up(i) with { Name = Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(100)) }).ToList();
        await Assert.ThrowsAsync<DiskFullException>(() => new SignalStore(store, Clock).Append(noise, "hosts"));
    }

    [Fact]
    public async Task The_latest_batch_of_a_source_is_found_and_nothing_is_no_batch()
    {
        using var store = Open();
        var signals = new SignalStore(store, Clock);
        var told = new List<SignalBatch>();
        signals.Committed += told.Add;
        await signals.Append(Array.Empty<Metric>(), "hosts");
        await signals.Append(Array.Empty<Span>(), "hosts");
        Assert.Null(signals.Latest("hosts"));
        await signals.Append([Up(7)], "hosts");
        await signals.Append([Claim(9)], "spans");
        Assert.Equal(("up", "claim"), (signals.Latest("hosts")!.Value.Metrics[0].Name, signals.Latest("spans")!.Value.Spans[0].Name));
        Assert.Equal([new SignalBatch("hosts", true, 1, 7), new SignalBatch("spans", false, 1, 14)], told);
    }
}
