using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The decoded values of one field.</summary>
public abstract class FieldVector
{
    public abstract Value this[int index] { get; }

    internal static FieldVector Read(ValueKind kind, ReadOnlySpan<byte> content, int count, string[] names)
    {
        var from = new ByteReader(content);
        switch (kind)
        {
            case ValueKind.Missing: return new Nothing();
            case ValueKind.Text: return new Texts(new TextVector(ref from, count));
            case ValueKind.Decimal:
                var decimals = new double[count];
                DecimalColumn.Read(ref from, decimals);
                return new Decimals(decimals);
            case ValueKind.List or ValueKind.Object: return new Nested(new TextVector(ref from, count), names);
            default:
                var numbers = new long[count];
                LongColumn.Read(ref from, numbers);
                ValueCodec.Whole(kind, 0);
                return new Wholes(kind, numbers);
        }
    }

    private sealed class Nothing : FieldVector
    {
        public override Value this[int index] => Value.Missing;
    }

    private sealed class Wholes(ValueKind kind, long[] numbers) : FieldVector
    {
        public override Value this[int index] => ValueCodec.Whole(kind, numbers[index]);
    }

    private sealed class Decimals(double[] numbers) : FieldVector
    {
        public override Value this[int index] => Value.Of(numbers[index]);
    }

    private sealed class Texts(TextVector texts) : FieldVector
    {
        public override Value this[int index] => Value.Of(texts.Text(index));
    }

    private sealed class Nested(TextVector values, string[] names) : FieldVector
    {
        public override Value this[int index]
        {
            get
            {
                using var bytes = new ByteWriter();
                values.Append(index, bytes);
                var from = new ByteReader(bytes.Written);
                return ValueCodec.Read(ref from, names, SegmentRows.Strings);
            }
        }
    }
}
