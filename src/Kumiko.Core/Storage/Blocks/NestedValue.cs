using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>A list or an object as bytes that stand for themselves: their names, then the value.</summary>
internal static class NestedValue
{
    public static void Write(ByteWriter to, Value value)
    {
        var names = new NameTable();
        using var content = new ByteWriter();
        ValueCodec.Write(content, value, names);
        names.Write(to);
        to.Bytes(content.Written);
    }

    public static Value Read(ReadOnlySpan<byte> content, StringCache strings)
    {
        var from = new ByteReader(content);
        var names = NameTable.Read(ref from, strings);
        return ValueCodec.Read(ref from, names, strings);
    }
}
