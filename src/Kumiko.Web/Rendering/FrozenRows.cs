using System.IO.Compression;
using System.Text;
using System.Text.Json;
using Kumiko.Charts;
using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Web.Rendering;

/// <summary>Rows of an answer as text, packed to be kept: the first line names the columns.</summary>
public static class FrozenRows
{
    public const int MostRows = 2_000;
    private const int LongestCell = 4_000;

    public static async Task<(byte[] Content, int Rows, bool More)> Of(Run run, CancellationToken cancel)
    {
        var rows = new List<string[]>();
        var more = false;
        string[] columns;
        if (run.IsGrouped)
        {
            var frame = await run.Frame();
            columns = [.. frame.Schema.Columns.Select(c => c.Name)];
            rows.AddRange(frame.Rows.Take(MostRows).Select(r => r.Select(v => Cell(v, run)).ToArray()));
            more = frame.Rows.Count > MostRows;
        }
        else
        {
            columns = ["time", "level", "service", "host", "body"];
            var records = await run.Records(null, MostRows + 1);
            var computed = records.SelectMany(r => r.Computed.Select(c => c.Name)).Distinct().Take(20).ToList();
            columns = [.. columns[..4], .. computed, "body"];
            foreach (var found in records.Take(MostRows))
            {
                cancel.ThrowIfCancellationRequested();
                var record = found.Record;
                rows.Add([
                    Cell(Value.Time(record.Time), run),
                    Severity.Name(record.SeverityNumber),
                    Cell(record.Resource.Service, run),
                    Cell(record.Resource.Host, run),
                    .. computed.Select(name =>
                        Cell(
                            found.Computed.FirstOrDefault(c => c.Name == name).Value is { } value
                            && found.Computed.Any(c => c.Name == name)
                                ? value
                                : Value.Missing,
                            run
                        )
                    ),
                    Cut(record.Body),
                ]);
            }
            more = records.Count > MostRows;
        }
        using var packed = new MemoryStream();
        await using (var gzip = new GZipStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            foreach (var row in rows.Prepend(columns))
                await gzip.WriteAsync(Encoding.UTF8.GetBytes(JsonSerializer.Serialize(row) + "\n"), cancel);
        return (packed.ToArray(), rows.Count, more);
    }

    public static (string[] Columns, IReadOnlyList<string[]> Rows) Read(byte[] content)
    {
        using var lines = new StreamReader(new GZipStream(new MemoryStream(content), CompressionMode.Decompress), Encoding.UTF8);
        var rows = new List<string[]>();
        while (lines.ReadLine() is { } line)
            rows.Add(JsonSerializer.Deserialize<string[]>(line)!);
        return rows.Count == 0 ? ([], []) : (rows[0], rows[1..]);
    }

    private static string Cell(Value value, Run run)
    {
        if (value.IsMissing)
            return "";
        if (value.Kind == ValueKind.Time)
            return Format.Moment(value.AsLong, run.Question.Zone) + Format.SecondsPart(value.AsLong, run.Question.Zone)[3..];
        if (value.IsText)
            return Cut(value.AsText);
        return Format.Value(value, run.Question.Zone);
    }

    private static string Cut(string text) => text.Length > LongestCell ? text[..LongestCell] + "…" : text;
}
