namespace Kumiko.Core.Intake.Formats;

/// <summary>A part of a line.</summary>
internal readonly record struct Place(int Start, int Length)
{
    public ReadOnlySpan<byte> Of(ReadOnlySpan<byte> line) => line.Slice(Start, Length);

    public static Place Between(int start, int end) => new(start, end - start);
}
