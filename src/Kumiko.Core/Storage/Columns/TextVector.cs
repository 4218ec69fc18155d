using System.Text;

namespace Kumiko.Core.Storage.Columns;

/// <summary>
/// A column of texts: any of them by its place, without rebuilding the others. What a look needs is unpacked when it
/// is first needed, and kept.
/// </summary>
/// <remarks>Reading from several threads at once is safe, unless buffers come from an arena.</remarks>
public sealed class TextVector
{
    private readonly Arena? _arena;
    private readonly LongSlice _numberSlice;
    private readonly LongSlice _digitSlice;
    private readonly LongSlice _placeSlice;
    private readonly ReadOnlyMemory<byte> _bytes;
    private readonly ReadOnlyMemory<byte> _before;
    private readonly ReadOnlyMemory<byte> _after;
    private readonly TextVector? _inner;
    private readonly int _length;
    private long[]? _numbers;
    private long[]? _digits;
    private readonly int[] _starts = [];
    private int[]? _places;
    private string?[]? _strings;

    public static readonly TextVector Empty = new();

    private TextVector() => Form = TextForm.Plain;

    /// <param name="from">Stands at the column; behind it afterwards.</param>
    /// <param name="count">Number of texts.</param>
    /// <param name="arena">Lends the buffers; null for buffers that live as long as the vector.</param>
    /// <exception cref="InvalidDataException">The bytes cannot be such a column of this length.</exception>
    public TextVector(ref ByteReader from, int count, Arena? arena = null)
    {
        (Count, _arena) = (count, arena);
        Form = (TextForm)from.Byte();
        switch (Form)
        {
            case TextForm.Plain:
                (_starts, _bytes) = Plain(ref from, count);
                break;
            case TextForm.Dictionary:
                Entries = from.Count(Math.Max(count, 1));
                if (from.Byte() != (byte)TextForm.Plain)
                    throw Unknown();
                (_starts, _bytes) = Plain(ref from, Entries);
                _placeSlice = LongColumn.Take(ref from, count);
                break;
            case TextForm.Integer or TextForm.Address:
                _numberSlice = LongColumn.Take(ref from, count);
                break;
            case TextForm.Decimal:
                _digitSlice = LongColumn.Take(ref from, count);
                _numberSlice = LongColumn.Take(ref from, count);
                break;
            case TextForm.PaddedDigits:
                _length = from.Byte();
                _numberSlice = LongColumn.Take(ref from, count);
                break;
            case TextForm.Hex or TextForm.UpperHex:
                _length = from.Byte();
                _bytes = Bytes(ref from, checked((_length + 1) / 2 * count));
                break;
            case TextForm.Uuid:
                _bytes = Bytes(ref from, checked(16 * count));
                break;
            case TextForm.Affixed:
                (_before, _after) = (Bytes(ref from, from.Count(from.Left)), Bytes(ref from, from.Count(from.Left)));
                _inner = new TextVector(ref from, count, arena);
                if (_inner.Form == TextForm.Affixed)
                    throw Unknown();
                break;
            default:
                throw Unknown();
        }
    }

    /// <summary>Passes by such a column and tells its form, and that of what stands between affixes.</summary>
    internal static ColumnForm Skip(ref ByteReader from, int count)
    {
        var form = (TextForm)from.Byte();
        switch (form)
        {
            case TextForm.Plain:
                SkipPlain(ref from, count);
                break;
            case TextForm.Dictionary:
                var entries = from.Count(Math.Max(count, 1));
                from.Byte();
                SkipPlain(ref from, entries);
                LongColumn.Skip(ref from, count);
                break;
            case TextForm.Integer or TextForm.Address:
                LongColumn.Skip(ref from, count);
                break;
            case TextForm.Decimal:
                LongColumn.Skip(ref from, count);
                LongColumn.Skip(ref from, count);
                break;
            case TextForm.PaddedDigits:
                from.Byte();
                LongColumn.Skip(ref from, count);
                break;
            case TextForm.Hex or TextForm.UpperHex:
                from.Bytes(checked((from.Byte() + 1) / 2 * count));
                break;
            case TextForm.Uuid:
                from.Bytes(checked(16 * count));
                break;
            case TextForm.Affixed:
                from.Sized();
                from.Sized();
                return ColumnForm.AffixedOver(Skip(ref from, count));
            default:
                throw Unknown();
        }
        return new ColumnForm(form);
    }

    private static void SkipPlain(ref ByteReader from, int count)
    {
        var lengths = Buffers<long>.Take(count);
        try
        {
            LongColumn.Read(ref from, lengths.AsSpan(0, count));
            long total = 0;
            foreach (var length in lengths.AsSpan(0, count))
                total +=
                    (ulong)length <= (ulong)from.Left
                        ? length
                        : throw new InvalidDataException("A length is larger than it can be.");
            from.Bytes((int)Math.Min(total, int.MaxValue));
        }
        finally
        {
            Buffers<long>.Return(lengths);
        }
    }

    internal TextForm Form { get; }

    public int Count { get; }

    /// <summary>The number of different values, where the column is a dictionary; else 0.</summary>
    public int Entries { get; }

    /// <summary>The place in the dictionary of each value.</summary>
    public ReadOnlySpan<int> Places => PlacesBuffer.AsSpan(0, Count);

    /// <summary>The same in a buffer that may be longer.</summary>
    internal int[] PlacesBuffer => _places ??= ReadPlaces();

    /// <summary>The constant text around each value, and the values inside; null inner where there is none.</summary>
    internal (ReadOnlyMemory<byte> Before, TextVector Inner, ReadOnlyMemory<byte> After)? Affixes =>
        _inner is null ? null : (_before, _inner, _after);

    /// <summary>All texts of a plain column, or all entries of a dictionary, one behind the other.</summary>
    internal ReadOnlySpan<byte> AllBytes => _bytes.Span;

    /// <summary>Where each of them begins, and the end of the last.</summary>
    internal ReadOnlySpan<int> Starts => _starts.AsSpan(0, (Form == TextForm.Dictionary ? Entries : Count) + 1);

    /// <summary>Digits of each text, where it is a column of hexadecimal ones.</summary>
    internal int HexLength => _length;

    internal ReadOnlySpan<long> Numbers => (_numbers ??= Read(_numberSlice)).AsSpan(0, Count);

    private ReadOnlySpan<long> Digits
    {
        get
        {
            if (_digits is not null)
                return _digits.AsSpan(0, Count);
            var digits = Read(_digitSlice);
            foreach (var d in digits.AsSpan(0, Count))
                if (d is < 1 or > TextForms.MostDigits)
                    throw Unknown();
            return (_digits = digits).AsSpan(0, Count);
        }
    }

    /// <summary>Unpacks all, so that nothing can fail later.</summary>
    public TextVector Decode()
    {
        switch (Form)
        {
            case TextForm.Dictionary:
                _ = Places;
                break;
            case TextForm.Decimal:
                _ = Digits;
                _ = Numbers;
                break;
            case TextForm.Affixed:
                _inner!.Decode();
                break;
            case TextForm.Integer or TextForm.Address or TextForm.PaddedDigits:
                _ = Numbers;
                break;
        }
        return this;
    }

    private long[] Read(LongSlice slice)
    {
        var numbers = NewLongs(slice.Count);
        slice.Read(numbers);
        return numbers;
    }

    private int[] ReadPlaces()
    {
        var places = NewInts(Count);
        _placeSlice.ReadPlaces(places, Entries);
        return places;
    }

    private long[] NewLongs(int count) => _arena?.Longs(count) ?? new long[count];

    private int[] NewInts(int count) => _arena?.Ints(count) ?? new int[count];

    private static InvalidDataException Unknown() => new("A column of texts has an unknown form.");

    private static ReadOnlyMemory<byte> Bytes(ref ByteReader from, int count)
    {
        var start = from.Position;
        from.Bytes(count);
        return from.Since(start);
    }

    // How many bytes there are is the sum of the lengths, so these are unpacked at once.
    private (int[] Starts, ReadOnlyMemory<byte> Bytes) Plain(ref ByteReader from, int count)
    {
        var lengths = Buffers<long>.Take(count);
        try
        {
            LongColumn.Read(ref from, lengths.AsSpan(0, count));
            var starts = NewInts(count + 1);
            starts[0] = 0;
            for (var i = 0; i < count; i++)
            {
                if ((ulong)lengths[i] > (ulong)(from.Left - starts[i]))
                    throw new InvalidDataException("A length is larger than it can be.");
                starts[i + 1] = starts[i] + (int)lengths[i];
            }
            return (starts, Bytes(ref from, starts[count]));
        }
        finally
        {
            Buffers<long>.Return(lengths);
        }
    }

    /// <summary>The bytes of a dictionary's entry.</summary>
    public ReadOnlySpan<byte> Entry(int place) => _bytes.Span[_starts[place].._starts[place + 1]];

    /// <summary>The text of a dictionary's entry; one object however often it is asked for.</summary>
    public string EntryText(int place) => (_strings ??= new string?[Entries])[place] ??= Encoding.UTF8.GetString(Entry(place));

    public string Text(int index)
    {
        if (Form == TextForm.Dictionary)
            return EntryText(Places[index]);
        if (Form == TextForm.Plain)
            return Encoding.UTF8.GetString(Entry(index));
        using var bytes = new ByteWriter(64);
        Append(index, bytes);
        return Encoding.UTF8.GetString(bytes.Written);
    }

    public void Append(int index, ByteWriter to)
    {
        switch (Form)
        {
            case TextForm.Plain:
                to.Bytes(Entry(index));
                break;
            case TextForm.Dictionary:
                to.Bytes(Entry(Places[index]));
                break;
            case TextForm.Integer:
                TextForms.AppendInteger(to, Numbers[index]);
                break;
            case TextForm.Decimal:
                TextForms.AppendDecimal(to, Numbers[index], (int)Digits[index]);
                break;
            case TextForm.PaddedDigits:
                TextForms.AppendPadded(to, Numbers[index], _length);
                break;
            case TextForm.Address:
                TextForms.AppendAddress(to, Numbers[index]);
                break;
            case TextForm.Hex or TextForm.UpperHex:
                AppendHex(index, to);
                break;
            case TextForm.Uuid:
                AppendUuid(index, to);
                break;
            case TextForm.Affixed:
                to.Bytes(_before.Span);
                _inner!.Append(index, to);
                to.Bytes(_after.Span);
                break;
        }
    }

    private void AppendHex(int index, ByteWriter to)
    {
        var width = (_length + 1) / 2;
        var digits = Form == TextForm.Hex ? "0123456789abcdef"u8 : "0123456789ABCDEF"u8;
        var packed = _bytes.Span.Slice(index * width, width);
        var room = to.Reserve(_length);
        for (var i = 0; i < room.Length; i++)
            room[i] = digits[(packed[i >> 1] >> ((~i & 1) * 4)) & 15];
    }

    private void AppendUuid(int index, ByteWriter to)
    {
        var packed = _bytes.Span.Slice(index * 16, 16);
        var room = to.Reserve(TextForms.UuidLength);
        var at = 0;
        for (var i = 0; i < room.Length; i++)
        {
            if (TextForms.IsDash(i))
            {
                room[i] = (byte)'-';
                continue;
            }
            room[i] = "0123456789abcdef"u8[(packed[at >> 1] >> ((~at & 1) * 4)) & 15];
            at++;
        }
    }
}
