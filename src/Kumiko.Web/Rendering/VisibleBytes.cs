using System.Buffers;
using System.Text;

namespace Kumiko.Web.Rendering;

/// <summary>Bytes of any kind as text that can be looked at: what cannot be seen is written as its code.</summary>
public static class VisibleBytes
{
    private const int Most = 1_000;

    public static string Show(ReadOnlySpan<byte> bytes)
    {
        var (text, more) = (new StringBuilder(), bytes.Length > Most);
        if (more)
            bytes = bytes[..Most];
        while (bytes.Length > 0)
        {
            var status = Rune.DecodeFromUtf8(bytes, out var rune, out var length);
            if (status != OperationStatus.Done)
                for (var i = 0; i < length; i++)
                    text.Append(System.Globalization.CultureInfo.InvariantCulture, $"\\x{bytes[i]:x2}");
            else if (rune.Value is '\n')
                text.Append('\n');
            else if (
                Rune.IsControl(rune)
                || Rune.GetUnicodeCategory(rune)
                    is System.Globalization.UnicodeCategory.Format
                        or System.Globalization.UnicodeCategory.LineSeparator
                        or System.Globalization.UnicodeCategory.ParagraphSeparator
            )
                text.Append(System.Globalization.CultureInfo.InvariantCulture, $"\\u{{{rune.Value:x}}}");
            else
                text.Append(rune.ToString());
            bytes = bytes[length..];
        }
        return more ? text.Append(" …").ToString() : text.ToString();
    }
}
