using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Spans;

/// <summary>
/// Reads spans as they lay in batches once: a version, then LZ4 of tables of names, resources and scopes, and the spans.
/// Numbers are LEB128, times differences from the one before.
/// </summary>
internal static class FormerSpanCodec
{
    private const byte Version = 1;

    /// <exception cref="InvalidDataException">The blob is damaged.</exception>
    public static IReadOnlyList<Span> Decode(ReadOnlySpan<byte> content)
    {
        if (content.Length < 2 || content[0] != Version)
            throw new InvalidDataException($"The batch has version {(content.Length > 0 ? content[0] : 0)}; {Version} is known.");
        var from = new FormerSpanReader(LZ4Pickler.Unpickle(content[1..]));
        var spans = new Span[from.Count()];
        for (var i = 0; i < spans.Length; i++)
            spans[i] = Read(ref from);
        return spans;
    }

    private static Span Read(ref FormerSpanReader from)
    {
        var (resource, scope) = from.Of();
        var (trace, id, parent, name, kind) = (from.Text(), from.Text(), from.OptionalText(), from.Name(), (SpanKind)from.Byte());
        var start = from.Time();
        var end = start + from.Signed();
        var (attributes, status, message, state, flags) = (
            from.Fields(),
            (SpanStatus)from.Byte(),
            from.Text(),
            from.Text(),
            from.Unsigned()
        );
        var events = new SpanEvent[from.Count()];
        for (var i = 0; i < events.Length; i++)
            events[i] = new SpanEvent(from.Time(), from.Name(), from.Fields());
        var links = new SpanLink[from.Count()];
        for (var i = 0; i < links.Length; i++)
            links[i] = new SpanLink(from.Text(), from.Text(), from.Text(), from.Fields(), (uint)from.Unsigned());
        return new Span
        {
            TraceId = trace,
            SpanId = id,
            ParentId = parent,
            Name = name,
            Kind = kind,
            Start = start,
            End = end,
            Resource = resource,
            Scope = scope,
            Attributes = attributes,
            Status = status,
            StatusMessage = message,
            TraceState = state,
            Flags = (uint)flags,
            Events = events,
            Links = links,
        };
    }
}

/// <summary>Reads such a blob.</summary>
internal ref struct FormerSpanReader
{
    private readonly StringCache _strings = new();
    private readonly string[] _names;
    private readonly Resource[] _resources;
    private readonly InstrumentationScope[] _scopes;
    private ByteReader _from;
    private long _time;

    public FormerSpanReader(ReadOnlySpan<byte> unpacked)
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

    public string Text() => _strings.Get(_from.Sized());

    public string? OptionalText() => _from.Byte() == 0 ? null : Text();

    public byte Byte() => _from.Byte();

    public long Signed() => _from.Signed();

    public ulong Unsigned() => _from.Unsigned();

    /// <summary>A number of things that follow.</summary>
    public int Count() => _from.Count(_from.Left);
}
