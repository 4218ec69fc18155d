using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Segments;

/// <summary>The values of one field.</summary>
public abstract class FieldVector
{
    public abstract Value this[int index] { get; }

    /// <summary>Unpacks all, so that nothing can fail later.</summary>
    internal virtual void Decode() { }

    /// <summary>The texts, where it is a field of texts.</summary>
    public virtual TextVector? Texts => null;

    /// <summary>Whole numbers of the field's kind; empty where it has none.</summary>
    public virtual ReadOnlySpan<long> Wholes => [];

    /// <summary>The kind of quantity that whole numbers are; null where there are none.</summary>
    internal virtual ValueKind? WholeKind => null;

    /// <summary>Some of them, without unpacking the others where that can be.</summary>
    /// <param name="numbers">Receives them, in the order of the places.</param>
    internal virtual void WholesAt(ReadOnlySpan<int> places, Span<long> numbers) => throw new NotSupportedException();

    /// <summary>The same in a buffer that may be longer.</summary>
    internal virtual long[] Numbers => [];

    /// <summary>Decimals; empty where it has none.</summary>
    public virtual ReadOnlySpan<double> Decimals => [];

    internal static FieldVector Read(ValueKind kind, ref ByteReader from, int count, string[] names, Arena? arena)
    {
        switch (kind)
        {
            case ValueKind.Missing:
                return new NothingVector();
            case ValueKind.Text:
                return new TextsVector(new TextVector(ref from, count, arena));
            case ValueKind.Decimal:
                var decimals = arena?.Doubles(count) ?? new double[count];
                DecimalColumn.Read(ref from, decimals.AsSpan(0, count));
                return new DecimalsVector(decimals, count);
            case ValueKind.List or ValueKind.Object:
                return new NestedVector(new TextVector(ref from, count, arena), names);
            default:
                ValueCodec.Whole(kind, 0);
                return new WholesVector(kind, LongColumn.Take(ref from, count), arena);
        }
    }

    private sealed class NothingVector : FieldVector
    {
        public override Value this[int index] => Value.Missing;
    }

    private sealed class WholesVector(ValueKind kind, LongSlice packed, Arena? arena) : FieldVector
    {
        private long[]? _numbers;

        internal override ValueKind? WholeKind =>
            kind is ValueKind.Integer or ValueKind.Duration or ValueKind.Size or ValueKind.Time ? kind : null;

        public override Value this[int index] =>
            ValueCodec.Whole(kind, _numbers is null && packed.TryAt(index, out var number) ? number : Numbers[index]);

        internal override void WholesAt(ReadOnlySpan<int> places, Span<long> numbers)
        {
            if (_numbers is null && packed.TryAt(places, numbers))
                return;
            var all = Numbers;
            for (var i = 0; i < places.Length; i++)
                numbers[i] = all[places[i]];
        }

        public override ReadOnlySpan<long> Wholes => Numbers.AsSpan(0, packed.Count);

        internal override void Decode() => _ = Numbers;

        internal override long[] Numbers
        {
            get
            {
                if (_numbers is not null)
                    return _numbers;
                var numbers = arena?.Longs(packed.Count) ?? new long[packed.Count];
                packed.Read(numbers);
                return _numbers = numbers;
            }
        }
    }

    private sealed class DecimalsVector(double[] numbers, int count) : FieldVector
    {
        public override Value this[int index] => Value.Of(numbers[index]);
        public override ReadOnlySpan<double> Decimals => numbers.AsSpan(0, count);
    }

    private sealed class TextsVector(TextVector texts) : FieldVector
    {
        public override Value this[int index] => Value.Of(texts.Text(index));
        public override TextVector? Texts => texts;

        internal override void Decode() => texts.Decode();
    }

    private sealed class NestedVector(TextVector values, string[] names) : FieldVector
    {
        internal override void Decode() => values.Decode();

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
