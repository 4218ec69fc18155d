using System.Text;

namespace Kumiko.Core.Storage.Columns;

/// <summary>A decoded column of texts: any of them by its place, without rebuilding the others.</summary>
/// <remarks>Reading from several threads at once is safe.</remarks>
public sealed class TextVector
{
    private readonly TextForm _form;
    private readonly long[] _numbers = [];
    private readonly long[] _digits = [];
    private readonly int[] _places = [];
    private readonly int[] _starts = [];
    private readonly byte[] _bytes = [];
    private readonly byte[] _before = [], _after = [];
    private readonly TextVector? _inner;
    private readonly string?[] _strings = [];
    private readonly int _length;

    public static readonly TextVector Empty = new();

    private TextVector() => _form = TextForm.Plain;

    /// <exception cref="InvalidDataException">The bytes cannot be such a column of this length.</exception>
    public TextVector(ref ByteReader from, int count)
    {
        Count = count;
        _form = (TextForm)from.Byte();
        switch (_form)
        {
            case TextForm.Plain: (_starts, _bytes) = Plain(ref from, count); break;
            case TextForm.Dictionary:
                var entries = from.Count(Math.Max(count, 1));
                if (from.Byte() != (byte)TextForm.Plain) throw Unknown();
                (_starts, _bytes) = Plain(ref from, entries);
                _places = LongColumn.ReadPlaces(ref from, count, entries);
                _strings = new string?[entries];
                break;
            case TextForm.Integer or TextForm.Address: _numbers = Numbers(ref from, count); break;
            case TextForm.Decimal:
                _digits = Numbers(ref from, count);
                if (Array.Exists(_digits, d => d is < 1 or > TextForms.MostDigits)) throw Unknown();
                _numbers = Numbers(ref from, count);
                break;
            case TextForm.PaddedDigits:
                _length = from.Byte();
                _numbers = Numbers(ref from, count);
                break;
            case TextForm.Hex or TextForm.UpperHex:
                _length = from.Byte();
                _bytes = from.Bytes(checked((_length + 1) / 2 * count)).ToArray();
                break;
            case TextForm.Uuid: _bytes = from.Bytes(checked(16 * count)).ToArray(); break;
            case TextForm.Affixed:
                (_before, _after) = (from.Sized().ToArray(), from.Sized().ToArray());
                _inner = new TextVector(ref from, count);
                if (_inner._form == TextForm.Affixed) throw Unknown();
                break;
            default: throw Unknown();
        }
    }

    public int Count { get; }

    /// <summary>The different values, where the column is a dictionary; else none.</summary>
    public int Entries => _strings.Length;

    /// <summary>The place in the dictionary of each value.</summary>
    public ReadOnlySpan<int> Places => _places;

    private static InvalidDataException Unknown() => new("A column of texts has an unknown form.");

    private static long[] Numbers(ref ByteReader from, int count)
    {
        var numbers = new long[count];
        LongColumn.Read(ref from, numbers);
        return numbers;
    }

    private static (int[] Starts, byte[] Bytes) Plain(ref ByteReader from, int count)
    {
        var lengths = Numbers(ref from, count);
        var starts = new int[count + 1];
        for (var i = 0; i < count; i++)
        {
            if (lengths[i] < 0 || lengths[i] > from.Left) throw new InvalidDataException("A length is larger than it can be.");
            starts[i + 1] = checked(starts[i] + (int)lengths[i]);
        }
        return (starts, from.Bytes(starts[count]).ToArray());
    }

    /// <summary>The bytes of a dictionary's entry.</summary>
    public ReadOnlySpan<byte> Entry(int place) => _bytes.AsSpan(_starts[place], _starts[place + 1] - _starts[place]);

    /// <summary>The text of a dictionary's entry; one object however often it is asked for.</summary>
    public string EntryText(int place) => _strings[place] ??= Encoding.UTF8.GetString(Entry(place));

    public string Text(int index)
    {
        if (_form == TextForm.Dictionary) return EntryText(_places[index]);
        if (_form == TextForm.Plain) return Encoding.UTF8.GetString(Entry(index));
        using var bytes = new ByteWriter(64);
        Append(index, bytes);
        return Encoding.UTF8.GetString(bytes.Written);
    }

    public void Append(int index, ByteWriter to)
    {
        switch (_form)
        {
            case TextForm.Plain: to.Bytes(Entry(index)); break;
            case TextForm.Dictionary: to.Bytes(Entry(_places[index])); break;
            case TextForm.Integer: TextForms.AppendInteger(to, _numbers[index]); break;
            case TextForm.Decimal: TextForms.AppendDecimal(to, _numbers[index], (int)_digits[index]); break;
            case TextForm.PaddedDigits: TextForms.AppendPadded(to, _numbers[index], _length); break;
            case TextForm.Address: TextForms.AppendAddress(to, _numbers[index]); break;
            case TextForm.Hex or TextForm.UpperHex: AppendHex(index, to); break;
            case TextForm.Uuid: AppendUuid(index, to); break;
            case TextForm.Affixed:
                to.Bytes(_before);
                _inner!.Append(index, to);
                to.Bytes(_after);
                break;
        }
    }

    private void AppendHex(int index, ByteWriter to)
    {
        var width = (_length + 1) / 2;
        var digits = _form == TextForm.Hex ? "0123456789abcdef"u8 : "0123456789ABCDEF"u8;
        var packed = _bytes.AsSpan(index * width, width);
        var room = to.Reserve(_length);
        for (var i = 0; i < room.Length; i++) room[i] = digits[(packed[i >> 1] >> ((~i & 1) * 4)) & 15];
    }

    private void AppendUuid(int index, ByteWriter to)
    {
        var packed = _bytes.AsSpan(index * 16, 16);
        var room = to.Reserve(TextForms.UuidLength);
        var at = 0;
        for (var i = 0; i < room.Length; i++)
        {
            if (TextForms.IsDash(i)) { room[i] = (byte)'-'; continue; }
            room[i] = "0123456789abcdef"u8[(packed[at >> 1] >> ((~at & 1) * 4)) & 15];
            at++;
        }
    }
}
