using System.Globalization;
using System.Text;
using CsvHelper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Core.Export;

/// <summary>RFC 4180, with a head, that a spreadsheet cannot be tricked with: text that it would run as a formula gets an
/// apostrophe in front.</summary>
public sealed class CsvExport() : ExportFormat("csv", "CSV", "text/csv; charset=utf-8")
{
    public override bool TakesLastLine => true;

    private const int BufferSize = 64 * 1024;

    public override async Task Write(FrameStream answer, Stream to, Action<long>? told, CancellationToken cancel)
    {
        await using var text = new StreamWriter(to, new UTF8Encoding(false), BufferSize, leaveOpen: true);
        using var lines = new StringWriter(CultureInfo.InvariantCulture);
        using var csv = CsvWriter.Create(lines, new CsvWriterOptions(), leaveOpen: true);
        // Trace and source would make records wider than a sheet; attributes hold what else there is.
        var columns = answer
            .Schema.Columns.Select((c, i) => (c.Name, i))
            .Where(c => c.Name is not ("trace_id" or "span_id" or "source") || answer.Schema.IndexOf("body") < 0)
            .ToList();
        foreach (var (name, _) in columns)
            csv.WriteField(Defused(name));
        csv.EndRecord();
        await Flush();
        var rows = 0L;
        await foreach (var chunk in answer.Chunks())
        {
            foreach (var row in chunk)
            {
                foreach (var (_, i) in columns)
                    csv.WriteField(Cell(row[i]));
                csv.EndRecord();
            }
            await Flush();
            told?.Invoke(rows += chunk.Count);
        }

        async Task Flush()
        {
            csv.Flush();
            await text.WriteAsync(lines.GetStringBuilder(), cancel);
            lines.GetStringBuilder().Clear();
        }
    }

    private static string Cell(Value value) =>
        value.Kind switch
        {
            ValueKind.Duration => (value.AsLong / 1e9).ToString("R", CultureInfo.InvariantCulture),
            ValueKind.Text or ValueKind.List or ValueKind.Object => Defused(value.ToText()),
            _ => value.ToText(),
        };

    private static string Defused(string text) =>
        text.Length > 0 && text[0] is '=' or '+' or '-' or '@' or '\t' or '\r' ? "'" + text : text;
}
