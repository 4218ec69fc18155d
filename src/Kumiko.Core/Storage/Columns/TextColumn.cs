using System.Buffers;
using System.IO.Hashing;
using System.Numerics;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// Texts in the smallest of several forms, each of which gives them back byte for byte: a dictionary, numbers with
/// their spelling, hex digits as bytes, addresses, or one of these between a common beginning and end.
/// </summary>
public static class TextColumn
{
    /// <summary>Above this many different values a dictionary must save more than it costs to build.</summary>
    private const int SmallDictionary = 64;
    private const int LongestHex = 64;

    /// <param name="buffer">What the slices lie in.</param>
    /// <param name="seen">Told each value at least once; a value may be told again.</param>
    public static void Write(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, TokenSet? seen = null)
    {
        if (values.IsEmpty)
        {
            to.Byte((byte)TextForm.Plain);
            LongColumn.Write(to, ReadOnlySpan<long>.Empty);
            return;
        }
        if (TryNumeric(to, buffer, values))
        {
            Tell(buffer, values, seen);
            return;
        }
        if (TryDictionary(to, buffer, values, seen))
            return;
        Tell(buffer, values, seen);
        if (!TryAffixed(to, buffer, values))
            WritePlain(to, buffer, values);
    }

    private static void Tell(ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, TokenSet? seen)
    {
        if (seen is null)
            return;
        foreach (var value in values)
            seen.AddValue(value.Of(buffer));
    }

    private static void WritePlain(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values)
    {
        to.Byte((byte)TextForm.Plain);
        var lengths = ArrayPool<long>.Shared.Rent(values.Length);
        for (var i = 0; i < values.Length; i++)
            lengths[i] = values[i].Length;
        LongColumn.Write(to, lengths.AsSpan(0, values.Length));
        ArrayPool<long>.Shared.Return(lengths);
        foreach (var value in values)
            to.Bytes(value.Of(buffer));
    }

    private static bool TryNumeric(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values)
    {
        var first = values[0].Of(buffer);
        if (first.IsEmpty || first.Length > LongestHex)
            return false;
        var numbers = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            var room = numbers.AsSpan(0, values.Length);
            return TryIntegers(to, buffer, values, room)
                || TryDecimals(to, buffer, values, room)
                || TryPaddedDigits(to, buffer, values, room)
                || TryAddresses(to, buffer, values, room)
                || TryHex(to, buffer, values, upper: false)
                || TryHex(to, buffer, values, upper: true)
                || TryUuids(to, buffer, values);
        }
        finally
        {
            ArrayPool<long>.Shared.Return(numbers);
        }
    }

    private static bool TryIntegers(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, Span<long> numbers)
    {
        for (var i = 0; i < values.Length; i++)
            if (!TextForms.TryInteger(values[i].Of(buffer), out numbers[i]))
                return false;
        to.Byte((byte)TextForm.Integer);
        LongColumn.Write(to, numbers);
        return true;
    }

    private static bool TryDecimals(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, Span<long> numbers)
    {
        if (!TextForms.TryDecimal(values[0].Of(buffer), out _, out _))
            return false;
        var digits = ArrayPool<long>.Shared.Rent(values.Length);
        try
        {
            for (var i = 0; i < values.Length; i++)
            {
                if (!TextForms.TryDecimal(values[i].Of(buffer), out numbers[i], out var behind))
                    return false;
                digits[i] = behind;
            }
            to.Byte((byte)TextForm.Decimal);
            LongColumn.Write(to, digits.AsSpan(0, values.Length));
            LongColumn.Write(to, numbers);
            return true;
        }
        finally
        {
            ArrayPool<long>.Shared.Return(digits);
        }
    }

    private static bool TryPaddedDigits(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, Span<long> numbers)
    {
        var length = values[0].Length;
        if (length > TextForms.MostDigits)
            return false;
        for (var i = 0; i < values.Length; i++)
            if (!TextForms.TryPadded(values[i].Of(buffer), length, out numbers[i]))
                return false;
        to.Byte((byte)TextForm.PaddedDigits);
        to.Byte((byte)length);
        LongColumn.Write(to, numbers);
        return true;
    }

    private static bool TryAddresses(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, Span<long> numbers)
    {
        for (var i = 0; i < values.Length; i++)
            if (!TextForms.TryAddress(values[i].Of(buffer), out numbers[i]))
                return false;
        to.Byte((byte)TextForm.Address);
        LongColumn.Write(to, numbers);
        return true;
    }

    private static bool TryHex(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, bool upper)
    {
        var length = values[0].Length;
        if (length < 4)
            return false;
        var digits = upper ? UpperDigits : LowerDigits;
        foreach (var value in values)
            if (value.Length != length || value.Of(buffer).ContainsAnyExcept(digits))
                return false;
        to.Byte((byte)(upper ? TextForm.UpperHex : TextForm.Hex));
        to.Byte((byte)length);
        var width = (length + 1) / 2;
        var packed = to.Reserve(width * values.Length);
        for (var i = 0; i < values.Length; i++)
            PackHex(values[i].Of(buffer), upper, packed.Slice(i * width, width));
        return true;
    }

    private static readonly SearchValues<byte> LowerDigits = SearchValues.Create("0123456789abcdef"u8);
    private static readonly SearchValues<byte> UpperDigits = SearchValues.Create("0123456789ABCDEF"u8);

    /// <summary>Packs digits that are known to be some; an odd last one takes the upper half of its byte.</summary>
    private static void PackHex(ReadOnlySpan<byte> text, bool upper, Span<byte> packed)
    {
        Convert.FromHexString(text[..(text.Length & ~1)], packed, out _, out _);
        if ((text.Length & 1) == 1)
            packed[^1] = (byte)(TextForms.HexDigit(text[^1], upper) << 4);
    }

    private static bool TryUuids(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values)
    {
        foreach (var value in values)
        {
            var text = value.Of(buffer);
            if (text.Length != TextForms.UuidLength)
                return false;
            for (var i = 0; i < text.Length; i++)
                if (TextForms.IsDash(i) ? text[i] != '-' : TextForms.HexDigit(text[i], false) < 0)
                    return false;
        }
        to.Byte((byte)TextForm.Uuid);
        Span<byte> digits = stackalloc byte[32];
        foreach (var value in values)
        {
            var text = value.Of(buffer);
            var at = 0;
            for (var i = 0; i < text.Length; i++)
                if (!TextForms.IsDash(i))
                    digits[at++] = text[i];
            PackHex(digits, false, to.Reserve(16));
        }
        return true;
    }

    private static bool TryDictionary(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values, TokenSet? seen)
    {
        var slots = (int)BitOperations.RoundUpToPowerOf2((uint)Math.Max(16, values.Length));
        var table = ArrayPool<int>.Shared.Rent(slots);
        var places = ArrayPool<long>.Shared.Rent(values.Length);
        var entries = ArrayPool<Slice>.Shared.Rent((values.Length / 2) + SmallDictionary + 1);
        try
        {
            table.AsSpan(0, slots).Clear();
            var count = 0;
            for (var i = 0; i < values.Length; i++)
            {
                var value = values[i].Of(buffer);
                // Neighbours are often the same, and comparing is quicker than a look into the table.
                if (i > 0 && value.SequenceEqual(values[i - 1].Of(buffer)))
                {
                    places[i] = places[i - 1];
                    continue;
                }
                var at = (int)XxHash3.HashToUInt64(value) & (slots - 1);
                while (table[at] != 0 && !entries[table[at] - 1].Of(buffer).SequenceEqual(value))
                    at = (at + 1) & (slots - 1);
                if (table[at] == 0)
                {
                    // Mostly different values: the dictionary would be the column again.
                    if (count > SmallDictionary && count > i / 2)
                        return false;
                    entries[count] = values[i];
                    table[at] = ++count;
                }
                places[i] = table[at] - 1;
            }
            // Numbers with a unit or a name before them are smaller as numbers, unless there are very few.
            if (count > 16 && count > values.Length / 16 && TryAffixed(to, buffer, values))
            {
                Tell(buffer, values, seen);
                return true;
            }
            if (count > values.Length / 2 && count > 1)
                return false;
            to.Byte((byte)TextForm.Dictionary);
            to.Number(count);
            WritePlain(to, buffer, entries.AsSpan(0, count));
            LongColumn.Write(to, places.AsSpan(0, values.Length));
            Tell(buffer, entries.AsSpan(0, count), seen);
            return true;
        }
        finally
        {
            ArrayPool<int>.Shared.Return(table);
            ArrayPool<long>.Shared.Return(places);
            ArrayPool<Slice>.Shared.Return(entries);
        }
    }

    /// <summary>A number form between a beginning and an end that all values share.</summary>
    private static bool TryAffixed(ByteWriter to, ReadOnlySpan<byte> buffer, ReadOnlySpan<Slice> values)
    {
        var first = values[0].Of(buffer);
        var (before, after) = (first.Length, first.Length);
        foreach (var slice in values)
        {
            var value = slice.Of(buffer);
            before = value[..Math.Min(before, value.Length)].CommonPrefixLength(first);
            var most = Math.Min(after, value.Length);
            after = 0;
            while (after < most && value[^(after + 1)] == first[^(after + 1)])
                after++;
            if (before == 0 && after == 0)
                return false;
        }
        // Digits at the edges belong to the number.
        while (before > 0 && IsHexDigit(first[before - 1]))
            before--;
        while (after > 0 && IsHexDigit(first[^after]))
            after--;
        if (before == 0 && after == 0)
            return false;
        var inner = ArrayPool<Slice>.Shared.Rent(values.Length);
        var length = to.Length;
        try
        {
            for (var i = 0; i < values.Length; i++)
            {
                if (values[i].Length <= before + after)
                    return false;
                inner[i] = new Slice(values[i].Start + before, values[i].Length - before - after);
            }
            to.Byte((byte)TextForm.Affixed);
            to.Sized(first[..before]);
            to.Sized(first[^after..]);
            if (TryNumeric(to, buffer, inner.AsSpan(0, values.Length)))
                return true;
            to.Back(to.Length - length);
            return false;
        }
        finally
        {
            ArrayPool<Slice>.Shared.Return(inner);
        }
    }

    private static bool IsHexDigit(byte c) => TextForms.HexDigit(c, false) >= 0 || TextForms.HexDigit(c, true) >= 0;
}
