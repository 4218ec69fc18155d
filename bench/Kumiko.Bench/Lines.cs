using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Bench;

/// <summary>NDJSON as the records of a block.</summary>
internal sealed class Lines
{
    private readonly ILineParser _parser = new JsonRecordParser("bench");
    private readonly RecordBlockBuilder _builder = new();

    public RecordBlock Read(ReadOnlySpan<byte> lines)
    {
        foreach (var range in lines.Split((byte)'\n'))
            if (lines[range] is { IsEmpty: false } line && _parser.Parse(line, 0, _builder) is { } refusal)
                throw new InvalidOperationException(refusal.Reason);
        return _builder.Build();
    }
}
