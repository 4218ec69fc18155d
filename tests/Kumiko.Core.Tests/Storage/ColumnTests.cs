using System.Text;
using CsCheck;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Tests.Storage;

public sealed class ColumnTests
{
    private static readonly Gen<long> Numbers = Gen.OneOf(
        Gen.Long,
        Gen.Long[-3, 3],
        Gen.Long[0, 70_000],
        Gen.Long[0, 1000].Select(n => 1_795_453_200_000_000_000 + (n * 1_000_000)),
        Gen.OneOf(long.MinValue, long.MaxValue, 0L)
    );

    [Fact]
    public void Numbers_come_back_whatever_their_range() =>
        Gen.OneOf(
                Numbers.Array[0, 300],
                Gen.Long[0, 1].Array[0, 40],
                Gen.Long[0, 3].Array[0, 40],
                Gen.Long[5, 20].Array[0, 40],
                Numbers
                    .Array[0, 300]
                    .Select(a =>
                    {
                        Array.Sort(a);
                        return a;
                    })
            )
            .Sample(
                values =>
                {
                    using var to = new ByteWriter();
                    LongColumn.Write(to, values);
                    var from = new ByteReader(to.Written);
                    var back = new long[values.Length];
                    LongColumn.Read(ref from, back);
                    Assert.Equal(values, back);
                    Assert.Equal(0, from.Left);
                },
                iter: Cases.Of(2_000)
            );

    private static readonly Gen<int[]> Places = Gen.Select(
            Gen.OneOf(0, 1, 3, 9, 255, 256, 4_000, 70_000, 20_000_000),
            Gen.OneOf(1, 1, 3, 10),
            Gen.Int[0, 5],
            Gen.Int[0, 300]
        )
        .SelectMany((range, step, least, length) => Gen.Int[0, range].Select(n => (n * step) + least).Array[length]);

    [Fact]
    public void Places_and_single_numbers_are_those_that_were_written() =>
        Places.Sample(
            values =>
            {
                using var to = new ByteWriter();
                LongColumn.Write(to, values);
                var entries = values.Append(0).Max() + 1;
                var from = new ByteReader(to.Written);
                Assert.Equal(values, LongColumn.ReadPlaces(ref from, values.Length, entries));
                Assert.Equal(0, from.Left);
                var slice = new LongSlice(to.Written.ToArray(), values.Length);
                for (var i = 0; i < values.Length; i++)
                    Assert.True(!slice.TryAt(i, out var number) || number == values[i]);
                int[] some = [.. Enumerable.Range(0, values.Length).Where(i => i % 3 != 1).Reverse()];
                var numbers = new long[some.Length];
                if (slice.TryAt(some, numbers))
                    Assert.Equal(some.Select(i => (long)values[i]), numbers);
                if (entries > 1)
                    Assert.Throws<InvalidDataException>(() => Read(to.Written.ToArray(), values.Length, entries - 1));
            },
            iter: Cases.Of(2_000)
        );

    private static int[] Read(byte[] bytes, int count, int entries)
    {
        var from = new ByteReader(bytes);
        return LongColumn.ReadPlaces(ref from, count, entries);
    }

    [Fact]
    public void Numbers_of_a_byte_are_those_that_were_written() =>
        Gen.Select(Gen.OneOf(0, 1, 3, 15, 80, 255), Gen.OneOf(1, 4, 17))
            .SelectMany((most, step) => Gen.Int[0, most / step].Select(n => n * step).Array[0, 300])
            .Sample(
                values =>
                {
                    using var to = new ByteWriter();
                    LongColumn.Write(to, values);
                    var from = new ByteReader(to.Written);
                    var bytes = new byte[values.Length];
                    LongColumn.ReadBytes(ref from, bytes);
                    Assert.Equal(values, bytes.Select(b => (int)b));
                    Assert.Equal(0, from.Left);
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void Rows_with_marked_numbers_are_told_without_unpacking() =>
        Gen.Select(
                Gen.Select(Gen.OneOf(1, 2, 3, 15, 16, 255), Gen.OneOf(1, 4, 17))
                    .SelectMany((most, step) => Gen.Int[0, Math.Min(most, 255 / step)].Select(n => n * step).Array[0, 300]),
                Gen.Byte[0, 1].Array[256],
                Gen.ULong
            )
            .Sample(
                (values, marks, before) =>
                {
                    using var to = new ByteWriter();
                    LongColumn.Write(to, values);
                    ulong[] words = [.. Enumerable.Repeat(before, (values.Length + 63) / 64)];
                    var told = new LongSlice(to.Written.ToArray(), values.Length).TryMark(marks, words);
                    var span = values.Length == 0 ? 0 : values.Max() - values.Min();
                    // Up to 16 different numbers are of four bits at most.
                    if (System.Runtime.Intrinsics.X86.Bmi2.X64.IsSupported && span is > 0 and < 16)
                        Assert.True(told);
                    for (var i = 0; i < words.Length * 64; i++)
                        Assert.Equal(
                            (before >> (i & 63) & 1) != 0 || (told && i < values.Length && marks[values[i]] != 0),
                            (words[i >> 6] >> (i & 63) & 1) != 0
                        );
                },
                iter: Cases.Of(2_000)
            );

    [Fact]
    public void Numbers_that_may_be_larger_than_a_byte_are_left_to_the_reader_that_says_so()
    {
        using var to = new ByteWriter();
        LongColumn.Write(to, [200, 300, 200, 300]);
        Assert.False(new LongSlice(to.Written.ToArray(), 4).TryMark(new byte[256], new ulong[1]));
    }

    [Theory]
    [InlineData(256, 1)]
    [InlineData(17, 16)]
    [InlineData(1, 300)]
    public void A_number_above_a_byte_is_not_cut(int count, int step)
    {
        using var to = new ByteWriter();
        LongColumn.Write(to, Enumerable.Range(1, count).Select(i => i * step).ToArray());
        var bytes = to.Written.ToArray();
        Assert.Throws<InvalidDataException>(() =>
        {
            var from = new ByteReader(bytes);
            LongColumn.ReadBytes(ref from, new byte[count]);
        });
    }

    [Theory]
    [InlineData(1, 9)]
    [InlineData(3, 14)]
    [InlineData(15, 50)]
    [InlineData(255, 100)]
    [InlineData(65_535, 190)]
    public void A_number_takes_as_few_bits_as_the_range_needs(int range, int mostBytes)
    {
        var random = new Random(1);
        using var to = new ByteWriter();
        LongColumn.Write(
            to,
            Enumerable
                .Range(0, 64)
                .Select(i =>
                    1_000_000L
                    + (
                        i switch
                        {
                            0 => 0,
                            1 => range,
                            _ => random.Next(range + 1),
                        }
                    )
                )
                .Select(n => n * 1000)
                .ToArray()
        );
        Assert.InRange(to.Length, 1, mostBytes + 16);
    }

    [Fact]
    public void Times_of_a_steady_sender_take_a_byte()
    {
        using var to = new ByteWriter();
        LongColumn.Write(
            to,
            Enumerable.Range(0, 10_000).Select(i => 1_795_453_200_000_000_000 + (i * 3_000_000L) + (i % 7 * 1_000_000)).ToArray()
        );
        Assert.InRange(to.Length, 1, 10_100);
    }

    [Fact]
    public void Decimals_come_back_bit_for_bit() =>
        Gen.OneOf(
                Gen.Double.Array[0, 50],
                Gen.Int[-10_000, 10_000].Select(i => i / 100.0).Array[0, 50],
                Gen.OneOf(0.0, -0.0, 1e300, double.Epsilon, 0.1, 1e15 + 0.3).Array[0, 20]
            )
            .Sample(
                values =>
                {
                    using var to = new ByteWriter();
                    DecimalColumn.Write(to, values);
                    var from = new ByteReader(to.Written);
                    var back = new double[values.Length];
                    DecimalColumn.Read(ref from, back);
                    Assert.Equal(values.Select(BitConverter.DoubleToInt64Bits), back.Select(BitConverter.DoubleToInt64Bits));
                },
                iter: Cases.Of(1_000)
            );

    private static readonly Gen<string> Texts = Gen.OneOf(
        Gen.String,
        Gen.Int.Select(i => i.ToString(System.Globalization.CultureInfo.InvariantCulture)),
        Gen.Int[0, 300].Select(i => $"gate-t{i}"),
        Gen.Int[0, 9999].Select(i => $"{i / 100.0:0.00}"),
        Gen.UInt.Select(i => $"{i:x8}"),
        Gen.UInt.Select(i => $"{i:X8}"),
        Gen.Guid.Select(g => g.ToString()),
        Gen.Byte.Array[4].Select(b => string.Join('.', b)),
        Gen.Int[0, 99].Select(i => $"{i:000}"),
        Gen.OneOf("", "a", "-0", "01", "1.", ".5", "-0.5", "-1.50", "1.2.3.4", "01.2.3.4")
    );

    [Fact]
    public void Texts_come_back_byte_for_byte_in_every_form() =>
        Gen.OneOf(
                Texts.Array[0, 60],
                Texts.SelectMany(t => Gen.Const(t).Array[1, 30]),
                Gen.Int[0, 8].SelectMany(form => FormOf(form).Array[1, 200])
            )
            .Sample(
                values =>
                {
                    values = [.. values.Select(Valid)];
                    var vector = Encoded(values, out _);
                    Assert.Equal(values, Enumerable.Range(0, values.Length).Select(vector.Text));
                    using var to = new ByteWriter();
                    for (var i = 0; i < values.Length; i++)
                    {
                        to.Clear();
                        vector.Append(i, to);
                        Assert.Equal(values[i], Encoding.UTF8.GetString(to.Written));
                    }
                },
                iter: Cases.Of(3_000)
            );

    private static Gen<string> FormOf(int form) =>
        form switch
        {
            0 => Gen.Int.Select(i => i.ToString(System.Globalization.CultureInfo.InvariantCulture)),
            1 => Gen.Int[-9999, 9999].Select(i => $"{i / 100.0:0.00}"),
            2 => Gen.UInt.Select(i => $"{i:x7}"),
            3 => Gen.Guid.Select(g => g.ToString()),
            4 => Gen.Byte.Array[4].Select(b => string.Join('.', b)),
            5 => Gen.Int[0, 99].Select(i => $"{i:000}"),
            6 => Gen.Int[0, 5000].Select(i => $"SK-{i}-B"),
            7 => Gen.Int[0, 12].Select(i => $"terminal {i}"),
            _ => Gen.UInt.Select(i => $"{i:X8}"),
        };

    private static string Valid(string text) => Encoding.UTF8.GetString(Encoding.UTF8.GetBytes(text));

    private static TextVector Encoded(string[] values, out int bytes)
    {
        using var text = new ByteWriter();
        var slices = values.Select(v => new Slice(text.Length, text.Utf8(v))).ToArray();
        using var to = new ByteWriter();
        TextColumn.Write(to, text.Written, slices);
        bytes = to.Length;
        var from = new ByteReader(to.Written);
        var vector = new TextVector(ref from, values.Length);
        Assert.Equal(0, from.Left);
        return vector;
    }

    [Theory]
    [InlineData("{0}", 3)]
    [InlineData("wait {0}ms", 3)]
    [InlineData("10.20.3.{0}", 2.2)]
    [InlineData("a{0:x7}b", 9)]
    public void Spelled_numbers_are_kept_as_numbers(string form, double mostBytesEach)
    {
        Encoded(
            [
                .. Enumerable
                    .Range(0, 200)
                    .Select(i =>
                        string.Format(
                            System.Globalization.CultureInfo.InvariantCulture,
                            form,
                            form.Contains("10.20") ? i : i * 397 % 60_000
                        )
                    ),
            ],
            out var bytes
        );
        Assert.InRange(bytes / 200.0, 0, mostBytesEach);
    }

    [Theory]
    [InlineData(Codec.None)]
    [InlineData(Codec.Lz4)]
    [InlineData(Codec.Zstd)]
    public void Codecs_give_back_what_they_took_and_tell_damage(Codec codec)
    {
        var raw = Encoding.UTF8.GetBytes(string.Concat(Enumerable.Repeat("refused at the gate; ", 50)));
        using var packed = new ByteWriter();
        Assert.Equal(codec, Codecs.Pack(raw, codec, packed));
        var back = new byte[raw.Length];
        Codecs.Unpack(packed.Written, codec, back);
        Assert.Equal(raw, back);
        Assert.Throws<InvalidDataException>(() => Codecs.Unpack(packed.Written, codec, new byte[raw.Length + 1]));
        var random = new byte[500];
        new Random(1).NextBytes(random);
        packed.Clear();
        Assert.Equal(Codec.None, Codecs.Pack(random, codec, packed));
    }

    [Fact]
    public void A_filter_holds_every_token_and_few_others() =>
        Gen.String[Gen.Char.AlphaNumeric, 1, 12]
            .HashSet[1, 400]
            .Sample(
                values =>
                {
                    var tokens = new TokenSet();
                    foreach (var value in values)
                        tokens.AddValue(Encoding.UTF8.GetBytes(value));
                    using var to = new ByteWriter();
                    TokenFilter.Write(to, tokens);
                    var filter = TokenFilter.Read(to.Written)!;
                    Assert.All(values, v => Assert.True(filter.MayHold(TokenSet.Whole(v.ToLowerInvariant()))));
                    Assert.InRange(Enumerable.Range(0, 1_000).Count(i => filter.MayHold(TokenSet.Whole($"absent {i}"))), 0, 40);
                    Assert.InRange(filter.Size, 32, 32 + (tokens.Count * 12 / 8) + 32);
                },
                iter: Cases.Of(200)
            );

    [Fact]
    public void Tokens_of_bytes_and_of_text_are_the_same_in_any_case() =>
        Gen.String.Sample(
            text =>
            {
                text = Valid(text);
                var (fromBytes, fromText) = (new TokenSet(), new TokenSet());
                fromBytes.AddValue(Encoding.UTF8.GetBytes(text));
                if (text.Length > 0)
                    fromText.AddValue(text);
                Assert.Equal(fromText.Hashes.Order(), fromBytes.Hashes.Order());
                foreach (var token in TokenSet.TokenTexts(text))
                    Assert.Contains(TokenSet.HashOfUpper(token), fromBytes.Hashes);
            },
            iter: Cases.Of(2_000)
        );

    [Fact]
    public void Endless_tokens_overflow_instead_of_growing()
    {
        var tokens = new TokenSet();
        for (var i = 0; i < TokenSet.MostTokens * 2; i++)
            tokens.AddValue(Encoding.ASCII.GetBytes($"t{i}"));
        Assert.True(tokens.Overflowed);
        using var to = new ByteWriter();
        TokenFilter.Write(to, tokens);
        Assert.Null(TokenFilter.Read(to.Written));
        tokens.Clear();
        Assert.False(tokens.Overflowed);
    }

    [Fact]
    public void Damaged_columns_never_do_more_than_tell() =>
        Gen.Select(Gen.Byte.Array[0, 80], Gen.Int[0, 1000])
            .Sample(
                (bytes, count) =>
                {
                    try
                    {
                        var from = new ByteReader(bytes);
                        _ = new TextVector(ref from, count);
                    }
                    catch (Exception e) when (e is InvalidDataException or OverflowException)
                    { /* told */
                    }
                },
                iter: Cases.Of(5_000)
            );
}
