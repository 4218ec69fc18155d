namespace Kumiko.Core.Intake.Formats;

/// <summary>Takes out of lines what colours them on a terminal (ECMA-48 control sequences).</summary>
internal static class Colours
{
    private const byte Escape = 0x1b;

    public static bool Has(ReadOnlySpan<byte> line) => line.Contains(Escape);

    public static ReadOnlySpan<byte> Without(ReadOnlySpan<byte> line) => Has(line) ? Strip(line) : line;

    private static byte[] Strip(ReadOnlySpan<byte> line)
    {
        var plain = new byte[line.Length];
        var (length, at) = (0, 0);
        while (at < line.Length)
        {
            if (line[at] == Escape)
                at += Sequence(line[at..]);
            else
                plain[length++] = line[at++];
        }
        return plain[..length];
    }

    /// <summary>The length of a sequence: parameters (0x30 to 0x3F), intermediate bytes (0x20 to 0x2F) and a last one.</summary>
    private static int Sequence(ReadOnlySpan<byte> text)
    {
        if (text.Length < 2)
            return 1;
        if (text[1] == ']')
            return OfSystem(text);
        if (text[1] != '[')
            return text[1] is >= 0x40 and < 0x7f ? 2 : 1;
        var at = 2;
        while (at < text.Length && text[at] is >= 0x20 and <= 0x3f)
            at++;
        return at < text.Length && text[at] is >= 0x40 and <= 0x7e ? at + 1 : at;
    }

    /// <summary>Titles and links end with a bell or a string terminator.</summary>
    private static int OfSystem(ReadOnlySpan<byte> text)
    {
        var bell = text.IndexOf((byte)0x07);
        var end = text[1..].IndexOf("\u001b\\"u8);
        if (bell > 0 && (end < 0 || bell < end))
            return bell + 1;
        return end > 0 ? end + 3 : 2;
    }
}
