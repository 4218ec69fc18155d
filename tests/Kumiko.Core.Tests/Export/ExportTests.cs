using System.Text;
using CsCheck;
using CsvHelper;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Parquet.Serialization;
using Schema = Kumiko.Core.Frames.Schema;

namespace Kumiko.Core.Tests.Export;

/// <summary>Answers written out and read back.</summary>
public sealed class ExportTests
{
    private static readonly Window Hour = new(0, Instants.Hour);

    private static readonly Schema Records = new(
        [
            new Column("time", ColumnRole.Time, ValueKind.Time),
            new Column("level", ColumnRole.Detail, ValueKind.Level),
            new Column("body", ColumnRole.Detail),
            new Column("attributes", ColumnRole.Detail, ValueKind.Object),
        ],
        null,
        Hour
    );

    private static FrameStream Stream(Schema schema, params Value[][] rows) => new(new Frame(schema, rows));

    private static async Task<byte[]> Written(ExportFormat format, FrameStream answer, Action<long>? told = null)
    {
        using var to = new MemoryStream();
        await format.Write(answer, to, told, CancellationToken.None);
        return to.ToArray();
    }

    [Fact]
    public void Formats_are_found_by_name_and_by_media_type()
    {
        Assert.Same(ExportFormats.Parquet, ExportFormats.Of("parquet", ""));
        Assert.Same(ExportFormats.Csv, ExportFormats.Of("", "text/html, text/csv;q=0.9"));
        Assert.Same(ExportFormats.Ndjson, ExportFormats.Of(null, "*/*"));
        Assert.Null(ExportFormats.Of("xml", "text/csv"));
        Assert.Equal("csv, ndjson or parquet", ExportFormats.Names);
    }

    private static readonly Gen<string> Texts = Gen.OneOf(
        Gen.String[Gen.Char.AlphaNumeric, 0, 12],
        Gen.OneOf("", "a,b", "say \"no\"", "two\r\nlines", " blank ", "ünï ⛴", "\u0001", "=1+1", "@x", "-5", "\tx", "'")
    );

    // RFC 4180: whatever stands in a field comes back; what would run as a formula comes back behind an apostrophe.
    [Fact]
    public void Csv_gives_back_every_text() =>
        Texts
            .Array[1, 6]
            .Array[1, 8]
            .Where(rows => rows.All(r => r.Length == rows[0].Length))
            .Sample(
                rows =>
                {
                    var schema = new Schema([.. rows[0].Select((_, i) => new Column($"c{i}", ColumnRole.Detail))], null, Hour);
                    var bytes = Written(ExportFormats.Csv, Stream(schema, [.. rows.Select(r => r.Select(Value.Of).ToArray())]))
                        .GetAwaiter()
                        .GetResult();
                    using var reader = CsvReader.Create(bytes, new CsvReaderOptions { HasHeader = true, Separator = ',' });
                    foreach (var row in rows)
                    {
                        Assert.True(reader.Read());
                        Assert.Equal(
                            row.Select(t => t.Length > 0 && "=+-@\t\r".Contains(t[0], StringComparison.Ordinal) ? "'" + t : t),
                            reader.Current.ToArray()
                        );
                    }
                    Assert.False(reader.Read());
                },
                iter: Cases.Of(100)
            );

    [Fact]
    public async Task Csv_ends_its_lines_as_the_standard_has_it_and_names_its_columns()
    {
        var text = Encoding.UTF8.GetString(
            await Written(
                ExportFormats.Csv,
                Stream(
                    new Schema([new Column("n", ColumnRole.Value), new Column("took", ColumnRole.Value)], null, Hour),
                    [Value.Of(1), Value.Duration(1_500_000_000)],
                    [Value.Missing, Value.Missing]
                )
            )
        );
        Assert.Equal("n,took\r\n1,1.5\r\n,\r\n", text);
    }

    private static readonly Gen<Value> AttributeValues = Gen.OneOf(
        Texts.Select(Value.Of),
        Gen.Long.Select(Value.Of),
        Gen.Double.Where(double.IsFinite).Select(Value.Of),
        Gen.Bool.Select(b => b ? Value.True : Value.False)
    );

    [Fact]
    public void Parquet_gives_back_every_record() =>
        Gen.Select(
                Gen.Long[-9_000_000_000_000_000_000, 9_000_000_000_000_000_000],
                Texts,
                Gen.Int[0, 24],
                Gen.Select(Gen.String[Gen.Char.AlphaNumeric, 1, 6], AttributeValues).Array[0, 4]
            )
            .Array[0, 30]
            .Sample(
                records =>
                {
                    var rows = records
                        .Select(r =>
                            new[]
                            {
                                Value.Time(r.Item1),
                                r.Item3 == 0 ? Value.Missing : Value.Level(r.Item3),
                                Value.Of(r.Item2),
                                Value.Of(
                                    new Attributes(
                                        [.. r.Item4.DistinctBy(a => a.Item1).Select(a => a.Item1)],
                                        [.. r.Item4.DistinctBy(a => a.Item1).Select(a => a.Item2)]
                                    )
                                ),
                            }
                        )
                        .ToArray();
                    var bytes = Written(ExportFormats.Parquet, Stream(Records, rows)).GetAwaiter().GetResult();
                    var read = Read(bytes).GetAwaiter().GetResult();
                    Assert.Equal(rows.Length, read.Count);
                    foreach (var (row, mine) in read.Zip(rows))
                    {
                        Assert.Equal(mine[0].AsLong, row["time_unix_nano"]);
                        Assert.Equal(mine[1].IsMissing ? null : mine[1].ToText(), row.GetValueOrDefault("level"));
                        Assert.Equal(mine[2].AsText, row["body"]);
                        var attributes = mine[3].AsObject;
                        Assert.Equal(
                            attributes.Names.ToArray().Zip(attributes.Values.ToArray(), (n, v) => (n, v.ToText())).Order(),
                            Map(row["attributes"]).Select(e => (e.Key, e.Value)).Order()
                        );
                    }
                },
                iter: Cases.Of(60)
            );

    /// <summary>The rows of a file, by the names of their columns; what is missing has no entry.</summary>
    private static async Task<IReadOnlyList<Dictionary<string, object?>>> Read(byte[] bytes)
    {
        var read = await ParquetSerializer.DeserializeUntypedAsync(new MemoryStream(bytes));
        return [.. read.Data.Select(row => row.ToDictionary(c => c.Key, c => (object?)c.Value))];
    }

    private static Dictionary<string, string> Map(object? map) =>
        ((IEnumerable<KeyValuePair<ReadOnlyMemory<char>, ReadOnlyMemory<char>?>>)map!).ToDictionary(
            e => e.Key.ToString(),
            e => e.Value!.Value.ToString()
        );

    [Fact]
    public async Task Parquet_has_figures_as_numbers()
    {
        var schema = new Schema(
            [
                new Column("time", ColumnRole.Time, ValueKind.Time),
                new Column("terminal", ColumnRole.Key),
                new Column("n", ColumnRole.Value, ValueKind.Integer),
                new Column("mean", ColumnRole.Value, ValueKind.Decimal),
                new Column("wait", ColumnRole.Value, ValueKind.Duration),
            ],
            Instants.Minute,
            Hour
        );
        var bytes = await Written(
            ExportFormats.Parquet,
            Stream(
                schema,
                [Value.Time(0), Value.Of("Orra"), Value.Of(3), Value.Of(2), Value.Duration(1_500_000_000)],
                [Value.Time(Instants.Minute), Value.Missing, Value.Missing, Value.Of(2.5), Value.Missing]
            )
        );
        var read = await Read(bytes);
        Assert.Equal((3L, 2.0, 1.5, "Orra"), (read[0]["n"], read[0]["mean"], read[0]["wait"], read[0]["terminal"]));
        Assert.Equal(["time", "mean"], read[1].Keys);
        Assert.Equal(2.5, read[1]["mean"]);
        Assert.Equal(new DateTime(1970, 1, 1, 0, 1, 0, DateTimeKind.Utc), read[1]["time"]);
    }

    [Fact]
    public async Task Many_rows_are_told_as_they_are_written()
    {
        var told = new List<long>();
        var rows = Enumerable
            .Range(0, 70_000)
            .Select(i => new[] { Value.Time(i), Value.Level(9), Value.Of("gate " + i), Value.Of(Attributes.Empty) })
            .ToArray();
        var read = await Read(await Written(ExportFormats.Parquet, Stream(Records, rows), told.Add));
        Assert.Equal([65_536L, 70_000L], told);
        Assert.Equal(70_000, read.Count);
    }

    [Fact]
    public async Task A_file_without_rows_can_be_read() =>
        Assert.Empty(await Read(await Written(ExportFormats.Parquet, Stream(Records))));

    private static FrameStream Broken()
    {
        async IAsyncEnumerable<IReadOnlyList<Value[]>> Rows()
        {
            yield return
            [
                [Value.Of(1)],
            ];
            await Task.Yield();
            throw new QueryTimedOutException($"This took longer than 30 s and was stopped.");
        }
        return new FrameStream(new Schema([new Column("n", ColumnRole.Value, ValueKind.Integer)], null, Hour), Rows());
    }

    [Fact]
    public async Task What_breaks_off_is_thrown_and_looks_it()
    {
        foreach (var format in ExportFormats.All)
        {
            using var to = new MemoryStream();
            await Assert.ThrowsAsync<QueryTimedOutException>(() => format.Write(Broken(), to, null, CancellationToken.None));
            var text = Encoding.UTF8.GetString(to.ToArray());
            if (format == ExportFormats.Ndjson)
                Assert.Equal("{\"n\":1}\n{\"error\":\"This took longer than 30 s and was stopped.\"}\n", text);
            if (format == ExportFormats.Csv)
                Assert.Equal("n\r\n1\r\n", text);
            if (format == ExportFormats.Parquet)
                await Assert.ThrowsAnyAsync<Exception>(() => Read(to.ToArray()));
        }
    }

    [Fact]
    public async Task A_column_that_changes_its_kind_is_refused_and_not_bent()
    {
        var rows = Enumerable.Range(0, 65_537).Select(i => new[] { i < 65_536 ? Value.Of(i) : Value.Of("many") }).ToArray();
        var error = await Assert.ThrowsAsync<QueryRefusedException>(() =>
            Written(ExportFormats.Parquet, Stream(new Schema([new Column("n", ColumnRole.Value)], null, Hour), rows))
        );
        Assert.Contains("Export it as CSV or NDJSON", error.Message);
    }
}
