using System.Text;

namespace Kumiko.Core.Intake.Files;

/// <summary>A file that is no text: nothing of it is taken.</summary>
public sealed class NoTextException(long at)
    : IOException($"This is no text: byte {at + 1} is a zero. Nothing of it was taken.") { }

/// <summary>Texts as UTF-8: UTF-16 is known by its mark, or by its zeros; a mark of UTF-8 is left out.</summary>
internal static class TextDecoding
{
    private const int Looked = 8 * 1024;

    /// <exception cref="NoTextException">The beginning has zeros that are none of UTF-16.</exception>
    public static Stream Open(Stream text)
    {
        var head = new HeadStream(text);
        var start = head.Head(Looked);
        switch (start)
        {
            case [0xef, 0xbb, 0xbf, ..]:
                head.Skip(3);
                return head;
            case [0xff, 0xfe, ..]:
                head.Skip(2);
                return Encoding.CreateTranscodingStream(head, Encoding.Unicode, Encoding.UTF8);
            case [0xfe, 0xff, ..]:
                head.Skip(2);
                return Encoding.CreateTranscodingStream(head, Encoding.BigEndianUnicode, Encoding.UTF8);
        }
        var zero = start.IndexOf((byte)0);
        if (zero < 0)
            return head;
        var (even, odd) = (0, 0);
        for (var i = 0; i < start.Length; i++)
        {
            if (start[i] != 0)
                continue;
            if (i % 2 == 0)
                even++;
            else
                odd++;
        }
        var half = start.Length / 2;
        if (odd > half * 0.7 && even < half * 0.05)
            return Encoding.CreateTranscodingStream(head, Encoding.Unicode, Encoding.UTF8);
        if (even > half * 0.7 && odd < half * 0.05)
            return Encoding.CreateTranscodingStream(head, Encoding.BigEndianUnicode, Encoding.UTF8);
        throw new NoTextException(zero);
    }
}
