using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>The texts that a record has beside its attributes.</summary>
internal enum TextPart
{
    Body,
    Level,
    TraceId,
    SpanId,
}

/// <summary>A row of one of several blocks.</summary>
internal readonly record struct RowRef(int Block, int Row);

/// <summary>
/// Records as columns: numbers in arrays, texts as UTF-8 in one buffer. Intake fills it, it is committed, held in
/// memory and sealed; records are made of it where somebody reads them. It does not change after its commit.
/// </summary>
public sealed class RecordBlock
{
    internal const int TextParts = 4;

    private LogRecord?[]? _records;

    internal RecordBlock(int count, int cells, int bytes)
    {
        Count = count;
        (TimeOf, ObservedOf, SequenceOf) = (new long[count], new long[count], new long[count]);
        SeverityOf = new byte[count];
        (ResourceOf, SourceOf, ShapeOf) = (new int[count], new int[count], new int[count]);
        (StartOf, CellOf) = (new int[count + 1], new int[count + 1]);
        Texts = GC.AllocateUninitializedArray<Slice>(count * TextParts);
        Cells = GC.AllocateUninitializedArray<long>(cells);
        Bytes = GC.AllocateUninitializedArray<byte>(bytes);
    }

    public int Count { get; }

    /// <summary>What its rows are.</summary>
    public Signal Signal { get; init; }

    /// <summary>When each happened, UTC nanoseconds, in the order of rows.</summary>
    public ReadOnlySpan<long> Times => TimeOf;

    /// <summary>The highest sequence; -1 without records.</summary>
    public long LastSequence => Count == 0 ? -1 : SequenceOf.Max();

    internal long[] TimeOf { get; }
    internal long[] ObservedOf { get; }
    internal long[] SequenceOf { get; }
    internal byte[] SeverityOf { get; }

    /// <summary>Places in <see cref="Resources"/>, <see cref="Sources"/> and <see cref="Shapes"/>.</summary>
    internal int[] ResourceOf { get; }
    internal int[] SourceOf { get; }
    internal int[] ShapeOf { get; }

    /// <summary>Where the bytes of each row begin, and where those of the last end.</summary>
    internal int[] StartOf { get; }

    /// <summary>Where the cells of each row begin, one for each name of its shape, and where those of the last end.</summary>
    internal int[] CellOf { get; }

    /// <summary>For each row its texts, counted from the start of its bytes; of length -1 where there is none.</summary>
    internal Slice[] Texts { get; }

    /// <summary>A number or, counted from the start of the row's bytes, a slice: see <see cref="SliceOf"/>.</summary>
    internal long[] Cells { get; }
    internal byte[] Bytes { get; }

    internal Resource[] Resources { get; private set; } = [];
    internal string[] Sources { get; private set; } = [];
    internal RecordShape[] Shapes { get; private set; } = [];

    /// <summary>Sets what its rows have in common.</summary>
    internal RecordBlock With(Resource[] resources, string[] sources, RecordShape[] shapes)
    {
        (Resources, Sources, Shapes) = (resources, sources, shapes);
        return this;
    }

    [ThreadStatic]
    private static RecordBlockBuilder? _builder;

    public static RecordBlock Of(IEnumerable<LogRecord> records)
    {
        // Taken out while it is used, so that one that was left half filled does not come back.
        var builder = _builder ?? new RecordBlockBuilder();
        _builder = null;
        foreach (var record in records)
            builder.Add(record);
        var block = builder.Build();
        if (builder.BytesHeld <= RecordBlockBuilder.MostHeld)
            _builder = builder;
        return block;
    }

    /// <summary>All records.</summary>
    public IReadOnlyList<LogRecord> Records
    {
        get
        {
            var records = new LogRecord[Count];
            for (var row = 0; row < records.Length; row++)
                records[row] = this[row];
            return records;
        }
    }

    /// <summary>The record of a row, made when it is first asked for and the same object from then on.</summary>
    public LogRecord this[int row]
    {
        get
        {
            var made = Volatile.Read(ref _records)
                ?? Interlocked.CompareExchange(ref _records, new LogRecord?[Count], null)
                ?? _records;
            if (Volatile.Read(ref made[row]) is { } known)
                return known;
            var record = RecordReader.Read(this, row);
            return Interlocked.CompareExchange(ref made[row], record, null) ?? record;
        }
    }

    /// <summary>Takes over records of rows that another block has made.</summary>
    internal void TakeMade(RecordBlock from, int first, int count, int at)
    {
        if (Volatile.Read(ref from._records) is not { } made)
            return;
        Array.Copy(made, first, _records ??= new LogRecord?[Count], at, count);
    }

    /// <summary>About how many bytes a row takes as a sender writes it.</summary>
    internal long SizeOf(int row)
    {
        const int Frame = 64;
        return Frame + (StartOf[row + 1] - StartOf[row]) + Shapes[ShapeOf[row]].Size;
    }

    /// <summary>The same of all rows.</summary>
    internal long Size
    {
        get
        {
            var size = 0L;
            for (var i = 0; i < Count; i++)
                size += SizeOf(i);
            return size;
        }
    }

    internal RecordId IdOf(int row) => new(TimeOf[row], SequenceOf[row]);

    /// <summary>Whether the rows are in the order of their ids.</summary>
    internal bool IsSorted
    {
        get
        {
            for (var i = 1; i < Count; i++)
                if (IdOf(i) < IdOf(i - 1))
                    return false;
            return true;
        }
    }

    /// <summary>Gives the rows their sequences, from the first on.</summary>
    internal void Number(long first)
    {
        for (var i = 0; i < Count; i++)
            SequenceOf[i] = first + i;
        _records = null;
    }

    /// <summary>A text in <see cref="Bytes"/>; null where the row has none.</summary>
    internal Slice? TextOf(int row, TextPart part)
    {
        var text = Texts[(row * TextParts) + (int)part];
        return text.Length < 0 ? null : text with { Start = StartOf[row] + text.Start };
    }

    /// <summary>The slice of <see cref="Bytes"/> that a cell of text, list or object stands for.</summary>
    internal Slice SliceOf(int row, long cell) => new(StartOf[row] + (int)(cell >> 32), (int)(uint)cell);

    internal static long CellOfSlice(int start, int length) => ((long)start << 32) | (uint)length;

    /// <summary>The value of a cell.</summary>
    internal Value ValueOf(int row, ValueKind kind, long cell, StringCache strings) =>
        kind switch
        {
            ValueKind.Missing => Value.Missing,
            ValueKind.Text => Value.Of(strings.Get(SliceOf(row, cell).Of(Bytes))),
            ValueKind.Decimal => Value.Of(BitConverter.Int64BitsToDouble(cell)),
            ValueKind.List or ValueKind.Object => NestedValue.Read(SliceOf(row, cell).Of(Bytes), strings),
            _ => ValueCodec.Whole(kind, cell),
        };

    /// <summary>Under which name the body is mined: names of spans are no templates of records.</summary>
    internal string MinedAs(int row) => Signal == Signal.Logs ? ServiceOf(row) : Templates.TemplateMiner.Spans + ServiceOf(row);

    internal string ServiceOf(int row) => Resources[ResourceOf[row]].Service is { IsText: true } service ? service.AsText : "";
}
