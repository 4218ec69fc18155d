using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>A packed column.</summary>
public sealed record EncodedColumn(SegmentColumn Column, Codec Codec, int RawLength, byte[] Content);

/// <summary>A segment ready to be inserted; it gets its id then.</summary>
/// <param name="FirstSeen">Its fields with the time of the first record that has each.</param>
public sealed record EncodedSegment(
    Segment Catalogue,
    IReadOnlyList<EncodedColumn> Columns,
    IReadOnlyList<KeyValuePair<FieldKey, long>> FirstSeen
);

/// <summary>Gathers columns: small ones into one bundle, so that a segment of few rows is one blob.</summary>
internal sealed class ColumnGatherer(Codec codec) : IDisposable
{
    private const int SmallColumn = 2 * 1024;

    private readonly ByteWriter _bundle = new(4096);
    private readonly ByteWriter _packed = new(64 * 1024);
    private readonly List<EncodedColumn> _columns = [];

    /// <summary>Packs what was written of a column and clears the writer. An empty column is none.</summary>
    public void Add(SegmentColumn column, ByteWriter raw)
    {
        if (raw.Length == 0)
            return;
        if (raw.Length <= SmallColumn)
        {
            _bundle.Number((int)column);
            _bundle.Sized(raw.Written);
        }
        else
            _columns.Add(Pack(column, raw.Written));
        raw.Clear();
    }

    public List<EncodedColumn> Finish()
    {
        if (_bundle.Length > 0)
            _columns.Insert(0, Pack(SegmentColumn.Bundle, _bundle.Written));
        return _columns;
    }

    private EncodedColumn Pack(SegmentColumn column, ReadOnlySpan<byte> raw)
    {
        _packed.Clear();
        var used = Codecs.Pack(raw, column == SegmentColumn.Filter ? Codec.None : codec, _packed);
        return new EncodedColumn(column, used, raw.Length, _packed.ToArray());
    }

    public void Dispose()
    {
        _bundle.Dispose();
        _packed.Dispose();
    }
}
