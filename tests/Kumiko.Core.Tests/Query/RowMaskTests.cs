using CsCheck;
using Kumiko.Core.Query.Execution;

namespace Kumiko.Core.Tests.Query;

/// <summary>Sets of rows that are made many rows at once hold what a look at each row says.</summary>
public sealed class RowMaskTests
{
    private static readonly Gen<int> Count = Gen.OneOf(Gen.Int[0, 300], Gen.OneOf(0, 1, 63, 64, 65, 128));

    private static IEnumerable<int> Those(int count, Func<int, bool> isIn) => Enumerable.Range(0, count).Where(isIn);

    [Fact]
    public void Marked_rows_are_added() =>
        Gen.Select(
                Count.SelectMany(n => Gen.Select(Gen.OneOf(2, 16, 17, 31, 32, 33, 256), Gen.Byte.Array[n])),
                Gen.Byte[0, 1].Array[256]
            )
            .Sample(
                (places, marks) =>
                {
                    var (most, rows) = places;
                    for (var i = 0; i < rows.Length; i++)
                        rows[i] = (byte)(rows[i] % most);
                    var (bytes, ints) = (new RowMask(rows.Length), new RowMask(rows.Length));
                    bytes.AddMarked(rows, marks);
                    ints.AddMarked([.. rows.Select(r => (int)r)], marks);
                    int[] expected = [.. Those(rows.Length, i => marks[rows[i]] != 0)];
                    Assert.Equal(expected, bytes.ToPlaces());
                    Assert.Equal(expected, ints.ToPlaces());
                    Assert.Equal(expected.Length, bytes.Size);
                }
            );

    [Fact]
    public void Rows_up_to_a_limit_or_above_are_added() =>
        Gen.Select(
                Count.SelectMany(n => Gen.OneOf(Gen.Long[-5, 5], Gen.OneOf(long.MinValue, long.MaxValue)).Array[n]),
                Gen.OneOf(Gen.Long[-5, 5], Gen.OneOf(long.MinValue, long.MaxValue)),
                Gen.Bool
            )
            .Sample(
                (numbers, limit, above) =>
                {
                    var mask = new RowMask(numbers.Length);
                    mask.AddUpTo(numbers, limit, orElse: above);
                    Assert.Equal(Those(numbers.Length, i => numbers[i] <= limit != above), mask.ToPlaces());
                }
            );

    [Fact]
    public void A_row_is_put_in_or_taken_out() =>
        Gen.Select(Gen.Int[1, 130], Gen.Bool.Array[130])
            .Sample(
                (count, isIn) =>
                {
                    var mask = RowMask.Between(count, count / 3, count);
                    for (var row = 0; row < count; row++)
                        mask.Put(row, isIn[row]);
                    Assert.Equal(Those(count, i => isIn[i]), mask.ToPlaces());
                }
            );
}
