using Kumiko.Core.Records;

namespace Kumiko.Core.Intake.Formats;

/// <summary>What a machine says while it starts: marks in brackets before each step, or seconds since it began.</summary>
public sealed class BootFormat : LogFormat
{
    public override string Name => "boot";

    public override string Title => "Boot or kernel log";

    public override IReadOnlyList<string> Samples =>
        [
            """
                [  OK  ] Started tide reader.
                [FAILED] Failed to start quay radio.
                """,
            """
                [    0.000000] Linux version 6.12
                [   12.204512] eth0: link is up
                """,
        ];

    internal override double Fit(SampleText sample) =>
        sample.Share(
            line => (Mark(line, out _) > 0 && TimePlace.Find(line, out _) < 0) || Uptime(line, out _) > 0,
            indented: true
        );

    /// <summary>The end of a mark such as <c>[  OK  ]</c>; 0 where none stands there.</summary>
    private static int Mark(ReadOnlySpan<byte> line, out ReadOnlySpan<byte> mark)
    {
        mark = default;
        if (line is not [(byte)'[', ..] || line.IndexOf((byte)']') is not (> 2 and < 10 and var close))
            return 0;
        mark = line[1..close].Trim((byte)' ');
        return
            mark.SequenceEqual("OK"u8)
            || mark.SequenceEqual("ok"u8)
            || mark.SequenceEqual("FAILED"u8)
            || mark.SequenceEqual("fail"u8)
            || mark.SequenceEqual("WARN"u8)
            || mark.SequenceEqual("warn"u8)
            || mark.SequenceEqual("INFO"u8)
            || mark.SequenceEqual("info"u8)
            || mark.SequenceEqual("DEPEND"u8)
            || mark.SequenceEqual("TIME"u8)
            || mark.SequenceEqual("SKIP"u8)
            || mark.SequenceEqual("...."u8)
            ? close + 1
            : 0;
    }

    /// <summary>The end of seconds in brackets; 0 where none stand there.</summary>
    private static int Uptime(ReadOnlySpan<byte> line, out double seconds)
    {
        seconds = 0;
        if (line is not [(byte)'[', ..] || line.IndexOf((byte)']') is not (> 4 and < 24 and var close))
            return 0;
        var number = line[1..close].TrimStart((byte)' ');
        var point = number.IndexOf((byte)'.');
        return
            point is > 0 and < 9
            && number.Length - point == 7
            && System.Buffers.Text.Utf8Parser.TryParse(number, out seconds, out var read)
            && read == number.Length
            ? close + 1
            : 0;
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source)
        : PrefixReader(settings, source, new RecordBounds(settings, RecordStart.Indentation))
    {
        protected override int Prefix(ReadOnlySpan<byte> line, out bool isWhole)
        {
            isWhole = true;
            var end = Uptime(line, out var seconds);
            if (end > 0)
                Draft.Field("system.uptime", Value.Duration((long)(seconds * Instants.Second)));
            else if ((end = Mark(line, out var mark)) > 0)
                Draft.Level(mark);
            else
                return base.Prefix(line, out isWhole);
            while (end < line.Length && line[end] == ' ')
                end++;
            return end;
        }
    }
}
