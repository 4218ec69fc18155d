using System.Text;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Export;

/// <summary>A line of JSON a row, with columns in order. What fails on the way is told in a last line as well.</summary>
public sealed class NdjsonExport() : ExportFormat("ndjson", "NDJSON", "application/x-ndjson; charset=utf-8")
{
    private const int BufferSize = 64 * 1024;

    public override bool TakesLastLine => true;

    public override async Task Write(FrameStream answer, Stream to, Action<long>? told, CancellationToken cancel)
    {
        await using var text = new StreamWriter(to, new UTF8Encoding(false), BufferSize, leaveOpen: true);
        var line = new StringBuilder();
        var names = answer.Schema.Columns.Select(Named).ToArray();
        var rows = 0L;
        try
        {
            await foreach (var chunk in answer.Chunks())
            {
                foreach (var row in chunk)
                {
                    line.Append('{');
                    for (var i = 0; i < row.Length; i++)
                    {
                        line.Append(names[i]);
                        JsonText.Append(line, row[i]);
                    }
                    line.Append("}\n");
                }
                await text.WriteAsync(line, cancel);
                line.Clear();
                told?.Invoke(rows += chunk.Count);
            }
        }
        catch (QueryRefusedException e)
        {
            await text.WriteAsync(LastLine("error", e.Message));
            throw;
        }
    }

    private static string Named(Column column, int place)
    {
        var name = new StringBuilder(place == 0 ? "" : ",");
        JsonText.Append(name, column.Name);
        return name.Append(':').ToString();
    }

    /// <summary>A last line that says what became of an answer after its start: error, or incomplete.</summary>
    public static string LastLine(string what, string message)
    {
        var line = new StringBuilder("{\"").Append(what).Append("\":");
        JsonText.Append(line, message);
        return line.Append("}\n").ToString();
    }
}
