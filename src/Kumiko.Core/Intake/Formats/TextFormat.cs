using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Formats;

/// <summary>
/// Any other text: what stands before a line's own text becomes fields, and stack traces and indented lines join the record
/// before them.
/// </summary>
public sealed class TextFormat : LogFormat
{
    /// <summary>With fewer of its lines timed, a text is taken to have lines of their own between.</summary>
    private const double FewTimed = 0.15;
    private const int MostWords = 12;

    public override string Name => "text";

    public override string Title => "Text";

    public override IReadOnlyList<string> Samples =>
        [
            """
                2026-11-23 17:51:04,204 WARN [checkin-3] ferry.manifest.Ledger - row locked
                java.lang.IllegalStateException: row locked
                	at ferry.manifest.Ledger.hold(Ledger.java:42)
                Caused by: java.io.IOException: time-out
                	... 3 more
                2026-11-23 17:51:05,001 INFO [checkin-3] ferry.manifest.Ledger - held
                """,
            """
                the tide turns
                the boats go out
                """,
        ];

    internal override double Fit(SampleText sample) => 0.1;

    internal override FormatSettings Learn(SampleText sample, FormatSettings settings)
    {
        if (settings.Start != RecordStart.ByFormat)
            return settings;
        var timed = sample.Share(line => TimePlace.Find(line, out _) >= 0);
        if (timed >= FewTimed)
            return settings with { Start = RecordStart.Time };
        if (Word(sample) is { } word)
            return settings with { Start = RecordStart.Time, TimeWord = word };
        return settings with { Start = RecordStart.Indentation };
    }

    /// <summary>The word that counts since 1970 in nearly all lines, where no other time is written.</summary>
    private static int? Word(SampleText sample)
    {
        const double Nearly = 0.9;
        for (var word = 0; word < MostWords; word++)
        {
            var at = word;
            if (
                sample.Share(line => TimePlace.OfWord(line, at) is >= 0 and var p && TimeReader.IsTime(line.AsSpan(p), out _))
                >= Nearly
            )
                return word;
        }
        return null;
    }

    internal override IRecordReader Open(FormatSettings settings, string source) =>
        new PrefixReader(settings, source, new RecordBounds(settings, RecordStart.Indentation));
}
