using System.Text;

namespace Kumiko.Core.Evaluation;

/// <summary>A whole value with <c>*</c> for any run of characters, compared by spelling and case. <c>\*</c> is a star.</summary>
internal sealed class Wildcard
{
    private readonly string[] _parts;

    private Wildcard(string[] parts) => _parts = parts;

    /// <summary>Null where the text has no open star.</summary>
    public static Wildcard? Parse(string text)
    {
        var parts = Split(text);
        return parts.Length > 1 ? new Wildcard(parts) : null;
    }

    /// <summary>The constant parts between stars; one part where there is no star.</summary>
    public static string[] Split(string text)
    {
        var parts = new List<string>();
        var part = new StringBuilder();
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] == '\\' && i + 1 < text.Length && text[i + 1] is '*' or '\\')
                part.Append(text[++i]);
            else if (text[i] == '*')
            {
                parts.Add(part.ToString());
                part.Clear();
            }
            else
                part.Append(text[i]);
        }
        parts.Add(part.ToString());
        return [.. parts];
    }

    public static string Unescape(string text) => text.Contains('\\') ? string.Join("*", Split(text)) : text;

    public bool IsWhole(ReadOnlySpan<char> text)
    {
        var (first, last) = (_parts[0], _parts[^1]);
        if (text.Length < first.Length + last.Length || !text.StartsWith(first) || !text.EndsWith(last))
            return false;
        text = text[first.Length..^last.Length];
        foreach (var part in _parts.AsSpan(1, _parts.Length - 2))
        {
            var at = text.IndexOf(part);
            if (at < 0)
                return false;
            text = text[(at + part.Length)..];
        }
        return true;
    }
}
