using System.Text;
using Kumiko.Core.Records;
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
public sealed record Refusal(int Column, string Reason);

/// <summary>What all parsers of lines do with one that is not UTF-8: it is most often Latin-1, in which every byte has a
/// place.</summary>
internal static class Lines
{
    /// <summary>The field that says what was inferred of a line.</summary>
    public const string Inferred = "line.inferred";

    public static readonly Value Latin1 = Value.Of("encoding Latin-1");

    public static byte[] FromLatin1(ReadOnlySpan<byte> line) => Encoding.UTF8.GetBytes(Encoding.Latin1.GetString(line));
}
