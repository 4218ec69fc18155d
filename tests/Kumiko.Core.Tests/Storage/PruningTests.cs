using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Tests.Evaluation;
using NodaTime;

namespace Kumiko.Core.Tests.Storage;

public sealed class PruningTests : StoreTest
{
    private static readonly Gen<string> Conditions = Gen.OneOf(
        Gen.OneOf(
            "refused",
            "refus*",
            "\"at the gate\"",
            "Tarnhead",
            "tarnhead",
            "ORRA",
            "deep",
            "\"deep\"",
            "7",
            "500",
            "naïve",
            "NAÏVE",
            "00f1",
            "true",
            "gate-t3",
            "production",
            "\"a b\"",
            "nothing",
            "a.b",
            "2.5",
            "400ms",
            "\"\""
        ),
        Gen.OneOf("level >= warn", "level = info", "level < debug", "level != error", "level in (error, fatal)"),
        Gen.OneOf(
            "terminal = Tarnhead",
            "terminal = \"Orra\"",
            "terminal = Or*",
            "service = gate-control",
            "host = gate-t3",
            "x = 7",
            "x = a",
            "wait = 400ms",
            "wait = \"400ms\"",
            "x in (Tarnhead, Orra)",
            "terminal != Orra",
            "inner = deep",
            "x.inner = deep",
            "source = quay",
            "body = \"refused at the gate\"",
            "resource.host.name = gate-t3"
        ),
        SegmentTests.AnyRecord.Select(r => r.Body.Length == 0 ? "x" : Keywords.Quote(r.Body))
    );

    private static readonly Gen<string> Queries = Conditions
        .Array[1, 3]
        .SelectMany(parts => Gen.OneOf(" and ", " or ", " and not ").Select(glue => string.Join(glue, parts)));

    [Fact]
    public Task A_segment_left_out_holds_no_match() =>
        Gen.Select(Queries.Array[1, 20], Gen.Int[0, 5_000].Array[1, 12], SegmentTests.AnyRecord.Array[0, 6])
            .SampleAsync(
                async (queries, seeds, odd) =>
                {
                    var path = Path.Combine(Folder, Guid.NewGuid().ToString("N"), "records.db");
                    Directory.CreateDirectory(Path.GetDirectoryName(path)!);
                    using var store = Open(path: path);
                    foreach (var seed in seeds)
                    {
                        await store.Append([Sample.Random(seed)], "quay");
                        if (seed % 3 == 0)
                            await store.Upkeep.SealAll();
                    }
                    if (odd.Length > 0)
                        await store.Append(odd, "quay");
                    await store.Upkeep.SealAll();
                    var all = All(store);
                    foreach (var text in queries)
                    {
                        var parsed = QueryParser.Parse(text);
                        if (!parsed.Ok)
                            continue;
                        var oracle = Oracle.Of(text, Ever);
                        using var run = new Run(
                            new Question("test", parsed, Ever, 0, DateTimeZone.Utc, Limits.Default),
                            store.Current
                        );
                        Assert.Equal(oracle.Records(all).Select(r => r.Id), run.Passing(null).Select(r => r.Id));
                        // A part of a segment, where counts of minutes come in.
                        var part = new Window(all[all.Count / 3].Time, all[all.Count / 2].Time + 1);
                        using var narrow = new Run(
                            new Question("test", parsed, part, 0, DateTimeZone.Utc, Limits.Default),
                            store.Current
                        );
                        Assert.Equal(
                            Oracle.Of(text, part).Records(all).Select(r => r.Id),
                            narrow.Passing(null).Select(r => r.Id)
                        );
                    }
                },
                iter: Cases.Of(80),
                threads: 1
            );

    [Fact]
    public async Task A_rare_word_opens_only_the_segments_that_have_it()
    {
        using var store = Open();
        for (var i = 0; i < 6; i++)
        {
            await store.Append(
                [
                    .. Enumerable
                        .Range(0, 200)
                        .Select(n => new LogRecord
                        {
                            Time = (i * Instants.Day) + n,
                            Observed = 0,
                            Body = $"gate {n} opened for ref{i}a{n}",
                            SeverityNumber = i == 2 ? Severity.Error : Severity.Info,
                            Attributes = new Attributes(["terminal"], [Value.Of(i == 4 ? "Orra" : "Tarnhead")]),
                        }),
                ],
                "quay"
            );
            await store.Upkeep.SealAll();
        }
        using var snapshot = store.Current;
        long[] Opened(string match) =>
            [
                .. snapshot
                    .Segments.Where(s => SegmentPruning.Of(QueryParser.Parse(match).Query.Match!)(s, Ever))
                    .Select(s => s.Segment.Day)
                    .Order(),
            ];
        Assert.Equal([3], Opened("ref3a17"));
        Assert.Equal([2], Opened("level >= warn"));
        Assert.Equal([4], Opened("terminal = Orra"));
        Assert.Equal([0, 1, 2, 3, 4, 5], Opened("opened"));
        Assert.Equal([], Opened("opened and missing"));
        Assert.Equal([2, 4], Opened("level >= warn or terminal = Orra"));
        Assert.Equal([4], Opened("terminal = Orra and level = info"));
    }

    [Fact]
    public async Task The_counts_of_a_minute_leave_out_what_the_whole_segment_could_have()
    {
        using var store = Open();
        static Resource Of(string service) => new(new Attributes(["service.name"], [Value.Of(service)]));
        await store.Append(
            [
                .. Enumerable
                    .Range(0, 600)
                    .Select(i => new LogRecord
                    {
                        Time = i * Instants.Second,
                        Observed = 0,
                        Body = $"gate {i} opened",
                        SeverityNumber = i < 60 ? Severity.Error : Severity.Info,
                        Resource = Of(i < 300 ? "gate-control" : "seat-ledger"),
                    }),
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        using var snapshot = store.Current;
        var segment = Assert.Single(snapshot.Segments);
        bool May(string match, int fromMinute, int toMinute) =>
            SegmentPruning.Of(QueryParser.Parse(match).Query.Match!)(
                segment,
                new Window(fromMinute * Instants.Minute, toMinute * Instants.Minute)
            );
        Assert.True(May("level = error", 0, 10));
        Assert.True(May("level = error", 0, 1));
        Assert.False(May("level = error", 1, 9));
        Assert.True(May("service = seat-ledger", 4, 6));
        Assert.False(May("service = seat-ledger", 0, 4));
        Assert.False(May("service = gate-control and level = info", 6, 10));
        Assert.True(May("service = gate-control or level = info", 6, 10));
        Assert.Equal(60, segment.Counts().Where(c => c.Band == Severity.Band(Severity.Error)).Sum(c => c.Count));
        using var filter = segment.Read(SegmentColumn.Filter);
        Assert.False(filter.Span.IsEmpty);
    }
}
