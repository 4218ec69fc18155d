namespace Kumiko.Core.Storage.Templates;

/// <summary>
/// Templates of an earlier version, whose keys hold the headers of lines. Their records stay as they are; a template that is
/// found
/// today for lines of their kind takes over their name and their first sight, so that nothing is new because it is cut otherwise.
/// </summary>
internal sealed class FormerTemplates
{
    private const int MostTried = 1_024;

    private readonly List<Template> _templates = [];

    /// <summary>Takes up a template that was loaded, if lines with headers may be of it.</summary>
    public void Add(Template template)
    {
        if (!BodyTokens.HasHeader(template.Key) && template.Gaps > 0 && _templates.Count < MostTried)
            _templates.Add(template);
    }

    /// <summary>The one that says most of those a body is of, and whether it says most of what the line says; null where there is
    /// none.</summary>
    /// <param name="header">Where the line itself begins.</param>
    public (Template Template, bool SaysLine)? Of(ReadOnlySpan<byte> body, int header, int constants)
    {
        (Template Template, int Letters)? best = null;
        foreach (var template in _templates)
            if (Letters(template, body, header) is { } letters && (best is not { } known || letters > known.Letters))
                best = (template, letters);
        return best is { } found ? (found.Template, found.Letters * 2 >= constants) : null;
    }

    /// <summary>How many letters of a template's text stand in the line itself; null where the body is not of it.</summary>
    private static int? Letters(Template template, ReadOnlySpan<byte> body, int header)
    {
        ReadOnlySpan<byte> key = template.Key;
        var (at, letters, gap) = (0, 0, 0);
        while (true)
        {
            var end = key.IndexOf(BodyTokens.Gap);
            var piece = end < 0 ? key : key[..end];
            if (!body[at..].StartsWith(piece))
                return null;
            for (var i = 0; i < piece.Length; i++)
                if (at + i >= header && char.IsAsciiLetter((char)piece[i]))
                    letters++;
            at += piece.Length;
            if (end < 0)
                return at == body.Length ? letters : null;
            key = key[(end + 1)..];
            var next = key.IndexOf(BodyTokens.Gap);
            var following = next < 0 ? key : key[..next];
            int length;
            if (following.IsEmpty)
                length = body.Length - at;
            else if (next < 0)
                length = body.Length - at - following.Length;
            else
                length = body[at..].IndexOf(following);
            if (length <= 0 || (body.Slice(at, length).Contains((byte)' ') && !MayHoldBlanks(template, gap, isLast: next < 0)))
                return null;
            at += length;
            gap++;
        }
    }

    private static bool MayHoldBlanks(Template template, int gap, bool isLast) =>
        (isLast && template.IsTail)
        || (gap < template.Facts.Length && (template.Facts[gap].Types & (VariableTypes.Text | VariableTypes.Time)) != 0);
}
