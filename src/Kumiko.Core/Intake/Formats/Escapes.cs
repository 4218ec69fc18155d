using System.Text;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Takes backslashes out of quoted texts: <c>\n</c>, <c>\t</c>, <c>\r</c>, <c>\uXXXX</c>; before anything else they
/// stand for what follows.</summary>
internal static class Escapes
{
    public static void Undo(ReadOnlySpan<byte> text, ByteWriter into)
    {
        while (true)
        {
            var next = text.IndexOf((byte)'\\');
            if (next < 0 || next + 1 == text.Length)
            {
                into.Bytes(text);
                return;
            }
            into.Bytes(text[..next]);
            text = text[(next + 1)..];
            text = text[One(text, into)..];
        }
    }

    private static int One(ReadOnlySpan<byte> text, ByteWriter into)
    {
        switch (text[0])
        {
            case (byte)'n':
                into.Byte((byte)'\n');
                return 1;
            case (byte)'t':
                into.Byte((byte)'\t');
                return 1;
            case (byte)'r':
                into.Byte((byte)'\r');
                return 1;
            case (byte)'u'
                when text.Length > 4
                    && System.Buffers.Text.Utf8Parser.TryParse(text[1..5], out ushort code, out var read, 'x')
                    && read == 4
                    && !char.IsSurrogate((char)code):
                Span<byte> room = stackalloc byte[4];
                into.Bytes(room[..new Rune(code).EncodeToUtf8(room)]);
                return 5;
            default:
                into.Byte(text[0]);
                return 1;
        }
    }
}
