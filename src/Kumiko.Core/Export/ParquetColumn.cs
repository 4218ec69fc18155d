using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Parquet;
using Parquet.Schema;

namespace Kumiko.Core.Export;

/// <summary>A column of an answer as a column of a Parquet file.</summary>
/// <param name="at">Its place in the answer's rows.</param>
internal abstract class ParquetColumn(Field made, int at)
{
    public Field Field => made;

    protected int At => at;

    /// <summary>Writes the column of a row group.</summary>
    public abstract Task Write(ParquetRowGroupWriter to, List<Value[]> rows, CancellationToken cancel);

    /// <summary>What a column of an answer becomes: mostly one.</summary>
    /// <param name="rows">The first rows, which tell the kind of figures.</param>
    /// <param name="isRecords">Whether rows are records, whose times are exact to the nanosecond.</param>
    public static IEnumerable<ParquetColumn> Of(Column column, int at, List<Value[]> rows, bool isRecords)
    {
        if (column.Kind == ValueKind.Object)
            return [new MapColumn(column.Name, at)];
        if (column.Kind == ValueKind.Time)
            return isRecords && at == 0
                ?
                [
                    new TimeColumn(column.Name, at),
                    new NumberColumn<long>(ParquetExport.ExactTime, at, v => v.AsLong, v => v.Kind == ValueKind.Time),
                ]
                : [new TimeColumn(column.Name, at)];
        if (column.Role != ColumnRole.Value)
            return [new TextColumn(column.Name, at)];
        var kinds = rows.Select(r => r[at].Kind).Where(k => k != ValueKind.Missing).Distinct().ToList();
        return kinds switch
        {
            [ValueKind.Time] => [new TimeColumn(column.Name, at)],
            [ValueKind.Integer] or [ValueKind.Size] => [Whole(column.Name, at, kinds[0])],
            [ValueKind.Duration] =>
            [
                new NumberColumn<double>(column.Name, at, v => v.AsLong / 1e9, v => v.Kind == ValueKind.Duration),
            ],
            [] => [new NumberColumn<double>(column.Name, at, v => v.AsDouble, IsNumber)],
            _ when kinds.TrueForAll(k => k is ValueKind.Integer or ValueKind.Decimal) =>
            [
                new NumberColumn<double>(column.Name, at, v => v.AsDouble, IsNumber),
            ],
            _ => [new TextColumn(column.Name, at)],
        };
    }

    private static NumberColumn<long> Whole(string name, int at, ValueKind kind) =>
        new(name, at, v => v.AsLong, v => v.Kind == kind);

    private static bool IsNumber(Value value) => value.Kind is ValueKind.Integer or ValueKind.Decimal;

    private sealed class TextColumn(string name, int at) : ParquetColumn(new DataField<string>(name), at)
    {
        public override Task Write(ParquetRowGroupWriter to, List<Value[]> rows, CancellationToken cancel) =>
            to.WriteAsync(
                (DataField)Field,
                (IReadOnlyCollection<string>)rows.ConvertAll(r => r[At].IsMissing ? null! : r[At].ToText()),
                null
            );
    }

    private sealed class TimeColumn(string name, int at)
        : ParquetColumn(
            new DateTimeDataField(
                name,
                DateTimeFormat.Timestamp,
                isAdjustedToUTC: true,
                unit: DateTimeTimeUnit.Nanos,
                isNullable: true
            ),
            at
        )
    {
        private const long TicksAt1970 = 621_355_968_000_000_000;

        public override Task Write(ParquetRowGroupWriter to, List<Value[]> rows, CancellationToken cancel) =>
            to.WriteAsync<DateTime>(
                (DataField)Field,
                rows.Select(r =>
                        r[At].Kind == ValueKind.Time
                            ? new DateTime(TicksAt1970 + Ticks(r[At].AsLong), DateTimeKind.Utc)
                            : (DateTime?)null
                    )
                    .ToArray(),
                null,
                null,
                cancel
            );

        private static long Ticks(long nanoseconds) => (long)Math.Floor(nanoseconds / 100m);
    }

    private sealed class NumberColumn<T>(string name, int at, Func<Value, T> read, Func<Value, bool> fits)
        : ParquetColumn(new DataField<T>(name, nullable: true), at)
        where T : struct
    {
        public override Task Write(ParquetRowGroupWriter to, List<Value[]> rows, CancellationToken cancel)
        {
            var numbers = new T?[rows.Count];
            for (var i = 0; i < numbers.Length; i++)
            {
                var value = rows[i][At];
                if (value.IsMissing)
                    continue;
                if (!fits(value))
                    throw new QueryRefusedException(
                        $"The column {Field.Name} holds values of two kinds. Export it as CSV or NDJSON."
                    );
                numbers[i] = read(value);
            }
            return to.WriteAsync<T>((DataField)Field, numbers, null, null, cancel);
        }
    }

    /// <summary>Names and values as texts.</summary>
    private sealed class MapColumn(string name, int at)
        : ParquetColumn(
            new MapField(name, new DataField<string>("key", nullable: false), new DataField<string>("value", nullable: true)),
            at
        )
    {
        // How far an entry is there, as the format counts it: the map alone, its key, its value.
        private const int Empty = 1;
        private const int Key = 2;
        private const int Value = 3;

        public override async Task Write(ParquetRowGroupWriter to, List<Value[]> rows, CancellationToken cancel)
        {
            var (keys, values) = (new List<ReadOnlyMemory<char>>(), new List<ReadOnlyMemory<char>>());
            var (ofKeys, ofValues, repeats) = (new List<int>(), new List<int>(), new List<int>());
            foreach (var row in rows)
            {
                var entries = row[At].Kind == ValueKind.Object ? row[At].AsObject : Attributes.Empty;
                if (entries.Count == 0)
                    Add(Empty, Empty, repeat: 0);
                for (var i = 0; i < entries.Count; i++)
                {
                    var value = entries.Values[i];
                    keys.Add(entries.Names[i].AsMemory());
                    if (!value.IsMissing)
                        values.Add(value.ToText().AsMemory());
                    Add(Key, value.IsMissing ? Key : Value, repeat: i == 0 ? 0 : 1);
                }
            }
            var map = (MapField)Field;
            var levels = repeats.ToArray();
            await to.WriteAllPartsAsync<ReadOnlyMemory<char>>(
                (DataField)map.Key,
                keys.ToArray(),
                ofKeys.ToArray(),
                levels,
                cancel
            );
            await to.WriteAllPartsAsync<ReadOnlyMemory<char>>(
                (DataField)map.Value,
                values.ToArray(),
                ofValues.ToArray(),
                levels,
                cancel
            );

            void Add(int key, int value, int repeat)
            {
                ofKeys.Add(key);
                ofValues.Add(value);
                repeats.Add(repeat);
            }
        }
    }
}
