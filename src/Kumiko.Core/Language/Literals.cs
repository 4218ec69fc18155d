using System.Globalization;
using Kumiko.Core.Records;

namespace Kumiko.Core.Language;

/// <summary>What a literal or a text means as a value.</summary>
public static class Literals
{
    public static Value ToValue(this Literal literal) => literal.Quoted ? Value.Of(literal.Text) : Read(literal.Text);

    /// <summary>A bare spelling as the value that all of it spells: number, duration, size, share, time, truth; else
    /// text.</summary>
    public static Value Read(string text)
    {
        var quantity = ReadQuantity(text);
        if (!quantity.IsMissing)
            return quantity;
        if (Keywords.Is(text, "true"))
            return Value.True;
        if (Keywords.Is(text, "false"))
            return Value.False;
        if (Instants.TryParse(text, out var time))
            return Value.Time(time);
        return Value.Of(text);
    }

    /// <summary>Text as a number, duration, size or share if all of it is one; else missing.</summary>
    public static Value ReadQuantity(string text)
    {
        if (text.Length is 0 or > 40 || !(char.IsAsciiDigit(text[^1]) || char.IsAsciiLetter(text[^1]) || text[^1] == '%'))
            return Value.Missing;
        if (
            !char.IsAsciiDigit(text[0])
            && !(text[0] is '-' or '.' && text.Length > 1 && (char.IsAsciiDigit(text[1]) || text[1] == '.'))
        )
            return Value.Missing;
        if (long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var whole))
            return Value.Of(whole);
        const NumberStyles Decimal = NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint | NumberStyles.AllowExponent;
        var allDigits = text.AsSpan(text[0] == '-' ? 1 : 0).IndexOfAnyExceptInRange('0', '9') < 0;
        if (!allDigits && double.TryParse(text, Decimal, CultureInfo.InvariantCulture, out var number) && double.IsFinite(number))
            return Value.Of(number);
        if (
            text[^1] == '%'
            && double.TryParse(text.AsSpan(0, text.Length - 1), Decimal, CultureInfo.InvariantCulture, out var share)
        )
            return Value.Of(share / 100);
        if (Quantities.TryParseDuration(text, out var duration))
            return Value.Duration(duration);
        if (Quantities.TryParseSize(text, out var size))
            return Value.Size(size);
        return Value.Missing;
    }

    /// <summary>
    /// The literal that, compared with <c>=</c> in the match, holds for this value: bare where that reads as
    /// the same, else in quotes.
    /// </summary>
    public static Literal For(Value value)
    {
        var text = value.ToText();
        var bare = Keywords.IsBare(text) && !text.Contains('*') && !text.Contains('\\');
        if (value.IsText)
            bare = bare && Read(text).IsText;
        return new Literal(text, !bare);
    }
}
