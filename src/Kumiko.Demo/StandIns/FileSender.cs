using System.Globalization;
using System.Text;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Storage;
using Kumiko.Demo.World;

namespace Kumiko.Demo.StandIns;

/// <summary>
/// Writes what some services write into files, each in its own format, which Kumiko follows: booking-web's requests, the
/// readings of tide-feed, the roster of crew-roster, and what went wrong in manifest and seat-ledger, with stack traces.
/// </summary>
public sealed class FileSender(FollowStore follows, DataFolder folder)
{
    /// <summary>A larger one gets another name, as log daemons do it.</summary>
    private const long Largest = 4L << 20;

    private const string Iso = "yyyy-MM-ddTHH:mm:ss.fffZ";
    private const string Columns = "time,level,service,host,terminal,height,message\n";

    public const string Requests = "booking-requests";
    public const string Tides = "tide-feed";
    public const string Roster = "crew-roster";
    public const string Traces = "stack-traces";

    private static readonly FormatSettings Access = new("access") { Service = AccessLog.Service, DurationUnit = "s" };

    /// <summary>How a source's lines are written; null for newline-delimited JSON, as which its history comes.</summary>
    public static FormatSettings? FormatOf(string source) => source == Requests ? Access : null;

    /// <summary>The folder that Kumiko may follow files in.</summary>
    public static string FolderIn(string data) => Path.Combine(data, "logs");

    /// <summary>The source of a record that is written to a file; null where it is sent otherwise.</summary>
    public static string? SourceOf(SimulatedRecord record) =>
        record.Service switch
        {
            _ when record.Line == "access" => Requests,
            "tide-feed" => Tides,
            "crew-roster" => Roster,
            "manifest" or "seat-ledger" when record.TraceId is null && record.Body.Contains('\n', StringComparison.Ordinal) =>
                Traces,
            _ => null,
        };

    /// <summary>Has the files followed; those that are there already stay as somebody set them.</summary>
    public async Task Begin()
    {
        var logs = FolderIn(folder.Path);
        Directory.CreateDirectory(logs);
        await Follow("booking-web.log", Requests, Access);
        await Follow("tides.csv", Tides, new FormatSettings("csv") { Delimiter = ',' });
        await Follow("roster.log", Roster, new FormatSettings("logfmt"));
        foreach (var service in new[] { "manifest", "seat-ledger" })
            await Follow(service + ".log", Traces, new FormatSettings("text") { Start = RecordStart.Time, Service = service });

        Task<long> Follow(string file, string source, FormatSettings settings) =>
            follows.Add(
                new FollowWish(
                    0,
                    Path.GetFullPath(Path.Combine(logs, file)),
                    source,
                    settings with
                    {
                        IsLive = true,
                        IsCorrected = true,
                    },
                    "the demo",
                    0
                )
            );
    }

    public Task Send(IReadOnlyList<SimulatedRecord> records, CancellationToken cancel)
    {
        foreach (var file in records.GroupBy(FileOf))
        {
            cancel.ThrowIfCancellationRequested();
            var path = Path.Combine(FolderIn(folder.Path), file.Key);
            if (File.Exists(path) && new FileInfo(path).Length > Largest)
                File.Move(path, path + ".1", overwrite: true);
            var text = new StringBuilder();
            if (file.Key == "tides.csv" && !File.Exists(path))
                text.Append(Columns);
            foreach (var record in file)
                text.Append(LineOf(record)).Append('\n');
            File.AppendAllText(path, text.ToString());
        }
        return Task.CompletedTask;
    }

    private static string FileOf(SimulatedRecord record) =>
        SourceOf(record) switch
        {
            Requests => "booking-web.log",
            Tides => "tides.csv",
            Roster => "roster.log",
            _ => record.Service + ".log",
        };

    private static string LineOf(SimulatedRecord record) =>
        SourceOf(record) switch
        {
            Requests => AccessLog.LineOf(record),
            Tides => Row(record),
            Roster => Pairs(record),
            _ => $"{Written(record, "yyyy-MM-dd HH:mm:ss,fff'Z'")} {record.Level.ToUpperInvariant()} {record.Host} "
                + $"[job-{record.Time.Second % 4}] {record.Body}",
        };

    private static string Written(SimulatedRecord record, string format) =>
        (record.Time + record.Drift).UtcDateTime.ToString(format, CultureInfo.InvariantCulture);

    private static string Row(SimulatedRecord record)
    {
        var terminal = record.Attributes.FirstOrDefault(a => a.Name == "terminal").Value;
        var height = record.Attributes.FirstOrDefault(a => a.Name == "height").Value;
        var body = "\"" + record.Body.Replace("\"", "\"\"", StringComparison.Ordinal) + "\"";
        return string.Create(
            CultureInfo.InvariantCulture,
            $"{Written(record, Iso)},{record.Level},{record.Service},{record.Host},{terminal},{height},{body}"
        );
    }

    private static string Pairs(SimulatedRecord record)
    {
        var pairs = new StringBuilder();
        pairs.Append(
            CultureInfo.InvariantCulture,
            $"ts={Written(record, Iso)} level={record.Level} service={record.Service} host={record.Host} msg={Quoted(record.Body)}"
        );
        foreach (var (name, value) in record.Attributes)
            pairs.Append(
                CultureInfo.InvariantCulture,
                $" {name}={Quoted(Convert.ToString(value, CultureInfo.InvariantCulture)!)}"
            );
        return pairs.ToString();
    }

    private static string Quoted(string text) =>
        text.AsSpan().IndexOfAny(" \"=\\\n") < 0 && text.Length > 0
            ? text
            : "\""
                + text.Replace("\\", "\\\\", StringComparison.Ordinal)
                    .Replace("\"", "\\\"", StringComparison.Ordinal)
                    .Replace("\n", "\\n", StringComparison.Ordinal)
                + "\"";
}
