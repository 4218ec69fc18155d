using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Parquet;
using Parquet.Schema;

namespace Kumiko.Core.Export;

/// <summary>
/// Apache Parquet. Times are timestamps in UTC, those of records beside them as <c>time_unix_nano</c> without loss; whole numbers
/// and sizes INT64, decimals DOUBLE, durations DOUBLE seconds, attributes a map of texts, all else text. What a file holds is
/// known when its end is written, so that one which broke off cannot be read.
/// </summary>
public sealed class ParquetExport() : ExportFormat("parquet", "Parquet", "application/vnd.apache.parquet")
{
    /// <summary>Rows of a row group at most, and characters of text in it.</summary>
    private const int GroupRows = 65_536;
    private const long GroupText = 32L << 20;

    /// <summary>The exact time of records, by the name that it has in OpenTelemetry.</summary>
    public const string ExactTime = "time_unix_nano";

    public override async Task Write(FrameStream answer, Stream to, Action<long>? told, CancellationToken cancel)
    {
        var isRecords = answer.Schema.IndexOf("body") >= 0 && answer.Schema.IndexOf("time") == 0;
        var group = new List<Value[]>();
        var forward = new ForwardStream(to);
        var (text, rows) = (0L, 0L);
        ParquetWriter? writer = null;
        ParquetColumn[] columns = [];
        // Where this fails the file has no end, and cannot be read: that is meant.
        await foreach (var row in Rows())
        {
            group.Add(row);
            foreach (var value in row)
                if (value.IsText)
                    text += value.AsText.Length;
            if (group.Count >= GroupRows || text >= GroupText)
                await Flush();
        }
        await Flush();
        await writer!.DisposeAsync();
        await forward.Forward(cancel);

        async IAsyncEnumerable<Value[]> Rows()
        {
            await foreach (var chunk in answer.Chunks())
            foreach (var row in chunk)
                yield return row;
        }

        async Task Flush()
        {
            if (writer is null)
            {
                columns = [.. answer.Schema.Columns.SelectMany((c, i) => ParquetColumn.Of(c, i, group, isRecords))];
                writer = await ParquetWriter.CreateAsync(
                    new ParquetSchema([.. columns.Select(c => c.Field)]),
                    forward,
                    new ParquetOptions { CompressionMethod = CompressionMethod.Snappy },
                    cancellationToken: cancel
                );
            }
            if (group.Count > 0)
            {
                using var rowGroup = writer.CreateRowGroup();
                foreach (var column in columns)
                {
                    cancel.ThrowIfCancellationRequested();
                    await column.Write(rowGroup, group, cancel);
                }
                rowGroup.CompleteValidate();
            }
            await forward.Forward(cancel);
            rows += group.Count;
            told?.Invoke(rows);
            group.Clear();
            text = 0;
        }
    }
}
