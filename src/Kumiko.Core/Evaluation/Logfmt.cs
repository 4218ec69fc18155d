using System.Text;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>Reads <c>key=value key="two words" flag</c>: words apart by blanks, values in quotes where they have some.</summary>
public static class Logfmt
{
    /// <summary>The pairs of a text; null where it has none.</summary>
    public static Attributes? Read(string text)
    {
        var (names, values) = (new List<string>(), new List<Value>());
        var at = 0;
        while (at < text.Length)
        {
            if (char.IsWhiteSpace(text[at]))
            {
                at++;
                continue;
            }
            var start = at;
            while (at < text.Length && !char.IsWhiteSpace(text[at]) && text[at] != '=')
                at++;
            var name = text[start..at];
            // Words without = are text around the pairs.
            if (at == text.Length || text[at] != '=' || name.Length == 0)
            {
                at++;
                continue;
            }
            at++;
            var value = at < text.Length && text[at] == '"' ? Value.Of(Quoted(text, ref at)) : Bare(text, ref at);
            if (names.Contains(name))
                continue;
            names.Add(name);
            values.Add(value);
        }
        return names.Count == 0 ? null : new Attributes([.. names], [.. values]);
    }

    private static Value Bare(string text, ref int at)
    {
        var start = at;
        while (at < text.Length && !char.IsWhiteSpace(text[at]))
            at++;
        var word = text[start..at];
        if (word.Length == 0)
            return Value.Missing;
        if (Literals.ReadQuantity(word) is { IsMissing: false } quantity)
            return quantity;
        if (word is "true" or "false")
            return Value.Of(word == "true");
        return Value.Of(word);
    }

    private static string Quoted(string text, ref int at)
    {
        var value = new StringBuilder();
        for (at++; at < text.Length && text[at] != '"'; at++)
        {
            if (text[at] == '\\' && at + 1 < text.Length)
                value.Append(
                    text[++at] switch
                    {
                        'n' => '\n',
                        't' => '\t',
                        'r' => '\r',
                        var c => c,
                    }
                );
            else
                value.Append(text[at]);
        }
        at++;
        return value.ToString();
    }
}
