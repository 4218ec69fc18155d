using System.Net;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Tests.Intake;

/// <summary>One line to one record.</summary>
internal static class Parsing
{
    public static LogRecord? Parse(this ILineParser parser, ReadOnlySpan<byte> line, long now, out Refusal? refusal)
    {
        var builder = new RecordBlockBuilder();
        refusal = parser.Parse(line, now, builder);
        return refusal is null ? builder.Build().Records[0] : null;
    }

    public static LogRecord Parse(this SyslogParser parser, ReadOnlySpan<byte> message, string source, long now, IPAddress? peer)
    {
        var batch = new SyslogBatch(parser, source);
        batch.Add(message, now, peer);
        return batch.Build().Records[0];
    }
}
