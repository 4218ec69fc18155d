using System.Text;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Files;

/// <summary>A field of the records of a preview.</summary>
/// <param name="Records">How many of them have it.</param>
/// <param name="Example">One of its values.</param>
public sealed record SeenField(string Name, int Records, string Example, ValueKind Kind);

/// <summary>A line of a preview that would be refused.</summary>
public sealed record RefusedLine(long Line, string Reason, string Text);

/// <summary>What the first lines of a text become.</summary>
/// <param name="Guess">How they are read, by themselves or as somebody said.</param>
/// <param name="Records">The first of them.</param>
/// <param name="Seen">How many records the looked-at lines make, and how many of them have a time of their own.</param>
/// <param name="First">The first time as it is written and as it is read, 0 where it cannot be; null where none is
/// written.</param>
public sealed record FilePreview(
    FormatGuess Guess,
    IReadOnlyList<LogRecord> Records,
    IReadOnlyList<RefusedLine> Refused,
    IReadOnlyList<SeenField> Fields,
    (int Records, int Timed) Seen,
    (string Text, long Time)? First
)
{
    private const int MostRecords = 30;
    private const int MostRefused = 20;

    /// <summary>Reads the beginning of a text.</summary>
    /// <param name="settings">What is known of it.</param>
    /// <param name="isDecided">Whether its format is among that, and the rest was told by a person.</param>
    /// <exception cref="NoTextException">It is no text.</exception>
    public static FilePreview Of(byte[] start, FormatSettings? settings, bool isDecided, string source, long now)
    {
        var whole = start.Length < SampleText.MostBytes;
        var sample = SampleText.Of(start, now, whole);
        var guess =
            isDecided && settings is not null
                ? new FormatGuess(FormatGuess.Complete(sample, settings), FormatList.Find(settings.Format)!.Fit(sample))
                : FormatGuess.Of(sample, settings);
        var (records, refused) = Read(whole ? start : start[..(Array.LastIndexOf(start, (byte)'\n') + 1)], guess, source, now);
        return new FilePreview(
            guess,
            [.. records.Take(MostRecords)],
            [.. refused.Take(MostRefused)],
            FieldsOf(records),
            (records.Count, records.Count(HasTime)),
            Written(sample, guess.Settings)
        );
    }

    private static bool HasTime(LogRecord record) =>
        record.Attributes.Get(Lines.Inferred) is var inferred
        && !(inferred.IsText && inferred.AsText.Contains("time of", StringComparison.Ordinal));

    private static (IReadOnlyList<LogRecord>, List<RefusedLine>) Read(byte[] text, FormatGuess guess, string source, long now)
    {
        var reader = guess.Format.Open(guess.Settings, source);
        var into = new RecordBlockBuilder();
        var refused = new List<RefusedLine>();
        using var lines = new LineReader(new MemoryStream(text));
        using var records = new RecordLines(lines, reader);
        while (true)
        {
            // All of it is in memory, so nothing is waited for.
            var next = records.Next(CancellationToken.None);
            if ((next.IsCompleted ? next.Result : next.AsTask().GetAwaiter().GetResult()) is not { } record)
                break;
            if (record.Span.Trim(" \t\r"u8).IsEmpty)
                continue;
            if (reader.Parse(record.Span, now, into) is { } refusal)
                refused.Add(new RefusedLine(records.Line, refusal.Reason, Text(record.Span)));
        }
        return (into.Count == 0 ? [] : into.Build().Records, refused);
    }

    private static string Text(ReadOnlySpan<byte> line)
    {
        const int Shown = 300;
        return Encoding.UTF8.GetString(line[..Math.Min(line.Length, Shown)]);
    }

    private static List<SeenField> FieldsOf(IReadOnlyList<LogRecord> records)
    {
        var seen = new Dictionary<string, (int Count, Value Example)>(StringComparer.Ordinal);
        foreach (var record in records)
        {
            Add("service", record.Resource.Service);
            Add("host", record.Resource.Host);
            for (var i = 0; i < record.Attributes.Count; i++)
                Add(record.Attributes.Names[i], record.Attributes.Values[i]);
        }
        return [.. seen.Select(s => new SeenField(s.Key, s.Value.Count, s.Value.Example.ToText(), s.Value.Example.Kind))];

        void Add(string name, Value value)
        {
            if (!value.IsMissing)
                seen[name] = seen.TryGetValue(name, out var before) ? (before.Count + 1, before.Example) : (1, value);
        }
    }

    private static (string, long)? Written(SampleText sample, FormatSettings settings)
    {
        const int Looked = 20;
        var reader = new TimeReader(settings.Times);
        foreach (var line in sample.Lines.Take(Looked))
        {
            if (TimePlace.Find(line, out _) is not (>= 0 and var at) || !TimeReader.IsTime(line.AsSpan(at), out var length))
                continue;
            var known = reader.TryRead(line.AsSpan(at), sample.Now, out var time, out _);
            return (Encoding.UTF8.GetString(line, at, length), known ? time : 0);
        }
        return null;
    }

    /// <summary>The first time as it is written; null where none is.</summary>
    public string? WrittenTime => First?.Text;

    /// <summary>The first bytes of a text, decoded.</summary>
    /// <exception cref="NoTextException">It is no text.</exception>
    /// <exception cref="IOException">It cannot be unpacked.</exception>
    public static byte[] Start(PackedText text)
    {
        using var stream = TextDecoding.Open(text.Open());
        var start = new byte[SampleText.MostBytes];
        try
        {
            return start[..stream.ReadAtLeast(start, start.Length, throwOnEndOfStream: false)];
        }
        catch (Exception e) when (Unpacking.IsDamage(e))
        {
            throw new IOException($"{text.Name} cannot be unpacked: {e.Message}", e);
        }
    }
}
