using CsCheck;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Core.Tests.Storage;

public sealed class UpkeepTests : StoreTest
{
    private long Now => Instants.FromDateTime(Clock.GetUtcNow());

    private static LogRecord Record(long time, string body = "gate 3 opened", long? observed = null) =>
        new()
        {
            Time = time,
            Observed = observed ?? time,
            Body = body,
            SeverityNumber = Severity.Info,
            Source = "quay",
        };

    private List<LogRecord> Many(int count, long? from = null, long step = 1_000_000) =>
        [.. Enumerable.Range(0, count).Select(i => Record((from ?? Now) + (i * step), $"gate {i} opened"))];

    private enum Step
    {
        Take,
        TakeOther,
        SealAll,
        Seal,
        Merge,
        Retain,
        Sweep,
        Pin,
        Unpin,
        Later,
        Reopen,
    }

    private static readonly Gen<Step> Steps = Gen.Frequency(
        (6, Gen.Const(Step.Take)),
        (2, Gen.Const(Step.TakeOther)),
        (4, Gen.Const(Step.SealAll)),
        (2, Gen.Const(Step.Seal)),
        (4, Gen.Const(Step.Merge)),
        (2, Gen.Const(Step.Retain)),
        (3, Gen.Const(Step.Sweep)),
        (3, Gen.Const(Step.Pin)),
        (2, Gen.Const(Step.Unpin)),
        (3, Gen.Const(Step.Later)),
        (1, Gen.Const(Step.Reopen))
    );

    [Fact]
    public Task Any_interleaving_gives_each_snapshot_exactly_its_records() =>
        Gen.Select(Steps.List[1, 60], Gen.Int)
            .SampleAsync(
                async (steps, seed) =>
                {
                    var path = Path.Combine(Folder, Guid.NewGuid().ToString("N"), "records.db");
                    Directory.CreateDirectory(Path.GetDirectoryName(path)!);
                    var random = new Random(seed);
                    var retention = new Retention(
                        20 * Instants.Hour,
                        null,
                        new Dictionary<string, long> { ["import"] = 60 * Instants.Hour }
                    );
                    var store = Open(retention, path);
                    var pinned = new List<(Snapshot Snapshot, List<LogRecord> Records)>();
                    try
                    {
                        foreach (var step in steps)
                        {
                            var before = All(store);
                            switch (step)
                            {
                                case Step.Take or Step.TakeOther:
                                    var source = step == Step.Take ? "quay" : "import";
                                    var batch = Enumerable
                                        .Range(0, random.Next(1, 40))
                                        .Select(i => Sample.Random(random.Next(), Now - random.NextInt64(3 * Instants.Hour)))
                                        .Select(r => new LogRecord
                                        {
                                            Time = r.Time,
                                            Observed = r.Time,
                                            Body = r.Body,
                                            Attributes = r.Attributes,
                                            Resource = r.Resource,
                                            SeverityNumber = r.SeverityNumber,
                                            TraceId = r.TraceId,
                                            Source = source,
                                        })
                                        .ToList();
                                    await store.Append(batch, source);
                                    Assert.Equal(before.Concat(batch).Select(r => r.Id).Order(), All(store).Select(r => r.Id));
                                    break;
                                case Step.SealAll:
                                    await store.Upkeep.SealAll();
                                    break;
                                case Step.Seal:
                                    await store.Upkeep.Seal();
                                    break;
                                case Step.Merge:
                                    await store.Upkeep.Merge();
                                    break;
                                case Step.Sweep:
                                    await store.Upkeep.Sweep();
                                    break;
                                case Step.Later:
                                    Clock.Advance(TimeSpan.FromHours(random.Next(1, 30)));
                                    break;
                                case Step.Pin:
                                    var snapshot = store.Current;
                                    pinned.Add((snapshot, All(snapshot)));
                                    break;
                                case Step.Unpin when pinned.Count > 0:
                                    pinned[0].Snapshot.Dispose();
                                    pinned.RemoveAt(0);
                                    break;
                                case Step.Retain:
                                    await store.Upkeep.Retain();
                                    var left = All(store).Select(r => r.Id).ToHashSet();
                                    Assert.Subset(before.Select(r => r.Id).ToHashSet(), left);
                                    Assert.All(
                                        before.Where(r => Math.Max(r.Time, r.Observed) >= Now - retention.AgeOf(r.Source)),
                                        r => Assert.Contains(r.Id, left)
                                    );
                                    break;
                                case Step.Reopen:
                                    foreach (var (held, _) in pinned)
                                        held.Dispose();
                                    pinned.Clear();
                                    store.Dispose();
                                    store = Open(retention, path);
                                    break;
                            }
                            if (step is not (Step.Take or Step.TakeOther or Step.Retain))
                                Same(before, All(store));
                            foreach (var (held, records) in pinned)
                                Same(records, All(held));
                        }
                        Assert.Empty(store.Notices);
                        var report = StoreCheck.Run(store, null, CancellationToken.None);
                        Assert.Empty(report.Problems);
                        Assert.Equal(store.Count, report.Records);
                    }
                    finally
                    {
                        foreach (var (held, _) in pinned)
                            held.Dispose();
                        store.Dispose();
                    }
                    var after = StoreCheck.Run(path, null, CancellationToken.None);
                    Assert.Empty(after.Problems);
                    Directory.Delete(Path.GetDirectoryName(path)!, true);
                },
                iter: Cases.Of(60),
                threads: 1
            );

    [Fact]
    public async Task A_full_source_is_sealed_at_once_and_a_quiet_one_after_a_quarter_of_an_hour()
    {
        using var store = Open();
        await store.Append(Many(20), "quay");
        Assert.False(await store.Upkeep.Seal());
        await store.Append(Many(SegmentWriter.SealedRows), "busy");
        Assert.True(await store.Upkeep.Seal());
        using (var snapshot = store.Current)
        {
            var segment = Assert.Single(snapshot.Segments).Segment;
            Assert.Equal(("busy", SegmentWriter.SealedRows), (segment.Source, segment.Rows));
        }
        Assert.False(await store.Upkeep.Seal());
        Clock.Advance(TimeSpan.FromMinutes(15));
        await store.Append(Many(5), "import");
        Assert.True(await store.Upkeep.Seal());
        using var all = store.Current;
        Assert.Equal([null, "busy"], all.Segments.Select(s => s.Segment.Source).Order());
        Assert.Equal(SegmentWriter.SealedRows + 25, store.Count);
    }

    [Fact]
    public async Task Large_records_end_a_segment_by_their_bytes()
    {
        using var store = Open();
        await store.Append(
            [.. Enumerable.Range(0, 5).Select(i => Record(Now + i, new string((char)('a' + i), 3 << 20)))],
            "quay"
        );
        Assert.True(await store.Upkeep.Seal());
        using var snapshot = store.Current;
        Assert.Equal([2, 2, 1], snapshot.Segments.Select(s => s.Segment).OrderBy(s => s.MinTime).Select(s => s.Rows));
    }

    [Fact]
    public async Task Small_segments_are_merged_by_fours_and_a_record_is_rewritten_three_times_at_most()
    {
        using var store = Open();
        for (var i = 0; i < 70; i++)
        {
            await store.Append(Many(3, Now + (i * Instants.Second)), "quay");
            await store.Upkeep.SealAll();
            while (await store.Upkeep.Merge()) { }
        }
        using (var snapshot = store.Current)
        {
            Assert.InRange(snapshot.Segments.Count(), 1, 12);
            Assert.InRange(snapshot.Segments.Max(s => s.Segment.Merges), 2, 3);
        }
        Assert.Equal(210, All(store).Count);
        Clock.Advance(TimeSpan.FromHours(8));
        while (await store.Upkeep.Merge()) { }
        using var closed = store.Current;
        Assert.InRange(closed.Segments.Count(), 1, 3);
    }

    [Fact]
    public async Task Age_drops_whole_segments_but_not_what_was_imported_lately()
    {
        using var store = Open(new Retention(Age: 30 * Instants.Day));
        var old = Now - (40 * Instants.Day);
        await store.Append([Record(old, "old")], "quay");
        await store.Append([Record(old, "imported lately", observed: Now)], "import");
        await store.Append([Record(Now, "new")], "busy");
        foreach (var _ in Enumerable.Range(0, 3))
            await store.Upkeep.SealAll();
        // One segment holds the two old ones of the day, and is young because of the import.
        Assert.Equal(0, await store.Upkeep.Retain());
        Clock.Advance(TimeSpan.FromDays(31));
        Assert.Equal(2, await store.Upkeep.Retain());
        Assert.Empty(All(store));
    }

    [Fact]
    public async Task Size_drops_the_oldest_gives_the_disk_back_and_remembers_the_first_sight()
    {
        var random = new Random(1);
        var first = Now;
        using (var store = Open(new Retention(Bytes: 2 << 20)))
        {
            for (var day = 0; day < 12; day++)
            {
                await store.Append(
                    [
                        .. Enumerable
                            .Range(0, 2_000)
                            .Select(i => new LogRecord
                            {
                                Time = Now + i,
                                Observed = Now,
                                Body =
                                    $"ref {random.NextInt64():x16} {random.NextInt64():x16} {random.NextInt64():x16} {random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}{random.NextInt64():x16}",
                                Attributes = new Attributes(["terminal"], [Value.Of("Orra")]),
                            }),
                    ],
                    "quay"
                );
                await store.Upkeep.SealAll();
                Clock.Advance(TimeSpan.FromDays(1));
            }
            await store.Database.Checkpoint();
            var before = new FileInfo(File).Length;
            var held = store.Current;
            var dropped = await store.Upkeep.Retain();
            Assert.InRange(dropped, 5, 11);
            Assert.Equal((12 - dropped) * 2_000, store.Count);
            Assert.Equal(0, await store.Upkeep.Sweep());
            Assert.Equal(24_000, All(held).Count);
            held.Dispose();
            Assert.Equal(dropped, await store.Upkeep.Sweep());
            using (var left = store.Current)
                Assert.InRange(left.Segments.Sum(s => s.Segment.Bytes), 1, 2 << 20);
            await store.Database.Checkpoint();
            // Some free pages stay for the next batches.
            Assert.InRange(new FileInfo(File).Length, 1, before - (dropped * 200_000) + (16 << 20));
            Assert.Equal(first, store.FirstSeen("terminal"));
        }
        using var again = Open();
        Assert.Equal(first, again.FirstSeen("terminal"));
        Assert.Equal(first, again.Templates.All.Min(t => t.FirstSeen));
    }

    [Fact]
    public async Task Sequences_are_never_given_twice_even_when_all_is_dropped()
    {
        using (var store = Open(new Retention(Age: Instants.Hour)))
        {
            await store.Append(Many(10), "quay");
            await store.Upkeep.SealAll();
            Clock.Advance(TimeSpan.FromDays(1));
            Assert.Equal(1, await store.Upkeep.Retain());
            await store.Upkeep.Sweep();
        }
        using var again = Open();
        await again.Append([Record(Now)], "quay");
        Assert.Equal(10, Assert.Single(All(again)).Sequence);
    }

    [Fact]
    public async Task A_full_disk_stops_intake_and_sealing_harms_nothing_and_heals()
    {
        using var store = Open(new Retention(Bytes: 1));
        await store.Append(Many(5_000), "quay");
        await store.Upkeep.SealAll();
        await store.Append(Many(5_000), "quay");
        var before = All(store);
        var pages = await store.Database.Writer.Write(c =>
        {
            using var ask = c.CreateCommand();
            ask.CommandText = "PRAGMA page_count";
            return (long)ask.ExecuteScalar()!;
        });
        await store.LimitPages(pages);
        await Assert.ThrowsAsync<DiskFullException>(() =>
            store.Append(
                [
                    Record(
                        Now,
                        new string('x', 3 << 20)
                            + Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(200_000))
                    ),
                ],
                "quay"
            )
        );
        Same(before, All(store));
        // Removing old records needs no new pages, and makes room.
        Assert.Equal(1, await store.Upkeep.Retain());
        Assert.Equal(1, await store.Upkeep.Sweep());
        await store.LimitPages(1_000_000);
        await store.Append([Record(Now, "after")], "quay");
        Assert.Equal(5_001, All(store).Count);
        Assert.Empty(StoreCheck.Run(store, null, CancellationToken.None).Problems);
    }

    [Fact]
    public async Task The_reserve_is_given_up_for_retention_and_taken_again()
    {
        using var store = new RecordStore(
            File,
            Clock,
            new RecordStoreOptions(Retention.None, Background: false, ReserveBytes: 1 << 20)
        );
        var reserve = Path.Combine(Folder, "reserve");
        Assert.Equal(1 << 20, new FileInfo(reserve).Length);
        await store.Append(Many(SegmentWriter.SealedRows), "quay");
        var pages = await store.Database.Writer.Write(c =>
        {
            using var ask = c.CreateCommand();
            ask.CommandText = "PRAGMA page_count";
            return (long)ask.ExecuteScalar()!;
        });
        await store.LimitPages(pages);
        await Assert.ThrowsAsync<DiskFullException>(() => store.Upkeep.SealAll());
        Assert.False(System.IO.File.Exists(reserve));
        Assert.Equal(SegmentWriter.SealedRows, All(store).Count);
        await store.LimitPages(1_000_000);
        await store.Upkeep.SealAll();
        await store.Upkeep.Sweep();
        Assert.True(System.IO.File.Exists(reserve));
        Assert.Equal(SegmentWriter.SealedRows, All(store).Count);
    }

    [Fact]
    public async Task Upkeep_runs_by_itself()
    {
        using var store = new RecordStore(File, Clock);
        for (var i = 0; i < 5; i++)
            await store.Append(Many(SegmentWriter.SealedRows, Now + (i * Instants.Minute)), "quay");
        Assert.True(
            SpinWait.SpinUntil(
                () =>
                {
                    using var s = store.Current;
                    return s.Segments.Any(x => x.Segment.Merges == 1) && s.Batches.Count <= 2;
                },
                TimeSpan.FromSeconds(60)
            )
        );
        Assert.Equal(5 * SegmentWriter.SealedRows, All(store).Count);
        Assert.Empty(store.Notices);
    }

    [Fact]
    public async Task A_folder_of_before_segments_opens_and_keeps_everything()
    {
        var records = Enumerable.Range(0, 500).Select(i => Sample.Random(i)).ToList();
        using (var old = new Microsoft.Data.Sqlite.SqliteConnection("Data Source=" + File + ";Pooling=False"))
        {
            old.Open();
            void Run(string sql, params (string, object)[] parameters)
            {
                using var command = old.CreateCommand();
                command.CommandText = sql;
                foreach (var (name, value) in parameters)
                    command.Parameters.AddWithValue(name, value);
                command.ExecuteNonQuery();
            }
            using var reader = new StreamReader(
                typeof(RecordStore).Assembly.GetManifestResourceStream("Kumiko.Core.Storage.Migrations.records-001-recent.sql")!
            );
            Run("PRAGMA page_size = 16384; PRAGMA auto_vacuum = INCREMENTAL; PRAGMA journal_mode = WAL;");
            Run(reader.ReadToEnd());
            Run("PRAGMA user_version = 1");
            Run(
                "INSERT INTO recent VALUES (0, 300, 0, 0, 1, 'quay', $b)",
                ("$b", BatchCodec.Encode(RecordBlock.Of(records[..300])))
            );
            Run(
                "INSERT INTO recent VALUES (300, 200, 0, 0, 2, 'import', $b)",
                ("$b", BatchCodec.Encode(RecordBlock.Of(records[300..])))
            );
        }
        for (var i = 0; i < records.Count; i++)
            records[i].Sequence = i;
        using var store = Open();
        Same([.. records.OrderBy(r => r.Id)], All(store));
        await store.Upkeep.SealAll();
        Same([.. records.OrderBy(r => r.Id)], All(store));
        await store.Append([Sample.Refusal], "quay");
        Assert.Contains(All(store), r => r.Sequence == 500);
    }

    [Fact]
    public async Task Days_are_kept_apart_also_when_merging_and_odd_clocks_do_no_harm()
    {
        using var store = Open();
        var clocks = new[] { "1970-01-01T00:00:00Z", "1969-12-31T23:59:59Z", "2200-01-01T00:00:00Z", "2026-11-23T17:00:00Z" };
        for (var i = 0; i < 8; i++)
        {
            await store.Append([.. clocks.Select(c => Record(Sample.At(c) + i, observed: Now))], "quay");
            await store.Upkeep.SealAll();
        }
        while (await store.Upkeep.Merge()) { }
        Clock.Advance(TimeSpan.FromDays(3));
        while (await store.Upkeep.Merge()) { }
        using var snapshot = store.Current;
        Assert.Equal(4, snapshot.Segments.Select(s => s.Segment.Day).Distinct().Count());
        Assert.All(snapshot.Segments, s => Assert.Equal(Segment.DayOf(s.MinTime), Segment.DayOf(s.MaxTime)));
        Assert.Equal(32, All(store).Count);
        Assert.Equal(
            8,
            snapshot
                .NewestFirst(
                    new Window(Sample.At("2199-01-01T00:00:00Z"), long.MaxValue),
                    BatchTest.All,
                    null,
                    CancellationToken.None
                )
                .Count()
        );
    }

    [Fact]
    public async Task A_notice_of_a_full_disk_goes_when_it_is_well_again()
    {
        using var store = new RecordStore(File, Clock);
        // Too few to be sealed by their number, so that nothing is sealed before the disk is full.
        var random = new Random(1);
        for (var i = 0; i < 15; i++)
            await store.Append(
                [
                    .. Enumerable
                        .Range(0, 1_000)
                        .Select(n => Record(Now + n, $"ref {random.NextInt64():x16}{random.NextInt64():x16}")),
                ],
                "quay"
            );
        var pages = await store.Database.Writer.Write(c =>
        {
            using var ask = c.CreateCommand();
            ask.CommandText = "PRAGMA page_count";
            return (long)ask.ExecuteScalar()!;
        });
        await store.LimitPages(pages + 2);
        var kept = store.Count;
        // They are old enough to be sealed after a quarter of an hour.
        Assert.True(
            SpinWait.SpinUntil(
                () =>
                {
                    Clock.Advance(TimeSpan.FromSeconds(10));
                    return store.Notices.Any(n => n.Contains("disk is full", StringComparison.Ordinal));
                },
                TimeSpan.FromSeconds(60)
            )
        );
        await store.LimitPages(1_000_000);
        Assert.True(
            SpinWait.SpinUntil(
                () =>
                {
                    Clock.Advance(TimeSpan.FromSeconds(10));
                    return store.Notices.Count == 0;
                },
                TimeSpan.FromSeconds(30)
            )
        );
        Assert.Equal(kept, All(store).Count);
    }

    [Fact]
    public async Task Retention_runs_by_itself_from_the_start()
    {
        using (var store = Open())
        {
            await store.Append(Many(10), "quay");
            await store.Upkeep.SealAll();
        }
        Clock.Advance(TimeSpan.FromDays(2));
        using var again = new RecordStore(File, Clock, new RecordStoreOptions(new Retention(Age: Instants.Day)));
        Assert.True(
            SpinWait.SpinUntil(
                () =>
                {
                    Clock.Advance(TimeSpan.FromSeconds(10));
                    return again.Count == 0;
                },
                TimeSpan.FromSeconds(30)
            )
        );
    }

    [Fact]
    public async Task A_size_counts_metrics_and_spans_too_and_leaves_records_half_of_it()
    {
        async Task<long> Left(bool withMetrics)
        {
            var folder = Directory.CreateDirectory(Path.Combine(Folder, withMetrics ? "a" : "b")).FullName;
            const long Most = 600_000;
            using var store = Open(new Retention(Bytes: Most), path: Path.Combine(folder, "records.db"));
            using var metrics = new MetricStore(store, Clock, MetricOptions.Default with { Background = false });
            var random = new Random(1);
            if (withMetrics)
            {
                await metrics.Append(
                    [
                        new Metric(
                            "noise",
                            "",
                            "",
                            MetricKind.Gauge,
                            Resource.Unknown,
                            InstrumentationScope.None,
                            [
                                .. Enumerable
                                    .Range(0, 100_000)
                                    .Select(i => new Core.Records.Sample
                                    {
                                        Time = Instants.FromDateTime(Clock.GetUtcNow()) - (i * 1_000L),
                                        Value = Value.Of(random.NextDouble()),
                                    }),
                            ]
                        ),
                    ],
                    "hosts"
                );
                await metrics.Upkeep.Seal();
            }
            for (var i = 0; i < 12; i++)
            {
                await new SpanStore(store).Append(
                    [
                        .. Enumerable
                            .Range(0, 2_000)
                            .Select(n => new Span
                            {
                                TraceId = Convert.ToHexStringLower(Bytes(random, 16)),
                                SpanId = Convert.ToHexStringLower(Bytes(random, 8)),
                                Name = Convert.ToHexStringLower(Bytes(random, 20)),
                                Start = Instants.FromDateTime(Clock.GetUtcNow()) + n,
                                End = Instants.FromDateTime(Clock.GetUtcNow()) + n,
                            }),
                    ],
                    "quay"
                );
                await store.Upkeep.SealAll();
                Clock.Advance(TimeSpan.FromMinutes(1));
            }
            await store.Upkeep.Retain();
            using var snapshot = store.Current;
            return snapshot.AllSegments.Sum(s => s.Segment.Bytes);
        }

        static byte[] Bytes(Random random, int count)
        {
            var bytes = new byte[count];
            random.NextBytes(bytes);
            return bytes;
        }

        Assert.InRange(await Left(withMetrics: false), 450_000, 600_000);
        Assert.InRange(await Left(withMetrics: true), 150_000, 300_000);
    }
}
