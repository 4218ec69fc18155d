using System.Text;
using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Language;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>Patterns as people meet them: a field, a list, an id that stays good.</summary>
public sealed class PatternQueryTests : StoreTest
{
    private static readonly long Six = Sample.At("2026-11-23T18:00:00Z");
    private static readonly Window LastHour = new(Six - Instants.Hour, Six);

    private static async Task Take(RecordStore store, IEnumerable<(int Minute, string Service, string Body)> lines)
    {
        var text = string.Join(
            '\n',
            lines.Select(l =>
                $$"""{"time":"{{Instants.Format(Six + (l.Minute * Instants.Minute))}}","service":"{{l.Service}}","body":"{{l.Body}}"}"""
            )
        );
        await new LineIntake(store, TimeProvider.System).Take(
            new MemoryStream(Encoding.UTF8.GetBytes(text)),
            new LineWish("quay"),
            CancellationToken.None
        );
    }

    private static async Task<Frame> Ask(RecordStore store, string text, Window? window = null)
    {
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok, text);
        using var run = new Run(
            new Question("test", parsed, window ?? LastHour, Six, DateTimeZone.Utc, Limits.Default),
            store.Current,
            new QuerySources(new RowSetBook([new PatternSet()]))
        );
        return await run.Frame();
    }

    private static async Task<Dictionary<string, long>> CountsBy(RecordStore store) =>
        (await Ask(store, "| group count() as n by pattern")).Rows.ToDictionary(
            r => store.Patterns.Text(r[0].ToText()) ?? "none",
            r => r[1].AsLong
        );

    private static readonly string[] People =
    [
        "ines",
        "tomas",
        "oluchi",
        "mirek",
        "sunniva",
        "aldo",
        "petra",
        "juno",
        "kasper",
        "bram",
    ];

    private static IEnumerable<(int, string, string)> Busy =>
        Enumerable
            .Range(0, 200)
            .SelectMany(i =>
                new (int, string, string)[]
                {
                    (-1 - (i % 59), "gate-control", $"user {People[i % 10]} signed in from 10.0.0.{i}"),
                    (-1 - (i % 59), "gate-control", $"gate {i} opened"),
                    (
                        -1 - (i % 59),
                        "seat-ledger",
                        i % 3 == 0 ? $"claimed seat {i}A for SK-{i}" : $"claimed seat {i}A for SK-{i}, again"
                    ),
                }
            );

    [Fact]
    public async Task Counts_by_pattern_are_the_same_before_and_after_sealing_merging_and_opening_again()
    {
        Dictionary<string, long> recent;
        string[] ids;
        using (var store = Open())
        {
            foreach (var part in Busy.Chunk(60))
                await Take(store, part);
            recent = await CountsBy(store);
            Assert.Equal([200, 200, 200], recent.Values);
            Assert.Contains("user {user} signed in from {address}", recent.Keys);
            await store.Upkeep.SealAll();
            Assert.Equal(recent, await CountsBy(store));
            ids = [.. (await Ask(store, "| group count() by pattern")).Rows.Select(r => r[0].ToText()).Order()];
        }
        using var again = Open();
        Assert.Equal(recent, await CountsBy(again));
        foreach (var part in Busy.Chunk(100))
        {
            await Take(again, part);
            await again.Upkeep.SealAll();
        }
        while (await again.Upkeep.Merge()) { }
        Assert.Equal(recent.ToDictionary(p => p.Key, p => p.Value * 2), await CountsBy(again));
        Assert.Equal(ids, (await Ask(again, "| group count() by pattern")).Rows.Select(r => r[0].ToText()).Order());
    }

    /// <summary>Whatever is sealed, merged and opened again in between, the same lines are in the same patterns.</summary>
    [Fact]
    public async Task Patterns_do_not_depend_on_when_records_are_sealed_and_merged() =>
        await Gen.Select(Gen.Int[0, 5].Array[6, 14], Gen.Int)
            .SampleAsync(
                async (steps, seed) =>
                {
                    var lines = Busy.ToArray();
                    new Random(seed).Shuffle(lines);
                    var path = Path.Combine(Folder, Guid.NewGuid().ToString("N") + ".db");
                    var store = Open(path: path);
                    var parts = new Queue<(int, string, string)[]>(lines.Chunk(90));
                    foreach (var step in steps)
                        switch (step)
                        {
                            case 0:
                                await store.Upkeep.SealAll();
                                break;
                            case 1:
                                while (await store.Upkeep.Merge()) { }
                                break;
                            case 2:
                                store.Dispose();
                                store = Open(path: path);
                                break;
                            case 3:
                                _ = await CountsBy(store);
                                break;
                            default:
                                if (parts.TryDequeue(out var part))
                                    await Take(store, part);
                                break;
                        }
                    while (parts.TryDequeue(out var rest))
                        await Take(store, rest);
                    var found = (await Ask(store, "| group count() as n by pattern"))
                        .Rows.Select(r => (r[0].ToText(), r[1].AsLong))
                        .Order()
                        .ToArray();
                    store.Dispose();
                    using var plain = Open(path: Path.Combine(Folder, Guid.NewGuid().ToString("N") + ".db"));
                    await Take(plain, Busy);
                    Assert.Equal(
                        (await Ask(plain, "| group count() as n by pattern"))
                            .Rows.Select(r => (r[0].ToText(), r[1].AsLong))
                            .Order(),
                        found
                    );
                },
                iter: Cases.Of(12)
            );

    [Fact]
    public async Task An_id_finds_its_records_and_goes_on_doing_so_when_its_pattern_grows()
    {
        using var store = Open();
        await Take(store, Enumerable.Range(0, 5).Select(i => (-5, "refund-desk", $"refund {i} requested: illness")));
        var early = (await Ask(store, "| group count() by pattern")).Rows.Single()[0].ToText();
        await store.Upkeep.SealAll();
        await Take(
            store,
            new[] { "weather", "duplicate", "missed connection" }.Select(
                (why, i) => (-3, "refund-desk", $"refund {i} requested: {why}")
            )
        );
        await Take(store, [(-2, "refund-desk", "case 7 opened")]);
        Assert.Equal(8, (await Ask(store, $"pattern = {early} | group count() as n")).Rows.Single()[0].AsLong);
        Assert.Equal(1, (await Ask(store, $"pattern != {early} | group count() as n")).Rows.Single()[0].AsLong);
        Assert.Equal(2, (await Ask(store, "| group count() by pattern")).Rows.Count);
        Assert.Equal(0, (await Ask(store, "pattern = #00000000 | group count() as n")).Rows.Single()[0].AsLong);

        // A backup takes the ids of before with it.
        await store.Upkeep.SealAll();
        using var database = new AppDatabase(Path.Combine(Folder, "kumiko.db"));
        await StoreBackup.Run(store, database, Path.Combine(Folder, "copy"), null, CancellationToken.None);
        using var copy = Open(path: Path.Combine(Folder, "copy", "records.db"));
        Assert.Equal(8, (await Ask(copy, $"pattern = {early} | group count() as n")).Rows.Single()[0].AsLong);
    }

    [Fact]
    public async Task The_list_has_counts_trends_and_first_sights()
    {
        using var store = Open();
        await Take(
            store,
            [
                .. Enumerable.Range(0, 30).Select(i => (-100, "gate-control", $"gate {i} opened")),
                .. Enumerable.Range(0, 30).Select(i => (-10, "gate-control", $"gate {i} opened")),
                .. Enumerable.Range(0, 40).Select(i => (-10, "seat-ledger", $"row lock {i} held")),
                .. Enumerable.Range(0, 40).Select(i => (-90, "seat-ledger", $"cache {i} warmed")),
                .. Enumerable.Range(0, 12).Select(i => (-80, "kiosk-ui", $"paper low at {i}")),
                .. Enumerable.Range(0, 60).Select(i => (-9, "kiosk-ui", $"paper low at {i}")),
                (-8, "kiosk-ui", "printer jam"),
                (-500, "kiosk-ui", "long ago"),
            ]
        );
        var frame = await Ask(
            store,
            "from patterns | order by text | select text, service, records, before, factor, trend, first_seen"
        );
        Assert.Equal(
            [
                "cache {cache} warmed|seat-ledger|0|40|0|gone|",
                "gate {gate} opened|gate-control|30|30|1|steady|",
                "paper low at {integer}|kiosk-ui|60|12|5|rising|",
                "printer jam|kiosk-ui|1|0||too few to say|",
                "row lock {integer} held|seat-ledger|40|0||new|",
            ],
            frame.Rows.Select(r => string.Join('|', r.SkipLast(1).Select(v => v.ToText())) + "|")
        );
        Assert.Equal(Six - (100 * Instants.Minute), frame.Rows[1][6].AsLong);
        var joined = await Ask(
            store,
            "with p = (from patterns | select pattern, trend) | group count() as n by pattern | join p on pattern | where `p.trend` = \"new\" | select n"
        );
        Assert.Equal(40, joined.Rows.Single()[0].AsLong);
    }

    [Fact]
    public async Task Endless_kinds_of_lines_are_told_in_the_list_and_no_record_is_lost()
    {
        using var store = Open();
        var random = new Random(4);
        string Word() => new([.. Enumerable.Range(0, 3 + random.Next(6)).Select(_ => (char)('a' + random.Next(26)))]);
        await Take(
            store,
            Enumerable
                .Range(0, 3_000)
                .Select(_ => (-5, "noisy", string.Join(' ', Enumerable.Range(0, 2 + random.Next(9)).Select(_ => Word()))))
        );
        await Take(store, [(-5, "gate-control", "gate 3 opened"), (-4, "gate-control", "gate 4 opened")]);
        var frame = await Ask(store, "from patterns");
        var told = Assert.Single(frame.Rows, r => r[0].IsMissing);
        Assert.Equal("noisy", told[1].AsText);
        Assert.Contains(frame.Rows, r => r[2].ToText() == "gate {gate} opened" && r[3].AsLong == 2);
        Assert.Equal(3_002, (await Ask(store, "| group count() as n by pattern")).Rows.Sum(r => r[1].AsLong));
    }

    [Fact]
    public async Task All_of_time_has_a_list_too()
    {
        using var store = Open();
        await Take(store, Busy);
        Assert.Equal(3, (await Ask(store, "from patterns", Ever)).Rows.Count);
    }
}
