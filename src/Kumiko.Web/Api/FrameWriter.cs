using System.Globalization;
using System.Text;
using CsvHelper;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Web.Api;

/// <summary>Answers written out: NDJSON with columns in order, or CSV that a spreadsheet cannot be tricked with.</summary>
public static class FrameWriter
{
    /// <summary>The format that a name or a media type asks for; null where it is neither.</summary>
    public static string? FormatOf(string? name, string accept) => name switch
    {
        "csv" or "ndjson" => name,
        null or "" => accept.Contains("text/csv", StringComparison.OrdinalIgnoreCase) ? "csv" : "ndjson",
        _ => null,
    };

    public static string MediaType(string format) => format == "csv" ? "text/csv; charset=utf-8" : "application/x-ndjson; charset=utf-8";

    /// <summary>The whole answer of a run; a refusal is told in a last line too.</summary>
    public static async Task Write(Run run, string format, Stream to, CancellationToken cancel)
    {
        try { await Write(run.Stream(), format, to, cancel); }
        catch (QueryRefusedException e) { await WriteError(e.Message, to, cancel); }
    }

    /// <summary>How a run went about its answer, one step a line.</summary>
    public static async Task WritePlan(Run run, Stream to, CancellationToken cancel)
    {
        IReadOnlyList<string> lines;
        try { lines = await run.Explain(); }
        catch (QueryRefusedException e) { lines = [e.Message]; }
        await to.WriteAsync(Encoding.UTF8.GetBytes(string.Join('\n', lines) + "\n"), cancel);
    }

    /// <summary>Writes as it reads. What fails after the start is told in a last line.</summary>
    public static async Task Write(FrameStream answer, string format, Stream to, CancellationToken cancel)
    {
        await using var text = new StreamWriter(to, new UTF8Encoding(false), 64 * 1024, leaveOpen: true);
        try
        {
            if (format == "csv") await WriteCsv(answer, text, cancel);
            else await WriteNdjson(answer, text, cancel);
        }
        catch (Exception e) when (e is QueryRefusedException || (e is OperationCanceledException && !cancel.IsCancellationRequested))
        {
            await text.FlushAsync(cancel);
            await WriteError(e is QueryRefusedException ? e.Message : "This took too long and was stopped. Take a shorter stretch of time.", to, cancel);
        }
    }

    /// <summary>The last line of an answer that failed after its start.</summary>
    public static async Task WriteError(string message, Stream to, CancellationToken cancel)
    {
        var line = new StringBuilder("{\"error\":");
        JsonText.Append(line, message);
        await to.WriteAsync(Encoding.UTF8.GetBytes(line.Append("}\n").ToString()), cancel);
    }

    private static async Task WriteNdjson(FrameStream answer, StreamWriter text, CancellationToken cancel)
    {
        var line = new StringBuilder();
        var names = answer.Schema.Columns.Select((column, i) =>
        {
            var name = new StringBuilder();
            JsonText.Append(name, column.Name);
            return name.Insert(0, i == 0 ? "" : ",").Append(':').ToString();
        }).ToArray();
        foreach (var chunk in answer.Chunks)
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
        var columns = answer.Schema.Columns.Select((c, i) => (c.Name, i)).Where(c => c.Name is not ("trace_id" or "span_id" or "source") || answer.Schema.IndexOf("body") < 0).ToList();
        foreach (var (name, _) in columns) csv.WriteField(Defused(name));
        csv.EndRecord();
        await Flush();
        foreach (var chunk in answer.Chunks)
        {
            foreach (var row in chunk)
            {
                foreach (var (_, i) in columns) csv.WriteField(Cell(row[i]));
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

    private static string Cell(Value value) => value.Kind switch
    {
        ValueKind.Duration => (value.AsLong / 1e9).ToString("R", CultureInfo.InvariantCulture),
        ValueKind.Text or ValueKind.List or ValueKind.Object => Defused(value.ToText()),
        _ => value.ToText(),
    };

    /// <summary>Text that a spreadsheet would run as a formula gets an apostrophe in front.</summary>
    private static string Defused(string text) =>
        text.Length > 0 && text[0] is '=' or '+' or '-' or '@' or '\t' or '\r' ? "'" + text : text;
}
