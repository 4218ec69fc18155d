using System.Text;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Tests.Intake.Formats;

/// <summary>A text read as its format, found or given.</summary>
internal sealed record Reading(
    FormatGuess Guess,
    IReadOnlyList<LogRecord> Records,
    IReadOnlyList<(long Line, Refusal Refusal)> Refused
)
{
    /// <summary>2026-12-01T12:00:00Z.</summary>
    public const long Now = 1_796_126_400L * Instants.Second;

    public LogRecord One => Assert.Single(Records);

    public static Reading Of(string text, FormatSettings? given = null, bool isDecided = false) =>
        Of(Encoding.UTF8.GetBytes(text), given, isDecided);

    /// <param name="given">What is known of it.</param>
    /// <param name="isDecided">Whether the format is among that.</param>
    public static Reading Of(byte[] text, FormatSettings? given = null, bool isDecided = false, int chunk = int.MaxValue)
    {
        var sample = SampleText.Of(text, Now);
        var guess = isDecided ? new FormatGuess(FormatGuess.Complete(sample, given!), 1) : FormatGuess.Of(sample, given);
        return Of(text, guess, chunk);
    }

    public static Reading Of(byte[] text, FormatGuess guess, int chunk)
    {
        var reader = guess.Format.Open(guess.Settings, "quay");
        using var lines = new LineReader(new Chunks(text, chunk));
        using var records = new RecordLines(lines, reader);
        var into = new RecordBlockBuilder();
        var refused = new List<(long, Refusal)>();
        while (records.Next(CancellationToken.None).AsTask().GetAwaiter().GetResult() is { } record)
            if (!record.Span.Trim(" \t\r"u8).IsEmpty && reader.Parse(record.Span, Now, into) is { } refusal)
                refused.Add((records.Line, refusal));
        return new Reading(guess, into.Count == 0 ? [] : into.Build().Records, refused);
    }

    /// <summary>Gives at most so many bytes at a time.</summary>
    private sealed class Chunks(byte[] bytes, int most) : MemoryStream(bytes)
    {
        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            base.ReadAsync(buffer[..Math.Min(buffer.Length, most)], cancellationToken);
    }
}
