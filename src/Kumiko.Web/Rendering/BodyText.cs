using System.Text;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Html;

namespace Kumiko.Web.Rendering;

/// <summary>What a piece of a body is.</summary>
public enum PieceKind
{
    Constant,
    Variable,
}

/// <param name="Hit">Whether a searched word stands here.</param>
/// <param name="Colour">Of the mark that a person set here, counted from 1; 0 for none.</param>
public sealed record Piece(string Text, PieceKind Kind, bool Hit, int Colour = 0);

/// <summary>Cuts bodies into pieces to show: variables set off, searched words marked, control characters made visible.</summary>
public sealed class BodyText
{
    /// <summary>How much of a body a row shows; the unfolded record shows more.</summary>
    public const int RowLength = 600;

    public const int FullLength = 64 * 1024;

    private readonly TermMatcher[] _terms;
    private readonly IReadOnlyList<TermMark> _marks;

    /// <param name="query">Whose words are marked.</param>
    /// <param name="marks">What a person set off besides.</param>
    public BodyText(Query query, IReadOnlyList<TermMark> marks) =>
        (_terms, _marks) = ([.. Terms(query.Match).Select(t => new TermMatcher(t))], marks);

    private static IEnumerable<Term> Terms(Expr? expr) =>
        expr switch
        {
            Term term when term.Text.Any(c => c != '*') => [term],
            And and => and.Items.SelectMany(Terms),
            Or or => or.Items.SelectMany(Terms),
            _ => [],
        };

    public IReadOnlyList<Piece> Pieces(LogRecord record, int longest)
    {
        var body = record.Body.Length > longest ? record.Body[..longest] : record.Body;
        // One mark a character: bit 0 for a variable, bit 1 for a hit, from bit 2 on the colour of a mark.
        var marks = new byte[body.Length];
        MarkNumbers(body, marks);
        foreach (var value in record.Attributes.Values)
            if (value.IsText && value.AsText.Length >= 3)
                MarkText(body, value.AsText, marks);
        foreach (var term in _terms)
            MarkHits(body, term, marks);
        foreach (var mark in _marks)
            for (
                var at = body.IndexOf(mark.Text, StringComparison.OrdinalIgnoreCase);
                at >= 0;
                at = body.IndexOf(mark.Text, at + mark.Text.Length, StringComparison.OrdinalIgnoreCase)
            )
            for (var i = at; i < at + mark.Text.Length; i++)
                marks[i] = (byte)((marks[i] & 3) | ((mark.Colour + 1) << 2));
        var pieces = new List<Piece>();
        for (var start = 0; start < body.Length; )
        {
            var end = start + 1;
            while (end < body.Length && marks[end] == marks[start])
                end++;
            pieces.Add(
                new Piece(
                    Visible(body.AsSpan(start, end - start)),
                    (marks[start] & 1) != 0 ? PieceKind.Variable : PieceKind.Constant,
                    (marks[start] & 2) != 0,
                    marks[start] >> 2
                )
            );
            start = end;
        }
        if (body.Length < record.Body.Length)
            pieces.Add(new Piece("…", PieceKind.Constant, false));
        return pieces;
    }

    /// <summary>The pieces as markup, without a blank that the body does not have.</summary>
    public static IHtmlContent Markup(IEnumerable<Piece> pieces)
    {
        var html = new HtmlContentBuilder();
        foreach (var piece in pieces)
        {
            var variable = piece.Kind == PieceKind.Variable;
            if (piece.Colour > 0)
                html.AppendHtml($"<mark class=\"colour-{piece.Colour - 1}{(variable ? " variable" : "")}\">")
                    .Append(piece.Text)
                    .AppendHtml("</mark>");
            else if (piece.Hit)
                html.AppendHtml(variable ? "<mark class=\"variable\">" : "<mark>").Append(piece.Text).AppendHtml("</mark>");
            else if (variable)
                html.AppendHtml("<span class=\"variable\">").Append(piece.Text).AppendHtml("</span>");
            else
                html.Append(piece.Text);
        }
        return html;
    }

    /// <summary>A run with a digit in it is a number, an id or an amount.</summary>
    private static void MarkNumbers(string body, byte[] marks)
    {
        for (var i = 0; i < body.Length; )
        {
            if (!IsRun(body[i]))
            {
                i++;
                continue;
            }
            var start = i;
            var digit = false;
            while (i < body.Length && IsRun(body[i]))
                digit |= char.IsAsciiDigit(body[i++]);
            var end = i;
            while (end > start && body[end - 1] is '.' or '-' or ':' or '/')
                end--;
            if (digit)
                marks.AsSpan(start, end - start).Fill(1);
        }

        static bool IsRun(char c) => char.IsLetterOrDigit(c) || c is '-' or '.' or '_' or ':' or '/' or '%';
    }

    private static void MarkText(string body, string value, byte[] marks)
    {
        for (
            var at = body.IndexOf(value, StringComparison.Ordinal);
            at >= 0;
            at = body.IndexOf(value, at + value.Length, StringComparison.Ordinal)
        )
        {
            var end = at + value.Length;
            if ((at == 0 || !char.IsLetterOrDigit(body[at - 1])) && (end == body.Length || !char.IsLetterOrDigit(body[end])))
                marks.AsSpan(at, value.Length).Fill(1);
        }
    }

    private static void MarkHits(string body, TermMatcher term, byte[] marks)
    {
        for (var at = term.Find(body, 0, out var length); at >= 0 && length > 0; at = term.Find(body, at + length, out length))
        for (var i = at; i < at + length; i++)
            marks[i] |= 2;
    }

    /// <summary>Control characters as their pictures, and marks that turn the direction of text as their codes.</summary>
    public static string Visible(ReadOnlySpan<char> text)
    {
        var shown = new StringBuilder(text.Length);
        foreach (var c in text)
            _ = c switch
            {
                '\n' or '\t' => shown.Append(c),
                < ' ' => shown.Append((char)(0x2400 + c)),
                '\u007f' => shown.Append('\u2421'),
                >= '\u0080'
                and <= '\u009f'
                or >= '\u202a'
                and <= '\u202e'
                or >= '\u2066'
                and <= '\u2069'
                or '\u200e'
                or '\u200f' => shown.Append(System.Globalization.CultureInfo.InvariantCulture, $"⟨{(int)c:X4}⟩"),
                _ => shown.Append(c),
            };
        return shown.ToString();
    }
}
