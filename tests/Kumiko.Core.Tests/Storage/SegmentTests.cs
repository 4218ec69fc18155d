using System.Text;
using CsCheck;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Tests.Storage;

public sealed class SegmentTests : StoreTest
{
    private static readonly Gen<string> OddText = Gen.OneOf(
        Gen.String[Gen.Char['\u0001', '\u04ff'], 0, 30],
        Gen.OneOf(
            "",
            " ",
            "-",
            "0",
            "-0",
            "007",
            "1.50",
            "-0.0",
            "0.05",
            "10.20.3.4",
            "256.1.1.1",
            "5be8f0a1",
            "5BE8F0A1",
            "ab",
            "3f2504e0-4f89-11d3-9a0c-0305e82c3301",
            "seat 12",
            "seat 13",
            "wait 412ms",
            "v1.4.2",
            "\u0000",
            "a\u0000b",
            "𝄞 clef",
            "ı İ ſ K",
            "x -5",
            "--5",
            "- 5",
            "e\u0301",
            "9223372036854775808",
            "ticket SK-40417-B refused: seat already claimed after 812ms"
        )
    );

    private static readonly Gen<Value> Scalar = Gen.OneOf(
        OddText.Select(Value.Of),
        Gen.Long.Select(Value.Of),
        Gen.Double.Select(Value.Of),
        Gen.Int[-5, 5].Select(i => Value.Of(i / 4.0)),
        Gen.Bool.Select(Value.Of),
        Gen.Long.Select(Value.Duration),
        Gen.Long.Select(Value.Size),
        Gen.Long.Select(Value.Time),
        Gen.Int[1, 24].Select(Value.Level),
        Gen.Const(Value.Missing)
    );

    private static readonly Gen<Value> AnyValue = Gen.Frequency(
        (8, Scalar),
        (1, Scalar.Array[0, 3].Select(Value.Of)),
        (1, Gen.Select(Scalar, Scalar, (a, b) => Value.Of(new Attributes(["inner", "a.b"], [a, b]))))
    );

    private static readonly Gen<Attributes> Fields = Gen.Select(
        Gen.OneOf("terminal", "wait", "status", "x.y", "naïve", "").Array[0, 5],
        AnyValue.Array[5],
        (names, values) =>
        {
            var distinct = names.Distinct().ToArray();
            return new Attributes(distinct, values[..distinct.Length]);
        }
    );

    private static readonly Gen<long> Times = Gen.Frequency(
        (6, Gen.Long[0, 1_000].Select(ms => Sample.At("2026-11-23T17:00:00Z") + (ms * 1_000_000))),
        (
            1,
            Gen.OneOf(
                0L,
                -1L,
                long.MinValue,
                long.MaxValue - 1,
                Sample.At("1970-01-01T00:00:00Z"),
                Sample.At("2200-06-01T12:00:00Z"),
                Sample.At("2026-11-23T23:59:59.999999999Z")
            )
        )
    );

    internal static readonly Gen<LogRecord> AnyRecord =
        from time in Times
        from observed in Gen.Long
        from severity in Gen.Int[0, 24]
        from body in OddText
        from fields in Fields
        from resource in Gen.OneOf(Gen.Const(Attributes.Empty), Fields)
        from texts in Gen.OneOf(Gen.Const((string?)null), OddText.Select(t => (string?)t)).Array[3]
        from source in Gen.OneOf("quay", "import")
        select new LogRecord
        {
            Time = time,
            Observed = observed,
            SeverityNumber = severity,
            Body = body,
            Attributes = fields,
            Resource = new Resource(resource),
            SeverityText = texts[0],
            TraceId = texts[1],
            SpanId = texts[2],
            Source = source,
        };

    [Fact]
    public Task Any_records_come_back_identical_and_in_order_from_recent_sealed_and_merged() =>
        AnyRecord
            .List[1, 60]
            .SampleAsync(
                async records =>
                {
                    var path = Path.Combine(Folder, Guid.NewGuid().ToString("N"), "records.db");
                    Directory.CreateDirectory(Path.GetDirectoryName(path)!);
                    using var store = Open(path: path);
                    for (var i = 0; i < records.Count; i += 13)
                        await store.Append(records[i..Math.Min(records.Count, i + 13)], records[i].Source);
                    var expected = records.OrderBy(r => r.Id).ToList();
                    Same(expected, All(store));
                    await store.Upkeep.SealAll();
                    using (var sealedNow = store.Current)
                        Assert.All(sealedNow.Batches, b => Assert.IsType<SegmentBatch>(b));
                    Same(expected, All(store));
                    Clock.Advance(TimeSpan.FromDays(2));
                    while (await store.Upkeep.Merge()) { }
                    Same(expected, All(store));
                    using var again = store.Current;
                    Assert.Equal(
                        expected.Select(r => r.Id).Reverse(),
                        again.NewestFirst(Ever, BatchTest.All, null, CancellationToken.None).Select(r => r.Id)
                    );
                    Assert.Empty(store.Notices);
                },
                iter: Cases.Of(60),
                threads: 1
            );

    [Fact]
    public Task A_long_reading_through_segments_that_overlap_gives_whole_records_in_order_from_any_place_on() =>
        Gen.Select(AnyRecord.List[20, 80], Gen.Int[3, 10], Gen.Int[0, 19])
            .SampleAsync(
                async (records, each, place) =>
                {
                    var path = Path.Combine(Folder, Guid.NewGuid().ToString("N"), "records.db");
                    Directory.CreateDirectory(Path.GetDirectoryName(path)!);
                    using var store = Open(path: path);
                    foreach (var some in records.Chunk(each))
                    {
                        await store.Append(some, "quay");
                        await store.Upkeep.SealAll();
                    }
                    var expected = records.OrderBy(r => r.Id).ToList();
                    using var snapshot = store.Current;
                    Assert.True(snapshot.Batches.Count > 1);
                    Same(expected, All(snapshot));
                    Same(
                        [.. expected.Skip(place + 1)],
                        [.. snapshot.OldestFirst(Ever, BatchTest.All, expected[place].Id, CancellationToken.None)]
                    );
                    Same(
                        [.. expected.Take(place).Reverse()],
                        [.. snapshot.NewestFirst(Ever, BatchTest.All, expected[place].Id, CancellationToken.None)]
                    );
                    // Whoever stops in the middle leaves nothing behind that the next reader meets.
                    Same(
                        [.. expected.Take(place)],
                        [.. snapshot.OldestFirst(Ever, BatchTest.All, null, CancellationToken.None).Take(place)]
                    );
                    Same(expected, All(snapshot));
                    Assert.Empty(store.Notices);
                },
                iter: Cases.Of(40),
                threads: 1
            );

    [Fact]
    public async Task Resources_whose_values_are_written_alike_but_are_of_other_kinds_stay_apart()
    {
        using var store = Open();
        Value[] alike = [Value.Of(2), Value.Size(2), Value.Duration(2 * Instants.Second), Value.Of(2.0), Value.Of("2")];
        var expected = alike
            .Select(
                (value, i) =>
                    new LogRecord
                    {
                        Time = i,
                        Observed = i,
                        Body = "berthed",
                        Source = "quay",
                        Resource = new Resource(new Attributes(["lanes"], [value])),
                    }
            )
            .ToList();
        foreach (var record in expected)
        {
            await store.Append([record], "quay");
            await store.Upkeep.SealAll();
        }
        using var snapshot = store.Current;
        var read = snapshot
            .Segments.SelectMany(s => s.Scan(null, scan => Enumerable.Range(0, s.Count).Select(scan.Record).ToList()))
            .OrderBy(r => r.Time)
            .ToList();
        Assert.Equal(alike, read.Select(r => r.Resource.Attributes.Get("lanes")));
    }

    [Fact]
    public async Task Long_bodies_and_thousands_of_fields_come_back()
    {
        using var store = Open();
        var records = Enumerable
            .Range(0, 300)
            .Select(i => new LogRecord
            {
                Time = Sample.At("2026-11-23T17:00:00Z") + i,
                Observed = i,
                Body = (i % 50, i % 7) switch
                {
                    (0, _) => string.Concat(Enumerable.Repeat($"line {i} of a trace\n", 2_000)),
                    (_, 0) => "odd\0body",
                    _ => $"gate {i} opened for Tarnhead",
                },
                Attributes = new Attributes(
                    ["terminal", $"rare.{i}", "wait", $"other.{i % 90}"],
                    [Value.Of("Tarnhead"), Value.Of(i), Value.Of($"{i}ms"), Value.Of(i * 0.5)]
                ),
                Source = "quay",
            })
            .ToList();
        records.Add(
            new LogRecord
            {
                Time = records[0].Time,
                Observed = 1,
                Body = new string('x', 4 << 20),
                Source = "quay",
            }
        );
        await store.Append(records, "quay");
        var expected = records.OrderBy(r => r.Id).ToList();
        await store.Upkeep.SealAll();
        Same(expected, All(store));
        using var snapshot = store.Current;
        var segment = Assert.Single(snapshot.Segments);
        Assert.InRange(segment.OpenRows(true).Fields.Keys.Length, 2, 520);
    }

    [Fact]
    public async Task A_segment_never_crosses_a_day_and_knows_its_bounds()
    {
        using var store = Open();
        var times = new[]
        {
            "1970-01-01T00:00:00Z",
            "2026-11-22T23:59:59.999Z",
            "2026-11-23T00:00:00Z",
            "2026-11-23T12:00:00Z",
            "2200-01-01T00:00:00Z",
        };
        await store.Append(
            [
                .. times.Select(
                    (t, i) =>
                        new LogRecord
                        {
                            Time = Sample.At(t),
                            Observed = 5,
                            Body = $"b{i}",
                            SeverityNumber = i == 3 ? Severity.Error : Severity.Info,
                        }
                ),
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        using var snapshot = store.Current;
        var segments = snapshot.Segments.Select(s => s.Segment).OrderBy(s => s.MinTime).ToList();
        Assert.Equal([1, 1, 2, 1], segments.Select(s => s.Rows));
        Assert.All(segments, s => Assert.Equal(Segment.DayOf(s.MinTime), Segment.DayOf(s.MaxTime)));
        Assert.Equal((1 << 3) | (1 << 5), segments[2].SeverityMask);
        Assert.Equal("quay", segments[0].Source);
    }

    [Fact]
    public async Task Counts_by_minute_agree_with_the_records()
    {
        using var store = Open();
        await store.Append([.. Enumerable.Range(0, 3_000).Select(i => Sample.Random(i))], "quay");
        await store.Upkeep.SealAll();
        using var snapshot = store.Current;
        foreach (var segment in snapshot.Segments)
        {
            var rows = segment.OpenRows(true);
            var expected = Enumerable
                .Range(0, rows.Count)
                .Select(i => rows[i])
                .GroupBy(r =>
                    (
                        Minute: Math.Floor((double)r.Time / Instants.Minute),
                        Service: r.Resource.Service.ToText(),
                        Band: Severity.Band(r.SeverityNumber)
                    )
                )
                .ToDictionary(g => g.Key, g => g.Count());
            var counts = segment.Counts();
            Assert.Equal(counts.OrderBy(c => c.Minute).Select(c => c.Minute), counts.Select(c => c.Minute));
            Assert.Equal(
                expected,
                counts.ToDictionary(c => (Math.Floor((double)c.Minute / Instants.Minute), c.Service, c.Band), c => c.Count)
            );
        }
    }

    [Fact]
    public async Task Alike_records_share_a_template_whose_gaps_hold_what_differs()
    {
        using var store = Open();
        var gate = new Resource(new Attributes(["service.name"], [Value.Of("gate-control")]));
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 500)
                    .Select(i => new LogRecord
                    {
                        Time = i,
                        Observed = 0,
                        Resource = gate,
                        Body = $"ticket SK-{40000 + i}-B refused: seat already claimed after {i}ms",
                    }),
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        using var snapshot = store.Current;
        var segment = Assert.Single(snapshot.Segments);
        var bodies = segment.OpenRows(true).Bodies;
        Assert.Equal("ticket \0 refused: seat already claimed after \0", Assert.Single(segment.Templates()).Text);
        var text = new Kumiko.Core.Storage.Columns.ByteWriter();
        bodies.Variables(0, 0).Append(17, text);
        Assert.Equal("SK-40017-B", Encoding.UTF8.GetString(text.Written));
        Assert.InRange(segment.Segment.Bytes, 100, 6_000);
    }
}
