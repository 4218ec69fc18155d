using System.Text;

namespace Kumiko.Core.Language;

/// <summary>A piece of a parse template: constant text, or a slot.</summary>
/// <param name="Text">The constant text, or the slot's name; an empty name skips.</param>
/// <param name="Type">The slot's type, empty for any text; null for constant text.</param>
public readonly record struct TemplatePart(string Text, string? Type)
{
    public bool IsSlot => Type is not null;

    /// <summary>Whether it takes any text, however long.</summary>
    public bool IsOpen => Type is "" or "text" or "rest";
}

/// <summary>The text of <c>parse … as "…"</c>: <c>{name}</c>, <c>{name:type}</c>, <c>{}</c> to skip, <c>{{</c> for a
/// brace.</summary>
public static class ParseTemplate
{
    private const int MostParts = 200;

    /// <summary>What a slot can be, besides units of time and size for bare numbers.</summary>
    public static readonly string[] Types =
    [
        "text",
        "integer",
        "decimal",
        "boolean",
        "time",
        "duration",
        "size",
        "address",
        "bytes",
        "list",
        "object",
        "word",
        "rest",
    ];

    private static readonly string[] Units =
    [
        "ns",
        "us",
        "ms",
        "s",
        "m",
        "h",
        "d",
        "w",
        "B",
        "kB",
        "MB",
        "GB",
        "KiB",
        "MiB",
        "GiB",
    ];

    public static bool IsUnit(string type) => Units.Contains(type, StringComparer.Ordinal);

    /// <summary>The pieces, no two constants in a row; or a sentence that says what is wrong.</summary>
    public static (IReadOnlyList<TemplatePart> Parts, string? Error) Read(string text)
    {
        var parts = new List<TemplatePart>();
        var constant = new StringBuilder();
        var names = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] != '{')
            {
                constant.Append(text[i]);
                continue;
            }
            if (i + 1 < text.Length && text[i + 1] == '{')
            {
                constant.Append('{');
                i++;
                continue;
            }
            var end = text.IndexOf('}', i);
            if (end < 0)
                return (parts, "A { is not closed. Write {name}, or {{ for a brace.");
            if (constant.Length > 0)
                parts.Add(new TemplatePart(constant.ToString(), null));
            constant.Clear();
            var inside = text[(i + 1)..end];
            var colon = inside.LastIndexOf(':');
            var (name, type) = colon < 0 ? (inside.Trim(), "") : (inside[..colon].Trim(), inside[(colon + 1)..].Trim());
            if (colon >= 0 && !Types.Contains(type, StringComparer.Ordinal) && !IsUnit(type))
                return (
                    parts,
                    $"“{type}” is no type. A slot can be {string.Join(", ", Types)}, or a unit such as ms for a bare number."
                );
            if (name.Contains('{'))
                return (parts, "A { is not closed. Write {name}, or {{ for a brace.");
            if (name.Length > 0 && !names.Add(name))
                return (parts, $"Two slots are called “{name}”. Give one another name.");
            var slot = new TemplatePart(name, type);
            if (parts.Count > 0 && parts[^1].IsSlot && (parts[^1].IsOpen || slot.IsOpen))
                return (parts, "Some text must stand between two slots, or nobody could say where one ends.");
            if (parts.Count > 0 && parts[^1].Type == "rest")
                return (parts, "Nothing can follow a slot that takes the rest.");
            parts.Add(slot);
            i = end;
        }
        if (constant.Length > 0)
            parts.Add(new TemplatePart(constant.ToString(), null));
        if (parts.Count > 1 && parts[^2].Type == "rest")
            return (parts, "Nothing can follow a slot that takes the rest.");
        if (parts.Count > MostParts)
            return (parts, FormattableString.Invariant($"A template can have {MostParts} pieces."));
        return names.Count == 0 ? (parts, "Name what to cut out, such as {ticket}.") : (parts, null);
    }
}
