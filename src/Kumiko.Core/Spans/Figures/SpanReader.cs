using System.Buffers.Text;
using System.IO.Hashing;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Spans.Figures;

/// <summary>Reads what figures need out of the columns of blocks. For one thread.</summary>
internal sealed class SpanReader(FigureNames names, OperationNames operations, FailureRules failures)
{
    /// <summary>Fields that say whom a call goes to, those that say most first.</summary>
    private static readonly (string Name, CalleeKind Kind)[] Peers =
    [
        ("messaging.destination.name", CalleeKind.Queue),
        ("db.namespace", CalleeKind.Database),
        ("db.name", CalleeKind.Database),
        ("db.system.name", CalleeKind.Database),
        ("db.system", CalleeKind.Database),
        ("peer.service", CalleeKind.Outside),
        ("rpc.service", CalleeKind.Outside),
        ("server.address", CalleeKind.Outside),
        ("net.peer.name", CalleeKind.Outside),
    ];

    /// <summary>Where the fields of a list of fields stand; −1 for none.</summary>
    private readonly record struct Places(int Kind, int Parent, int Weight, int Links, (int At, CalleeKind Kind)[] Peers);

    private readonly Dictionary<RecordShape, Places> _places = [];
    private const int MostPlaces = 10_000;

    private RecordBlock? _block;
    private Places[] _ofShape = [];
    private (int Service, int Host)[] _ofResource = [];
    private int[] _sources = [];

    /// <summary>Begins to read a block of spans.</summary>
    public void Begin(RecordBlock block)
    {
        _block = block;
        if (_places.Count > MostPlaces)
            _places.Clear();
        _ofShape = Array.ConvertAll(block.Shapes, PlacesOf);
        _ofResource = Array.ConvertAll(block.Resources, r => (names.Of(r.Service.ToText()), names.Of(r.Host.ToText())));
        _sources = Array.ConvertAll(block.Sources, names.Of);
    }

    private Places PlacesOf(RecordShape shape)
    {
        if (_places.TryGetValue(shape, out var known))
            return known;
        int At(string name) => Array.IndexOf(shape.Names, name);
        return _places[shape] = new Places(
            At(SpanFields.Kind),
            At(SpanFields.Parent),
            At(SpanFields.Weight),
            At(SpanFields.Links),
            [.. Peers.Select(p => (At: At(p.Name), p.Kind)).Where(p => p.At >= 0 && shape.Kinds[p.At] == ValueKind.Text)]
        );
    }

    public SpanFacts Read(int row)
    {
        var block = _block!;
        var places = _ofShape[block.ShapeOf[row]];
        var (service, host) = _ofResource[block.ResourceOf[row]];
        var kind = places.Kind < 0 ? SpanKind.Unspecified : KindOf(Text(row, places.Kind));
        var trace = Text(row, TextPart.TraceId);
        var parent = places.Parent < 0 ? 0 : IdOf(trace, Text(row, places.Parent));
        if (parent == 0 && kind == SpanKind.Consumer && places.Links >= 0)
            parent = FirstLink(row, places.Links);
        var (peer, peerKind) = kind is SpanKind.Client or SpanKind.Producer ? PeerOf(row, places) : (0, CalleeKind.Outside);
        return new SpanFacts(
            IdOf(trace, Text(row, TextPart.SpanId)),
            parent,
            _sources[block.SourceOf[row]],
            service,
            host,
            operations.Of(service, Text(row, TextPart.Body), block.TimeOf[row]),
            kind,
            failures.HasFailed(block, row),
            block.TimeOf[row],
            Math.Max(0, block.ObservedOf[row] - block.TimeOf[row]),
            places.Weight < 0 ? 1 : BitConverter.Int64BitsToDouble(Cell(row, places.Weight)),
            peer,
            peerKind
        );
    }

    private long Cell(int row, int place) => _block!.Cells[_block.CellOf[row] + place];

    private ReadOnlySpan<byte> Text(int row, int place) => _block!.SliceOf(row, Cell(row, place)).Of(_block.Bytes);

    private ReadOnlySpan<byte> Text(int row, TextPart part) =>
        _block!.TextOf(row, part) is { } text ? text.Of(_block.Bytes) : default;

    // Kinds differ in their first two letters.
    private static SpanKind KindOf(ReadOnlySpan<byte> name) =>
        name switch
        {
            [(byte)'s', ..] => SpanKind.Server,
            [(byte)'c', (byte)'l', ..] => SpanKind.Client,
            [(byte)'c', ..] => SpanKind.Consumer,
            [(byte)'p', ..] => SpanKind.Producer,
            [(byte)'i', ..] => SpanKind.Internal,
            _ => SpanKind.Unspecified,
        };

    private (int Peer, CalleeKind Kind) PeerOf(int row, Places places)
    {
        foreach (var (at, kind) in places.Peers)
            return (names.Of(System.Text.Encoding.UTF8.GetString(Text(row, at))), kind);
        return (0, CalleeKind.Outside);
    }

    private ulong FirstLink(int row, int place)
    {
        var links = NestedValue.Read(Text(row, place), RecordReader.Strings);
        if (links.Kind != ValueKind.List || links.AsList.Length == 0)
            return 0;
        var first = links.AsList[0].AsObject;
        return IdOf(
            System.Text.Encoding.UTF8.GetBytes(first.Get("trace_id").AsText),
            System.Text.Encoding.UTF8.GetBytes(first.Get("span_id").AsText)
        );
    }

    /// <summary>A hash of both ids, as a span id alone may come twice.</summary>
    private static ulong IdOf(ReadOnlySpan<byte> trace, ReadOnlySpan<byte> span) =>
        Utf8Parser.TryParse(span, out ulong number, out var read, 'x') && read == span.Length
            ? XxHash3.HashToUInt64(trace, (long)number)
            : 0;
}
