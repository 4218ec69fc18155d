using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake;

/// <summary>One line to one record. Not for several threads.</summary>
internal interface ILineParser
{
    /// <param name="line">One line without its end.</param>
    /// <param name="now">The observed time where the line says none.</param>
    /// <param name="into">Receives the record as a row.</param>
    /// <returns>Why it was not taken; null where it was.</returns>
    Refusal? Parse(ReadOnlySpan<byte> line, long now, RecordBlockBuilder into);
}

/// <summary>Why a line was not taken. The column counts bytes from 1.</summary>
public sealed record Refusal(int Column, string Reason)
{
    /// <summary>The refusal of a line that is no valid UTF-8, at its first wrong byte.</summary>
    public static Refusal NotUtf8(ReadOnlySpan<byte> line)
    {
        var at = 0;
        while (System.Text.Rune.DecodeFromUtf8(line[at..], out _, out var length) == System.Buffers.OperationStatus.Done) at += length;
        return new Refusal(at + 1, "This byte is not valid UTF-8.");
    }
}
