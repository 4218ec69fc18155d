using System.Buffers;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Query.Execution;

/// <summary>Searches whole columns of texts, without rebuilding any text where its form cannot hold what is searched.</summary>
internal static class TextSearch
{
    private static readonly SearchValues<byte> Integers = SearchValues.Create("-0123456789"u8), Decimals = SearchValues.Create("-.0123456789"u8),
        Addresses = SearchValues.Create(".0123456789"u8), LowerHex = SearchValues.Create("0123456789abcdefABCDEF"u8), Uuids = SearchValues.Create("-0123456789abcdefABCDEF"u8);

    /// <summary>Marks the texts that hold the needle.</summary>
    /// <param name="hits">By place in the column.</param>
    public static void Find(TextVector texts, Needle needle, Bits hits)
    {
        switch (texts.Form)
        {
            case TextForm.Plain:
                FindIn(texts.AllBytes, texts.Starts, needle, hits);
                break;
            case TextForm.Dictionary:
                var entries = new Bits(texts.Entries);
                FindIn(texts.AllBytes, texts.Starts, needle, entries);
                if (entries.IsEmpty) break;
                var places = texts.Places;
                for (var i = 0; i < places.Length; i++) if (entries[places[i]]) hits.Set(i);
                break;
            case TextForm.Affixed:
                var (before, inner, after) = texts.Affixes!.Value;
                if (needle.IsIn(before.Span) || needle.IsIn(after.Span)) hits.SetRange(0, texts.Count);
                else if (needle.CanLeave(before.Span) || needle.CanEnter(after.Span)) Each(texts, needle, hits);
                else Find(inner, needle, hits);
                break;
            case var form when needle.IsOf(Characters(form)):
                Each(texts, needle, hits);
                break;
        }
    }

    private static SearchValues<byte> Characters(TextForm form) => form switch
    {
        TextForm.Decimal => Decimals,
        TextForm.Address => Addresses,
        TextForm.Hex or TextForm.UpperHex => LowerHex,
        TextForm.Uuid => Uuids,
        _ => Integers,
    };

    private static void FindIn(ReadOnlySpan<byte> all, ReadOnlySpan<int> starts, Needle needle, Bits hits)
    {
        var text = 0;
        for (var at = needle.IndexIn(all); at >= 0;)
        {
            while (starts[text + 1] <= at) text++;
            if (at + needle.Length <= starts[text + 1])
            {
                hits.Set(text);
                // One hit in a text is enough.
                at = starts[text + 1];
            }
            else at++;
            at = at >= all.Length ? -1 : needle.IndexIn(all, at);
        }
    }

    private static void Each(TextVector texts, Needle needle, Bits hits)
    {
        using var text = new ByteWriter(64);
        for (var i = 0; i < texts.Count; i++)
        {
            text.Clear();
            texts.Append(i, text);
            if (needle.IsIn(text.Written)) hits.Set(i);
        }
    }
}
