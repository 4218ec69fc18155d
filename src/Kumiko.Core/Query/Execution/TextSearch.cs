using System.Buffers;
using System.Globalization;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Query.Execution;

/// <summary>Searches whole columns of texts, without rebuilding any text where its form cannot hold what is searched.</summary>
internal static class TextSearch
{
    private static readonly SearchValues<byte> Integers = SearchValues.Create("-0123456789"u8);
    private static readonly SearchValues<byte> Decimals = SearchValues.Create("-.0123456789"u8);
    private static readonly SearchValues<byte> Addresses = SearchValues.Create(".0123456789"u8);
    private static readonly SearchValues<byte> LowerHex = SearchValues.Create("0123456789abcdefABCDEF"u8);
    private static readonly SearchValues<byte> Uuids = SearchValues.Create("-0123456789abcdefABCDEF"u8);

    /// <summary>Whether the bytes of texts stand as they are in a column of this form.</summary>
    public static bool IsKept(TextForm form) => form is TextForm.Plain or TextForm.Dictionary or TextForm.Affixed;

    /// <summary>Whether numbers of this form could spell the needle; of affixed ones that is not known.</summary>
    public static bool IsSpelled(TextForm form, SubstringSearcher searcher) =>
        form == TextForm.Affixed || (!IsKept(form) && searcher.IsOf(Characters(form)));

    /// <summary>
    /// The same of a column of which more is known. What stands partly in an affix and partly in a number has a character
    /// of the number.
    /// </summary>
    public static bool IsSpelled(ColumnForm column, SubstringSearcher searcher) =>
        column.Form == TextForm.Affixed && !IsKept(column.Inner)
            ? searcher.HasAny(Characters(column.Inner))
            : IsSpelled(column.Form, searcher);

    /// <summary>Marks the texts that hold the needle.</summary>
    /// <param name="hits">By place in the column.</param>
    /// <param name="wholeTokens">Whether only whole tokens count, so that numbers need not be spelled to be compared.</param>
    public static void Find(TextVector texts, SubstringSearcher searcher, RowMask hits, bool wholeTokens)
    {
        switch (texts.Form)
        {
            case TextForm.Plain:
                FindIn(texts.AllBytes, texts.Starts, searcher, hits);
                break;
            case TextForm.Dictionary:
                var entries = new RowMask(texts.Entries);
                FindIn(texts.AllBytes, texts.Starts, searcher, entries);
                if (entries.IsEmpty)
                    break;
                var places = texts.Places;
                for (var i = 0; i < places.Length; i++)
                    if (entries[places[i]])
                        hits.Set(i);
                break;
            case TextForm.Affixed:
                var (before, inner, after) = texts.Affixes!.Value;
                if (searcher.IsIn(before.Span) || searcher.IsIn(after.Span))
                    hits.SetRange(0, texts.Count);
                else if (searcher.CanLeave(before.Span, isStart: true) || searcher.CanEnter(after.Span, isEnd: true))
                    Each(texts, searcher, hits);
                // What stands around it may be of the same token.
                else
                    Find(inner, searcher, hits, wholeTokens: false);
                break;
            case TextForm.Integer when wholeTokens:
                // A sign is no part of a token.
                if (
                    !long.TryParse(searcher.Bytes, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
                    || (searcher.Bytes[0] == '0' && searcher.Length > 1)
                )
                    break;
                var numbers = texts.Numbers;
                for (var i = 0; i < numbers.Length; i++)
                    if (numbers[i] == number || numbers[i] == -number)
                        hits.Set(i);
                break;
            case TextForm.Hex or TextForm.UpperHex when wholeTokens:
                if (texts.HexLength == searcher.Length)
                    FindHex(texts, searcher.Bytes, hits);
                break;
            case var form when searcher.IsOf(Characters(form)):
                Each(texts, searcher, hits);
                break;
        }
    }

    private static SearchValues<byte> Characters(TextForm form) =>
        form switch
        {
            TextForm.Decimal => Decimals,
            TextForm.Address => Addresses,
            TextForm.Hex or TextForm.UpperHex => LowerHex,
            TextForm.Uuid => Uuids,
            _ => Integers,
        };

    private static void FindIn(ReadOnlySpan<byte> all, ReadOnlySpan<int> starts, SubstringSearcher searcher, RowMask hits)
    {
        var text = 0;
        for (var at = searcher.IndexIn(all); at >= 0; )
        {
            while (starts[text + 1] <= at)
                text++;
            if (at + searcher.Length <= starts[text + 1])
            {
                hits.Set(text);
                // One hit in a text is enough.
                at = starts[text + 1];
            }
            else
                at++;
            at = at >= all.Length ? -1 : searcher.IndexIn(all, at);
        }
    }

    /// <summary>Marks the texts of a hexadecimal column that are these digits, in capitals or not.</summary>
    public static void FindHex(TextVector texts, ReadOnlySpan<byte> digits, RowMask hits)
    {
        Span<byte> packed = stackalloc byte[(digits.Length + 1) / 2];
        for (var i = 0; i < digits.Length; i++)
        {
            var c = digits[i] | 0x20;
            int digit;
            if (c is >= '0' and <= '9')
                digit = c - '0';
            else if (c is >= 'a' and <= 'f')
                digit = c - 'a' + 10;
            else
                digit = -1;
            if (digit < 0)
                return;
            packed[i >> 1] |= (byte)(digit << ((~i & 1) * 4));
        }
        var all = texts.AllBytes;
        for (var i = 0; i < texts.Count; i++)
            if (all.Slice(i * packed.Length, packed.Length).SequenceEqual(packed))
                hits.Set(i);
    }

    private static void Each(TextVector texts, SubstringSearcher searcher, RowMask hits)
    {
        using var text = new ByteWriter(64);
        for (var i = 0; i < texts.Count; i++)
        {
            text.Clear();
            texts.Append(i, text);
            if (searcher.IsIn(text.Written))
                hits.Set(i);
        }
    }
}
