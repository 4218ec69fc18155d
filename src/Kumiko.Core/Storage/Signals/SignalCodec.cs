using System.Buffers;
using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Signals;

/// <summary>
/// What batches of spans are made of as bytes: a version, then LZ4 of tables of names, resources and scopes,
/// and the items. Numbers are LEB128, times differences from the one before.
/// </summary>
internal sealed class SignalWriter : IDisposable
{
    private const byte Version = 1;

    private readonly ByteWriter _body = new(64 * 1024);
    private readonly NameTable _names = new();
    private readonly Dictionary<Resource, int> _resources = new(ReferenceEqualityComparer.Instance);
    private readonly Dictionary<InstrumentationScope, int> _scopes = new(ReferenceEqualityComparer.Instance);
    private long _time;

    public ByteWriter Body => _body;

    public void Of(Resource resource, InstrumentationScope scope)
    {
        _body.Number(Place(_resources, resource));
        _body.Number(Place(_scopes, scope));
    }

    public void Time(long time)
    {
        _body.Signed(time - _time);
        _time = time;
    }

    public void Name(string name) => _body.Number(_names.Place(name));

    public void Fields(Attributes fields) => ValueCodec.Write(_body, fields, _names);

    public void Value(Value value) => ValueCodec.Write(_body, value, _names);

    public void Optional(double? number)
    {
        _body.Byte(number is null ? (byte)0 : (byte)1);
        if (number is { } given)
            Number(given);
    }

    public void Number(double number) => _body.Fixed((ulong)BitConverter.DoubleToInt64Bits(number));

    public void Number(ulong number) => _body.Signed((long)number);

    public void Optional(string? text)
    {
        _body.Byte(text is null ? (byte)0 : (byte)1);
        if (text is not null)
            _body.Text(text);
    }

    private static int Place<T>(Dictionary<T, int> places, T item)
        where T : notnull
    {
        if (!places.TryGetValue(item, out var place))
            places.Add(item, place = places.Count);
        return place;
    }

    /// <summary>Everything written, with its tables before it.</summary>
    public byte[] Pack()
    {
        using var tables = new ByteWriter();
        foreach (var resource in _resources.Keys)
            ValueCodec.Write(tables, resource.Attributes, _names);
        foreach (var scope in _scopes.Keys)
        {
            tables.Text(scope.Name);
            tables.Text(scope.Version);
            ValueCodec.Write(tables, scope.Attributes, _names);
        }
        using var head = new ByteWriter();
        _names.Write(head);
        head.Number(_resources.Count);
        head.Number(_scopes.Count);
        head.Bytes(tables.Written);
        head.Bytes(_body.Written);
        var packed = new ArrayBufferWriter<byte>(LZ4Codec.MaximumOutputSize(head.Length) + 64);
        packed.Write([Version]);
        LZ4Pickler.Pickle(head.Written, packed);
        return packed.WrittenSpan.ToArray();
    }

    public void Dispose() => _body.Dispose();

    /// <exception cref="InvalidDataException">The blob is damaged, or of a version that is not known.</exception>
    public static byte[] Unpack(ReadOnlySpan<byte> content)
    {
        if (content.Length < 2 || content[0] != Version)
            throw new InvalidDataException($"The batch has version {(content.Length > 0 ? content[0] : 0)}; {Version} is known.");
        return LZ4Pickler.Unpickle(content[1..]);
    }
}

/// <summary>Reads what a <see cref="SignalWriter"/> wrote.</summary>
internal ref struct SignalReader
{
    private readonly StringCache _strings = new();
    private readonly string[] _names;
    private readonly Resource[] _resources;
    private readonly InstrumentationScope[] _scopes;
    private ByteReader _from;
    private long _time;

    public SignalReader(ReadOnlySpan<byte> unpacked)
    {
        _from = new ByteReader(unpacked);
        _names = NameTable.Read(ref _from, _strings);
        _resources = new Resource[_from.Count(_from.Left)];
        _scopes = new InstrumentationScope[_from.Count(_from.Left)];
        for (var i = 0; i < _resources.Length; i++)
            _resources[i] = new Resource(Fields());
        for (var i = 0; i < _scopes.Length; i++)
            _scopes[i] = new InstrumentationScope(Text(), Text(), Fields());
    }

    public (Resource Resource, InstrumentationScope Scope) Of() =>
        (_resources[_from.Count(_resources.Length - 1)], _scopes[_from.Count(_scopes.Length - 1)]);

    public long Time() => _time += _from.Signed();

    public string Name() => ValueCodec.Name(ref _from, _names);

    public Attributes Fields() => ValueCodec.ReadFields(ref _from, _names, _strings);

    public Value Value() => ValueCodec.Read(ref _from, _names, _strings);

    public double? OptionalNumber() => _from.Byte() == 0 ? null : Decimal();

    public double Decimal() => BitConverter.Int64BitsToDouble((long)_from.Fixed());

    public ulong Whole() => (ulong)_from.Signed();

    public string Text() => _strings.Get(_from.Sized());

    public string? OptionalText() => _from.Byte() == 0 ? null : Text();

    public byte Byte() => _from.Byte();

    public long Signed() => _from.Signed();

    public ulong Unsigned() => _from.Unsigned();

    /// <summary>A number of things that follow.</summary>
    public int Count() => _from.Count(_from.Left);
}
