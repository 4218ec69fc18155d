using System.Text;
using CsCheck;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Records as columns in memory: what went in comes out, in whatever order rows are put together.</summary>
public sealed class BlockTests
{
    private static LogRecord Numbered(int seed, long sequence)
    {
        var record = Sample.Random(seed);
        record.Sequence = sequence;
        return record;
    }

    [Fact]
    public void Rows_of_several_blocks_come_together_in_any_order_as_they_were() =>
        Gen.Select(Gen.Int.List[1, 60], Gen.Int[1, 9], Gen.Int[0, int.MaxValue])
            .Sample(
                (seeds, blockRows, order) =>
                {
                    var records = seeds.Select((s, i) => Numbered(s, i)).ToArray();
                    RecordBlock[] blocks = [.. records.Chunk(blockRows).Select(RecordBlock.Of)];
                    var rows = BlockGather.Rows(blocks);
                    var places = Enumerable.Range(0, rows.Length).ToArray();
                    new Random(order).Shuffle(places);
                    var chosen = places[..((places.Length + 1) / 2)];
                    var gathered = BlockGather.Of(blocks, Array.ConvertAll(chosen, p => rows[p]));
                    var again = BlockGather.Of([gathered], BlockGather.Rows([gathered]));
                    Assert.Equal(chosen.Length, again.Count);
                    for (var i = 0; i < chosen.Length; i++)
                    {
                        Sample.Same(records[chosen[i]], again[i]);
                        Assert.Equal(records[chosen[i]].Sequence, again[i].Sequence);
                        Assert.Equal(blocks[rows[chosen[i]].Block].SizeOf(rows[chosen[i]].Row), again.SizeOf(i));
                    }
                },
                iter: Cases.Of(300)
            );

    [Fact]
    public void Sorting_is_by_time_and_then_by_sequence_and_leaves_what_is_sorted() =>
        Gen.Int[0, 5]
            .Array[1, 50]
            .Sample(times =>
            {
                var block = RecordBlock.Of(
                    times.Select(
                        (t, i) =>
                            new LogRecord
                            {
                                Time = t,
                                Observed = t,
                                Body = $"{i}",
                            }
                    )
                );
                block.Number(100);
                var sorted = BlockGather.Sorted(block);
                Assert.Equal(
                    times.Select((t, i) => (t, i)).OrderBy(p => p.t).ThenBy(p => p.i).Select(p => ($"{p.i}", 100L + p.i)),
                    sorted.Records.Select(r => (r.Body, r.Sequence))
                );
                Assert.Same(sorted, BlockGather.Sorted(sorted));
            });

    [Fact]
    public void A_record_is_one_object_and_stays_it_when_blocks_are_put_together()
    {
        var block = RecordBlock.Of([Numbered(1, 0), Numbered(2, 1), Numbered(3, 2)]);
        var made = block[1];
        Assert.Same(made, block[1]);
        Assert.Same(made, block.Records[1]);
        var more = RecordBlock.Of([Numbered(4, 3)]);
        RecordBlock[] blocks = [more, block];
        var together = BlockGather.Of(blocks, BlockGather.Rows(blocks));
        Assert.Same(made, together[2]);
        Sample.Same(Sample.Random(4), together[0]);
    }

    [Fact]
    public void A_row_that_is_given_up_leaves_nothing_behind()
    {
        ILineParser parser = new JsonRecordParser("quay");
        var builder = new RecordBlockBuilder();
        string?[] refused =
        [
            .. new[]
            {
                """{"body":"first","terminal":"Orra","wait":1}""",
                """{"body":"half","terminal":"Linga","wait":2,"reason":"seat already""",
                """{"body":"second","terminal":"Brae","wait":3}""",
                """{"time":"soon","body":"third","level":"warn"}""",
            }.Select(line => parser.Parse(Encoding.UTF8.GetBytes(line), 7, builder)?.Reason),
        ];
        Assert.Equal([false, true, false, true], refused.Select(r => r is not null));
        var block = builder.Build();
        Assert.Equal(["first", "second"], block.Records.Select(r => r.Body));
        Assert.Equal(
            ["Orra 1", "Brae 3"],
            block.Records.Select(r => $"{r.Attributes.Get("terminal").ToText()} {r.Attributes.Get("wait").ToText()}")
        );
        Assert.Single(block.Shapes);
        Assert.Equal(0, builder.Build().Count);
    }

    [Theory]
    [InlineData(3)]
    [InlineData(33)]
    [InlineData(500)]
    public void Of_equal_names_the_last_wins_however_many_there_are(int names)
    {
        ILineParser parser = new JsonRecordParser("quay");
        var builder = new RecordBlockBuilder();
        var fields = Enumerable
            .Range(0, 2)
            .SelectMany(round => Enumerable.Range(0, names).Select(n => round == 0 ? $"\"f{n}\":{n}" : $"\"f{n}\":\"text {n}\""));
        Assert.Null(parser.Parse(Encoding.UTF8.GetBytes("{" + string.Join(",", fields) + "}"), 1, builder));
        var record = builder.Build()[0];
        Assert.Equal(
            Enumerable.Range(0, names).Select(n => ($"f{n}", $"text {n}")),
            Enumerable
                .Range(0, record.Attributes.Count)
                .Select(i => (record.Attributes.Names[i], record.Attributes.Values[i].AsText))
        );
    }

    [Fact]
    public void A_builder_serves_one_block_after_the_other()
    {
        var builder = new RecordBlockBuilder();
        var blocks = new List<(RecordBlock Block, List<LogRecord> Records)>();
        for (var b = 0; b < 5; b++)
        {
            var records = Enumerable.Range(0, 700).Select(i => Sample.Random((b * 350) + i)).ToList();
            foreach (var record in records)
                builder.Add(record);
            blocks.Add((builder.Build(), records));
        }
        foreach (var (block, records) in blocks)
            for (var i = 0; i < records.Count; i++)
                Sample.Same(records[i], block[i]);
    }

    [Fact]
    public void Names_without_end_are_not_kept_and_their_records_are_right_all_the_same()
    {
        var pool = new NamePool(2);
        string[] names = [.. Enumerable.Range(0, 4).Select(n => new string($"made up {n}"))];
        Assert.All(names[..2], n => Assert.Same(n, pool.One(n)));
        Assert.Same(names[1], pool.One(new string("made up 1")));
        Assert.NotSame(pool.One(new string("made up 3")), pool.One(new string("made up 3")));
        Assert.Equal(names[3], pool.One(new string("made up 3")));

        var builder = new RecordBlockBuilder();
        for (var round = 0; round < 3; round++)
        {
            List<LogRecord> records =
            [
                .. Enumerable
                    .Range(0, 200)
                    .Select(i => new LogRecord
                    {
                        Time = i,
                        Observed = i,
                        Attributes = new Attributes(
                            [.. Enumerable.Range(0, 400).Select(n => $"{i}-{n}")],
                            [.. Enumerable.Range(0, 400).Select(n => Value.Of((long)n))]
                        ),
                    }),
            ];
            foreach (var record in records)
                builder.Add(record);
            var block = builder.Build();
            for (var i = 0; i < records.Count; i++)
                Assert.Equal(records[i].Attributes, block[i].Attributes);
        }
    }

    [Fact]
    public void Attributes_and_values_that_are_equal_have_equal_hashes() =>
        Gen.Int.Sample(
            seed =>
            {
                var (a, b) = (Sample.Random(seed), Sample.Random(seed));
                Assert.Equal(a.Attributes, b.Attributes);
                Assert.Equal(a.Attributes.GetHashCode(), b.Attributes.GetHashCode());
                Assert.Equal(Value.Of(a.Attributes).GetHashCode(), Value.Of(b.Attributes).GetHashCode());
            },
            iter: Cases.Of(500)
        );

    [Fact]
    public void Records_that_wait_are_found_while_they_are_merged_and_keep_what_was_found_about_them()
    {
        var first = RecentBatch.Of(RecordBlock.Of([Numbered(1, 0), Numbered(2, 1)]));
        var second = RecentBatch.Of(RecordBlock.Of([Numbered(3, 2)]));
        first[0].TemplateId = 12;
        var merged = RecentBatch.Merge(first, second);
        Assert.Equal(3, merged.Count);
        Assert.Contains(Enumerable.Range(0, 3), i => merged[i].TemplateId == 12);
        var left = merged.Without(sequence => sequence == 1)!;
        Assert.Equal([0L, 2L], Enumerable.Range(0, 2).Select(i => left[i].Sequence).Order());
        Assert.Null(left.Without(_ => true));
        Assert.Same(left, left.Without(_ => false));
    }
}
