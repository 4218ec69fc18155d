using CsCheck;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Tests.Storage;

public sealed class ByteTests
{
    [Fact]
    public void What_is_written_is_read() =>
        Gen.Select(Gen.ULong, Gen.Long, Gen.String, Gen.Byte.Array, Gen.Int[0, int.MaxValue])
            .List[0, 30]
            .Sample(
                items =>
                {
                    using var to = new ByteWriter(1);
                    foreach (var (unsigned, signed, text, bytes, count) in items)
                    {
                        to.Number(unsigned);
                        to.Signed(signed);
                        to.Text(text);
                        to.Sized(bytes);
                        to.Number(count);
                        to.Fixed(unsigned);
                    }
                    var from = new ByteReader(to.Written);
                    foreach (var (unsigned, signed, text, bytes, count) in items)
                    {
                        Assert.Equal(unsigned, from.Unsigned());
                        Assert.Equal(signed, from.Signed());
                        Assert.Equal(System.Text.Encoding.UTF8.GetString(System.Text.Encoding.UTF8.GetBytes(text)), from.Text());
                        Assert.True(bytes.AsSpan().SequenceEqual(from.Sized()));
                        Assert.Equal(count, from.Count(int.MaxValue));
                        Assert.Equal(unsigned, from.Fixed());
                    }
                    Assert.Equal(0, from.Left);
                },
                iter: Cases.Of(500)
            );

    [Theory]
    [InlineData(new byte[] { })]
    [InlineData(new byte[] { 0x80 })]
    [InlineData(new byte[] { 5, 1, 2 })]
    [InlineData(new byte[] { 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff })]
    public void Bytes_that_end_too_early_are_told(byte[] bytes) =>
        Assert.Throws<InvalidDataException>(() =>
        {
            var from = new ByteReader(bytes);
            from.Sized();
        });

    [Fact]
    public void Groups_hold_every_row_once_in_order_and_ranks_count_within_them() =>
        Gen.Int[0, 6]
            .Array[0, 200]
            .Sample(
                groupOfRow =>
                {
                    var grouped = Grouped.By(groupOfRow, 7);
                    var ranks = Grouped.Ranks(groupOfRow, 7);
                    for (var group = 0; group < 7; group++)
                    {
                        var expected = Enumerable.Range(0, groupOfRow.Length).Where(r => groupOfRow[r] == group).ToArray();
                        Assert.Equal(expected, grouped[group].ToArray());
                        for (var i = 0; i < expected.Length; i++)
                            Assert.Equal(i, ranks[expected[i]]);
                    }
                },
                iter: Cases.Of(300)
            );

    [Fact]
    public void A_checksum_knows_the_place_of_its_bytes()
    {
        byte[] content = [1, 2, 3];
        Assert.Equal(Checksum.Of(content, 7), Checksum.Of([1, 2, 3], 7));
        Assert.NotEqual(Checksum.Of(content, 7), Checksum.Of(content, 8));
        Assert.NotEqual(Checksum.Of(content, 7), Checksum.Of([1, 2, 4], 7));
        Assert.NotEqual(Checksum.Of("a b", 1), Checksum.Of("a c", 1));
    }

    [Fact]
    public void The_size_of_a_record_follows_its_texts()
    {
        var small = RecordBlock.Of([Sample.Refusal]).Size;
        var larger = RecordBlock
            .Of([
                new LogRecord
                {
                    Time = 1,
                    Observed = 1,
                    Body = Sample.Refusal.Body + new string('x', 500),
                    Attributes = Sample.Refusal.Attributes,
                    TraceId = Sample.Refusal.TraceId,
                    SeverityText = Sample.Refusal.SeverityText,
                    SpanId = Sample.Refusal.SpanId,
                },
            ])
            .Size;
        Assert.Equal(500, larger - small);
        Assert.InRange(small, 150, 400);
    }
}
