using Kumiko.Core.Intake.Formats;

namespace Kumiko.Core.Intake.Formats;

/// <summary>One JSON object a line, with the usual names of time, level, message, service, host and trace ids.</summary>
public sealed class JsonFormat : LogFormat
{
    public override string Name => "json";

    public override string Title => "JSON, one object a line";

    public override IReadOnlyList<string> Samples =>
        [
            """
                {"time":"2026-11-23T17:51:04.204Z","level":"warn","service":"seat-ledger","message":"row locked","seat":409}
                {"@timestamp":"2026-11-23T17:51:05Z","log":{"level":"error","logger":"Ledger"},"host":{"name":"ledger-2"},"msg":"gave up"}
                """,
        ];

    /// <summary>Hardly anything is JSON by chance, so half of the lines are enough.</summary>
    internal override double Fit(SampleText sample)
    {
        const double Half = 0.5;
        if (sample.Share(line => line.AsSpan().TrimStart(" \t"u8) is [(byte)'{', ..], indented: true) < Half)
            return 0;
        var taken = sample.Taken(new JsonRecordParser("", new FormatSettings(Name)));
        return taken < Half ? 0 : Half + (taken / 2);
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new JsonRecordParser(source, settings);
}
