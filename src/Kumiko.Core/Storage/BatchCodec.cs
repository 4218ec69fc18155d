using System.Buffers;
using System.Collections.Concurrent;
using K4os.Compression.LZ4;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage;

/// <summary>
/// A batch of records as one blob: a version byte, then LZ4 of a table of resources, a table of names and the
/// records in order. Numbers are LEB128, times are differences from the one before.
/// </summary>
internal static class BatchCodec
{
    private const byte Version = 1;

    public static byte[] Encode(RecordBlock block)
    {
        using var body = new ByteWriter(block.Bytes.Length + (block.Count * 48));
        using var head = new ByteWriter(body.Buffer.Length);
        var names = new NameTable();
        var shapes = Array.ConvertAll(block.Shapes, s => Array.ConvertAll(s.Names, names.Place));
        var sources = Array.ConvertAll(block.Sources, names.Place);
        var (time, observed) = (0L, 0L);
        for (var row = 0; row < block.Count; row++)
        {
            body.Signed(block.TimeOf[row] - time);
            body.Signed(block.ObservedOf[row] - observed);
            (time, observed) = (block.TimeOf[row], block.ObservedOf[row]);
            body.Byte(block.SeverityOf[row]);
            body.Number(block.ResourceOf[row]);
            body.Number(sources[block.SourceOf[row]]);
            WriteOptional(body, block, row, TextPart.Level);
            WriteOptional(body, block, row, TextPart.TraceId);
            WriteOptional(body, block, row, TextPart.SpanId);
            body.Sized(block.TextOf(row, TextPart.Body) is { } text ? text.Of(block.Bytes) : []);
            WriteFields(body, block, row, shapes[block.ShapeOf[row]], names);
        }
        head.Number(block.Count);
        // Resources before names: writing them may add names.
        using var resources = new ByteWriter();
        foreach (var resource in block.Resources)
            ValueCodec.Write(resources, resource.Attributes, names);
        names.Write(head);
        head.Number(block.Resources.Length);
        head.Bytes(resources.Written);
        head.Bytes(body.Written);
        return Pack(head.Written);
    }

    private const int MostScratch = 4;
    private const int LargestScratch = 8 << 20;

    /// <summary>Room to pack into, kept for the next batch: as large as the batch, most of it is thrown away.</summary>
    private static readonly ConcurrentBag<ArrayBufferWriter<byte>> Scratch = [];

    private static byte[] Pack(ReadOnlySpan<byte> raw)
    {
        if (!Scratch.TryTake(out var packed))
            packed = new ArrayBufferWriter<byte>(LZ4Codec.MaximumOutputSize(raw.Length) + 64);
        packed.ResetWrittenCount();
        packed.Write([Version]);
        LZ4Pickler.Pickle(raw, packed);
        var content = packed.WrittenSpan.ToArray();
        if (packed.Capacity <= LargestScratch && Scratch.Count < MostScratch)
            Scratch.Add(packed);
        return content;
    }

    private static void WriteOptional(ByteWriter to, RecordBlock block, int row, TextPart part)
    {
        var text = block.TextOf(row, part);
        to.Byte(text is null ? (byte)0 : (byte)1);
        if (text is { } slice)
            to.Sized(slice.Of(block.Bytes));
    }

    private static void WriteFields(ByteWriter to, RecordBlock block, int row, int[] names, NameTable table)
    {
        var kinds = block.Shapes[block.ShapeOf[row]].Kinds;
        var first = block.CellOf[row];
        to.Number(names.Length);
        for (var i = 0; i < names.Length; i++)
        {
            var cell = block.Cells[first + i];
            to.Number(names[i]);
            switch (kinds[i])
            {
                case ValueKind.List or ValueKind.Object:
                    ValueCodec.Write(to, NestedValue.Read(block.SliceOf(row, cell).Of(block.Bytes), RecordReader.Strings), table);
                    continue;
                case ValueKind.Text:
                    to.Byte((byte)kinds[i]);
                    to.Sized(block.SliceOf(row, cell).Of(block.Bytes));
                    break;
                case ValueKind.Decimal:
                    to.Byte((byte)kinds[i]);
                    to.Fixed((ulong)cell);
                    break;
                case ValueKind.Missing:
                    to.Byte((byte)kinds[i]);
                    break;
                default:
                    to.Byte((byte)kinds[i]);
                    to.Signed(cell);
                    break;
            }
        }
    }

    /// <exception cref="InvalidDataException">The blob is damaged, or of a version that is not known.</exception>
    public static RecordBlock Decode(
        ReadOnlySpan<byte> content,
        long firstSequence,
        StringCache strings,
        Signal signal = Signal.Logs
    )
    {
        if (content.Length < 2)
            throw new InvalidDataException("The batch is empty.");
        if (content[0] != Version)
            throw new InvalidDataException($"The batch has version {content[0]}; {Version} is known.");
        try
        {
            return Read(new ByteReader(LZ4Pickler.Unpickle(content[1..])), firstSequence, strings, signal);
        }
        catch (Exception e) when (e is ArgumentException or IndexOutOfRangeException or OverflowException or OutOfMemoryException)
        {
            throw new InvalidDataException("The batch is damaged.", e);
        }
    }

    private static RecordBlock Read(ByteReader from, long firstSequence, StringCache strings, Signal signal)
    {
        var count = from.Count(from.Left);
        var names = NameTable.Read(ref from, strings);
        var resources = new Resource[from.Count(from.Left)];
        for (var i = 0; i < resources.Length; i++)
            resources[i] = new Resource(ValueCodec.ReadFields(ref from, names, strings));
        var builder = new RecordBlockBuilder();
        var (time, observed) = (0L, 0L);
        for (var i = 0; i < count; i++)
        {
            time += from.Signed();
            observed += from.Signed();
            var severity = from.Byte();
            var resource = resources[from.Count(resources.Length - 1)];
            var source = ValueCodec.Name(ref from, names);
            builder.Begin();
            foreach (var part in (ReadOnlySpan<TextPart>)[TextPart.Level, TextPart.TraceId, TextPart.SpanId])
                if (from.Byte() != 0)
                    builder.Text(part, from.Sized());
            builder.Text(TextPart.Body, from.Sized());
            ReadFields(ref from, names, strings, builder);
            builder.End(time, observed, severity, resource, source, firstSequence + i);
        }
        return builder.Build(signal);
    }

    private static void ReadFields(ref ByteReader from, string[] names, StringCache strings, RecordBlockBuilder builder)
    {
        for (var left = from.Count(from.Left); left > 0; left--)
            builder.Add(ValueCodec.Name(ref from, names), ValueCodec.Read(ref from, names, strings));
    }
}
