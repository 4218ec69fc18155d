using System.Globalization;
using System.Text;
using CsvHelper;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Api;

/// <summary>Answers written out: NDJSON with columns in order, or CSV that a spreadsheet cannot be tricked with.</summary>
public static class FrameWriter
{
    /// <summary>The format that a name or a media type asks for; null where it is neither.</summary>
    public static string? FormatOf(string? name, string accept) =>
        name switch
        {
            "csv" or "ndjson" => name,
            null or "" => accept.Contains("text/csv", StringComparison.OrdinalIgnoreCase) ? "csv" : "ndjson",
            _ => null,
        };

    public static string MediaType(string format) =>
        format == "csv" ? "text/csv; charset=utf-8" : "application/x-ndjson; charset=utf-8";

    /// <summary>Says in a header and a last line what of the answer is missing as it is damaged.</summary>
    /// <param name="damage">Asked before and after: some damage is met in reading.</param>
    public static async Task WriteNoting(
        FrameStream answer,
        Func<IReadOnlyList<string>> damage,
        string format,
        Stream to,
        HttpContext http
    )
    {
        if (damage().Count > 0)
            http.Response.Headers["Kumiko-Incomplete"] = "damaged records are missing";
        await Write(answer, format, to, http.RequestAborted);
        foreach (var sentence in damage())
            await WriteLast("incomplete", sentence, to, http.RequestAborted);
    }

    /// <summary>Writes as it reads. What fails after the start is told in a last line.</summary>
    public static async Task Write(FrameStream answer, string format, Stream to, CancellationToken cancel)
    {
        await using var text = new StreamWriter(to, new UTF8Encoding(false), 64 * 1024, leaveOpen: true);
        try
        {
            if (format == "csv")
                await WriteCsv(answer, text, cancel);
            else
                await WriteNdjson(answer, text, cancel);
        }
        catch (QueryRefusedException e)
        {
            await text.FlushAsync(cancel);
            await WriteLast("error", e.Message, to, cancel);
        }
    }

    /// <summary>A last line that says what became of an answer after its start: error, or incomplete.</summary>
    public static async Task WriteLast(string what, string message, Stream to, CancellationToken cancel)
    {
        var line = new StringBuilder("{\"").Append(what).Append("\":");
        JsonText.Append(line, message);
        await to.WriteAsync(Encoding.UTF8.GetBytes(line.Append("}\n").ToString()), cancel);
    }

    private static async Task WriteNdjson(FrameStream answer, StreamWriter text, CancellationToken cancel)
    {
        var line = new StringBuilder();
        var names = answer
            .Schema.Columns.Select(
                (column, i) =>
                {
                    var name = new StringBuilder();
                    JsonText.Append(name, column.Name);
                    return name.Insert(0, i == 0 ? "" : ",").Append(':').ToString();
                }
            )
            .ToArray();
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
        }
    }

    private static async Task WriteCsv(FrameStream answer, StreamWriter text, CancellationToken cancel)
    {
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
        await foreach (var chunk in answer.Chunks())
        {
            foreach (var row in chunk)
            {
                foreach (var (_, i) in columns)
                    csv.WriteField(Cell(row[i]));
                csv.EndRecord();
            }
            await Flush();
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

    /// <summary>Text that a spreadsheet would run as a formula gets an apostrophe in front.</summary>
    private static string Defused(string text) =>
        text.Length > 0 && text[0] is '=' or '+' or '-' or '@' or '\t' or '\r' ? "'" + text : text;
}
