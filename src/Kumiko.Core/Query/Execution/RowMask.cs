using System.Numerics;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;

namespace Kumiko.Core.Query.Execution;

/// <summary>A set of the rows of one batch.</summary>
public sealed class RowMask
{
    private readonly ulong[] _words;

    public RowMask(int count) => (Count, _words) = (count, new ulong[(count + 63) >> 6]);

    /// <summary>Number of rows, in the set or not.</summary>
    public int Count { get; }

    /// <summary>The bits, 64 rows in each.</summary>
    internal Span<ulong> Words => _words;

    public bool this[int row] => (_words[row >> 6] >> row & 1) != 0;

    public bool IsEmpty => !_words.AsSpan().ContainsAnyExcept(0UL);

    public static RowMask Between(int count, int first, int end)
    {
        var mask = new RowMask(count);
        mask.SetRange(first, end);
        return mask;
    }

    public void Set(int row) => _words[row >> 6] |= 1UL << row;

    /// <summary>Adds a row or takes it away.</summary>
    public void Put(int row, bool isIn) => _words[row >> 6] = (_words[row >> 6] & ~(1UL << row)) | ((isIn ? 1UL : 0) << row);

    public void SetRange(int first, int end)
    {
        for (; first < end && (first & 63) != 0; first++)
            Set(first);
        for (; first + 64 <= end; first += 64)
            _words[first >> 6] = ulong.MaxValue;
        for (; first < end; first++)
            Set(first);
    }

    public RowMask Copy()
    {
        var copy = new RowMask(Count);
        _words.CopyTo(copy._words, 0);
        return copy;
    }

    public void Add(RowMask other)
    {
        for (var i = 0; i < _words.Length; i++)
            _words[i] |= other._words[i];
    }

    public void Keep(RowMask other)
    {
        for (var i = 0; i < _words.Length; i++)
            _words[i] &= other._words[i];
    }

    public void Remove(RowMask other)
    {
        for (var i = 0; i < _words.Length; i++)
            _words[i] &= ~other._words[i];
    }

    /// <summary>Whether every row of another set is in this one.</summary>
    public bool Covers(RowMask other)
    {
        for (var i = 0; i < _words.Length; i++)
            if ((other._words[i] & ~_words[i]) != 0)
                return false;
        return true;
    }

    /// <summary>Adds the rows whose place has a mark, 1 or 0, without a branch for each.</summary>
    public void AddMarked(ReadOnlySpan<int> placeOfRow, ReadOnlySpan<byte> marks)
    {
        for (var w = 0; w < _words.Length; w++)
        {
            var rows = placeOfRow.Slice(w << 6, Math.Min(64, Count - (w << 6)));
            ulong word = 0;
            for (var i = 0; i < rows.Length; i++)
                word |= (ulong)marks[rows[i]] << i;
            _words[w] |= word;
        }
    }

    /// <summary>The same where places are bytes.</summary>
    public void AddMarked(ReadOnlySpan<byte> placeOfRow, ReadOnlySpan<byte> marks)
    {
        for (var w = 0; w < _words.Length; w++)
        {
            var rows = placeOfRow.Slice(w << 6, Math.Min(64, Count - (w << 6)));
            if (
                Vector256.IsHardwareAccelerated
                && rows.Length == 64
                && marks.Length >= 32
                && Marked(Vector256.Create(rows[..32]), marks) is { } low
                && Marked(Vector256.Create(rows[32..]), marks) is { } high
            )
            {
                _words[w] |= low | ((ulong)high << 32);
                continue;
            }
            ulong word = 0;
            for (var i = 0; i < rows.Length; i++)
                word |= (ulong)marks[rows[i]] << i;
            _words[w] |= word;
        }
    }

    /// <summary>The marks of 32 places, where all are below 32.</summary>
    private static uint? Marked(Vector256<byte> places, ReadOnlySpan<byte> marks)
    {
        if (Vector256.GreaterThanAny(places, Vector256.Create((byte)31)))
            return null;
        var lower = Vector256.Create(Vector128.Create(marks[..16]), Vector128.Create(marks[..16]));
        var upper = Vector256.Create(Vector128.Create(marks[16..32]), Vector128.Create(marks[16..32]));
        var place = places & Vector256.Create((byte)15);
        var marked = Vector256.ConditionalSelect(
            Vector256.GreaterThan(places, Vector256.Create((byte)15)),
            Look(upper, place),
            Look(lower, place)
        );
        return Vector256.GreaterThan(marked, Vector256<byte>.Zero).ExtractMostSignificantBits();

        static Vector256<byte> Look(Vector256<byte> table, Vector256<byte> at) =>
            Avx2.IsSupported ? Avx2.Shuffle(table, at) : Vector256.Shuffle(table, at);
    }

    /// <summary>Adds the rows whose number is at most a limit, or those whose number is more.</summary>
    public void AddUpTo(ReadOnlySpan<long> numbers, long limit, bool orElse)
    {
        var limits = Vector256.Create(limit);
        for (var w = 0; w < _words.Length; w++)
        {
            var rows = numbers.Slice(w << 6, Math.Min(64, Count - (w << 6)));
            ulong above = 0;
            var i = 0;
            if (Vector256.IsHardwareAccelerated)
                for (; i + 4 <= rows.Length; i += 4)
                    above |=
                        (ulong)Vector256.GreaterThan(Vector256.Create(rows.Slice(i, 4)), limits).ExtractMostSignificantBits()
                        << i;
            for (; i < rows.Length; i++)
                if (rows[i] > limit)
                    above |= 1UL << i;
            var atMost = rows.Length == 64 ? ~above : ~above & ((1UL << rows.Length) - 1);
            _words[w] |= orElse ? above : atMost;
        }
    }

    /// <summary>Number of rows in the set.</summary>
    public int Size
    {
        get
        {
            var size = 0;
            foreach (var word in _words)
                size += BitOperations.PopCount(word);
            return size;
        }
    }

    /// <summary>The first row in the set from a row on, or -1.</summary>
    public int Next(int row)
    {
        if (row >= Count)
            return -1;
        var at = row >> 6;
        var word = _words[at] & (ulong.MaxValue << row);
        while (word == 0)
        {
            if (++at == _words.Length)
                return -1;
            word = _words[at];
        }
        return (at << 6) + BitOperations.TrailingZeroCount(word);
    }

    /// <summary>The rows in the set, rising.</summary>
    public int[] ToPlaces()
    {
        var places = new int[Size];
        ToPlaces(places);
        return places;
    }

    /// <summary>The same into a buffer with room for all; returns how many there are.</summary>
    public int ToPlaces(Span<int> places)
    {
        var at = 0;
        for (var w = 0; w < _words.Length; w++)
        {
            var word = _words[w];
            if (word == ulong.MaxValue)
            {
                var all = places.Slice(at, 64);
                for (var i = 0; i < all.Length; i++)
                    all[i] = (w << 6) + i;
                at += 64;
                continue;
            }
            for (; word != 0; word &= word - 1)
                places[at++] = (w << 6) + BitOperations.TrailingZeroCount(word);
        }
        return at;
    }
}
