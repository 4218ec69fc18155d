using System.Globalization;

namespace Kumiko.Web.Delivery;

/// <summary>Text from records and people, made harmless where it becomes lines, headers or logs.</summary>
public static class PlainText
{
    /// <summary>On one line: control characters, line ends and marks that turn text around become spaces.</summary>
    public static string Line(string text, int most = 2_000)
    {
        var line = string.Concat(text.Select(c => IsHarmless(c) ? c : ' ')).Trim();
        return line.Length <= most ? line : line[..most] + "…";
    }

    /// <summary>The same, with its line ends.</summary>
    public static string Lines(string text) =>
        string.Concat(text.ReplaceLineEndings("\n").Select(c => c is '\n' or '\t' || IsHarmless(c) ? c : '\ufffd'));

    // Format characters hide text and turn it around; lone surrogates are no text.
    private static bool IsHarmless(char c) =>
        !char.IsControl(c)
        && CharUnicodeInfo.GetUnicodeCategory(c)
            is not (UnicodeCategory.Format or UnicodeCategory.LineSeparator or UnicodeCategory.ParagraphSeparator);
}
