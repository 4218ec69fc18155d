using System.Buffers;
using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Spans as one blob, as they were written before they lay in segments.</summary>
internal static class FormerSpanWriter
{
    public static byte[] Encode(IReadOnlyList<Span> spans)
    {
        using var to = new BlobWriter();
        to.Body.Number(spans.Count);
        foreach (var span in spans)
        {
            to.Of(span.Resource, span.Scope);
            to.Body.Text(span.TraceId);
            to.Body.Text(span.SpanId);
            to.Optional(span.ParentId);
            to.Name(span.Name);
            to.Body.Byte((byte)span.Kind);
            to.Time(span.Start);
            to.Body.Signed(span.End - span.Start);
            to.Fields(span.Attributes);
            to.Body.Byte((byte)span.Status);
            to.Body.Text(span.StatusMessage);
            to.Body.Text(span.TraceState);
            to.Body.Number(span.Flags);
            to.Body.Number(span.Events.Count);
            foreach (var e in span.Events)
            {
                to.Time(e.Time);
                to.Name(e.Name);
                to.Fields(e.Attributes);
            }
            to.Body.Number(span.Links.Count);
            foreach (var link in span.Links)
            {
                to.Body.Text(link.TraceId);
                to.Body.Text(link.SpanId);
                to.Body.Text(link.TraceState);
                to.Fields(link.Attributes);
                to.Body.Number(link.Flags);
            }
        }
        return to.Pack();
    }
}

/// <summary>
/// What batches of spans are made of as bytes: a version, then LZ4 of tables of names, resources and scopes,
/// and the items. Numbers are LEB128, times differences from the one before.
/// </summary>
internal sealed class BlobWriter : IDisposable
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
}
