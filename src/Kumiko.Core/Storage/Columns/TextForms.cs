using System.Buffers.Text;

namespace Kumiko.Core.Storage.Columns;

/// <summary>How a column of texts is kept.</summary>
internal enum TextForm : byte
{
    Plain = 0,
    Dictionary = 1,
    Integer = 2,
    Decimal = 3,
    PaddedDigits = 4,
    Hex = 5,
    UpperHex = 6,
    Uuid = 7,
    Address = 8,
    Affixed = 9,
}

/// <summary>The form of a column, and where that is affixed, the form of what stands between the affixes: in one byte.</summary>
internal readonly record struct ColumnForm(byte Code)
{
    private const int InnerAt = 4;

    /// <summary>All codes are below.</summary>
    public const int Codes = 256;

    public ColumnForm(TextForm form)
        : this((byte)form) { }

    public TextForm Form => (TextForm)(Code & ((1 << InnerAt) - 1));
    public TextForm Inner => (TextForm)(Code >> InnerAt);

    public static ColumnForm AffixedOver(ColumnForm inner) => new((byte)((byte)TextForm.Affixed | ((byte)inner.Form << InnerAt)));
}

/// <summary>Spellings that come back exactly from a number.</summary>
internal static class TextForms
{
    public const int UuidLength = 36;
    public const int MostDigits = 18;

    /// <summary>An integer as a program prints it: no sign but a minus, no leading zeros.</summary>
    public static bool TryInteger(ReadOnlySpan<byte> text, out long number)
    {
        number = 0;
        var digits = text.Length > 0 && text[0] == '-' ? text[1..] : text;
        if (digits.Length is 0 or > MostDigits || (digits[0] == '0' && text.Length > 1))
            return false;
        foreach (var c in digits)
        {
            if ((uint)(c - '0') > 9)
                return false;
            number = (number * 10) + (c - '0');
        }
        if (digits.Length < text.Length)
            number = -number;
        return true;
    }

    /// <summary>A decimal as digits and how many of them stand behind the point.</summary>
    public static bool TryDecimal(ReadOnlySpan<byte> text, out long number, out int behind)
    {
        number = 0;
        behind = -1;
        var negative = text.Length > 0 && text[0] == '-';
        var digits = negative ? text[1..] : text;
        if (digits.Length is < 3 or > MostDigits + 1 || digits[0] == '.' || (digits[0] == '0' && digits[1] != '.'))
            return false;
        foreach (var c in digits)
        {
            if (c == '.' && behind < 0)
            {
                behind = 0;
                continue;
            }
            if ((uint)(c - '0') > 9)
                return false;
            number = (number * 10) + (c - '0');
            if (behind >= 0)
                behind++;
        }
        if (behind <= 0 || (negative && number == 0))
            return false;
        if (negative)
            number = -number;
        return true;
    }

    public static bool TryPadded(ReadOnlySpan<byte> text, int length, out long number)
    {
        number = 0;
        if (text.Length != length)
            return false;
        foreach (var c in text)
        {
            if ((uint)(c - '0') > 9)
                return false;
            number = (number * 10) + (c - '0');
        }
        return true;
    }

    public static bool TryAddress(ReadOnlySpan<byte> text, out long number)
    {
        number = 0;
        for (var part = 0; part < 4; part++)
        {
            var end = part < 3 ? text.IndexOf((byte)'.') : text.Length;
            if (end is < 1 or > 3 || !TryInteger(text[..end], out var value) || value is < 0 or > 255)
                return false;
            number = (number << 8) | value;
            text = part < 3 ? text[(end + 1)..] : default;
        }
        return true;
    }

    public static int HexDigit(byte c, bool upper)
    {
        if ((uint)(c - '0') <= 9)
            return c - '0';
        if ((uint)(c - (upper ? 'A' : 'a')) <= 5)
            return c - (upper ? 'A' : 'a') + 10;
        return -1;
    }

    public static bool IsDash(int place) => place is 8 or 13 or 18 or 23;

    public static void AppendInteger(ByteWriter to, long number)
    {
        Span<byte> digits = stackalloc byte[20];
        Utf8Formatter.TryFormat(number, digits, out var written);
        to.Bytes(digits[..written]);
    }

    public static void AppendPadded(ByteWriter to, long number, int length)
    {
        var room = to.Reserve(length);
        for (var i = length - 1; i >= 0; i--)
        {
            room[i] = (byte)('0' + (number % 10));
            number /= 10;
        }
    }

    public static void AppendDecimal(ByteWriter to, long number, int behind)
    {
        Span<byte> digits = stackalloc byte[20];
        Utf8Formatter.TryFormat(Math.Abs(number), digits, out var written);
        if (number < 0)
            to.Byte((byte)'-');
        if (written <= behind)
            to.Byte((byte)'0');
        else
            to.Bytes(digits[..(written - behind)]);
        to.Byte((byte)'.');
        for (var zeros = behind - written; zeros > 0; zeros--)
            to.Byte((byte)'0');
        to.Bytes(digits[Math.Max(0, written - behind)..written]);
    }

    public static void AppendAddress(ByteWriter to, long number)
    {
        for (var shift = 24; shift >= 0; shift -= 8)
        {
            AppendInteger(to, (number >> shift) & 255);
            if (shift > 0)
                to.Byte((byte)'.');
        }
    }
}
