using System.Globalization;
using System.Text;

namespace Kumiko.Core.Language;

/// <summary>Syntax back to text: the match on the first line, one stage a line.</summary>
public static class QueryPrinter
{
    // How closely each kind binds in an expression; what binds less goes in brackets.
    private const int OrLevel = 0;
    private const int AndLevel = 1;
    private const int NotLevel = 2;
    private const int CompareLevel = 3;
    private const int SumLevel = 4;
    private const int ProductLevel = 5;
    private const int UnaryLevel = 6;
    private const int PrimaryLevel = 7;

    public static string Print(Query query)
    {
        var text = new StringBuilder();
        for (var stage = 0; stage <= query.Stages.Count; stage++)
        {
            var line = new StringBuilder();
            if (stage > 0)
                line.Append("| ").Append(query.Stages[stage - 1].Print());
            else
            {
                if (query.With.Count > 0)
                    line.Append("with ")
                        .AppendJoin(",\n     ", query.With.Select(Print))
                        .Append(query.From is null && query.Match is null ? "" : "\n");
                if (query.From is { } from)
                    line.Append(Print(from));
                if (query.Match is not null)
                    line.Append(query.From is null ? "" : " ").Append(PrintMatch(query.Match));
            }
            AppendWithComments(text, line.ToString(), query.Comments.Items.Where(c => c.Stage == stage).ToList(), stage > 0);
        }
        return text.ToString();
    }

    private static void AppendWithComments(StringBuilder text, string line, List<Comment> comments, bool piped)
    {
        // A comment between a pipe and its stage would split the two; it goes behind the stage.
        bool IsBefore(Comment comment) => !piped && comment.Before && line.Length > 0;
        foreach (var comment in comments.Where(IsBefore))
            NewLine(text).Append(comment.Text);
        if (line.Length > 0)
            NewLine(text).Append(line);
        var first = true;
        foreach (var comment in comments.Where(c => !IsBefore(c)))
        {
            if (first && !comment.OwnLine && line.Length > 0)
                text.Append(' ').Append(comment.Text);
            else
                NewLine(text).Append(comment.Text);
            first = false;
        }
    }

    private static string Print(Binding binding)
    {
        var name = Keywords.Name(binding.Name, match: false) + " = ";
        if (binding.Literal is { } literal)
            return name + PrintMatch(literal);
        var query = binding.Query!;
        var text = Print(query);
        // A comment ends its line, and would swallow the bracket.
        return query.Comments.Items.Count > 0 || query.With.Count > 0
            ? $"{name}(\n{text}\n)"
            : $"{name}({text.Replace("\n|", " |")})";
    }

    private static string Print(From from) =>
        "from "
        + Keywords.Name(from.Set, match: false)
        + (from.Over is { } over ? " over " + over : "")
        + (from.Earlier is { } earlier ? " earlier " + earlier : "");

    private static StringBuilder NewLine(StringBuilder text) => text.Length == 0 ? text : text.Append('\n');

    public static string Print(Stage stage) => stage.Print();

    /// <summary>An expression in the place of one operand.</summary>
    public static string PrintPrimary(Expr expr) => Nested(expr, PrimaryLevel);

    public static string Names(IEnumerable<Field> fields) =>
        string.Join(", ", fields.Select(f => Keywords.Name(f.Name, match: false)));

    public static string List(IEnumerable<Named> items) =>
        string.Join(
            ", ",
            items.Select(i => Print(i.Expr) + (i.Alias is { } alias ? " as " + Keywords.Name(alias, match: false) : ""))
        );

    /// <summary>A condition as the first line has it.</summary>
    public static string PrintMatch(Expr expr) =>
        expr switch
        {
            And and => string.Join(" and ", and.Items.Select(i => i is Or ? "(" + PrintMatch(i) + ")" : PrintMatch(i))),
            Or or => string.Join(" or ", or.Items.Select(i => i is And ? "(" + PrintMatch(i) + ")" : PrintMatch(i))),
            Not { Inner: And or Or } not => "not (" + PrintMatch(not.Inner) + ")",
            Not not => "not " + PrintMatch(not.Inner),
            Term term => term.Quoted ? Keywords.Quote(term.Text) : term.Text,
            Exists exists => "exists(" + Keywords.Name(exists.Field.Name, match: true) + ")",
            Compare compare => $"{PrintMatch(compare.Left)} {QueryParser.Symbol(compare.Op)} {PrintMatch(compare.Right)}",
            InList list => $"{PrintMatch(list.Left)} in ({string.Join(", ", list.Items.Select(PrintMatch))})",
            InRange range => $"{PrintMatch(range.Left)} in {range.From?.Text}..{range.To?.Text}",
            InNetwork network => $"{PrintMatch(network.Left)} in {network.Network}",
            RegexMatch regex => $"{PrintMatch(regex.Left)} {(regex.Negated ? "!~" : "~")} /{regex.Pattern}/{regex.Flags}",
            Field field => Keywords.Name(field.Name, match: true),
            Literal literal => literal.Quoted ? Keywords.Quote(literal.Text) : literal.Text,
            _ => Print(expr),
        };

    /// <summary>An expression as stages have it.</summary>
    public static string Print(Expr expr) => Nested(expr, OrLevel);

    private static string Nested(Expr expr, int level)
    {
        var (own, text) = expr switch
        {
            Or or => (OrLevel, string.Join(" or ", or.Items.Select(i => i is And ? "(" + Print(i) + ")" : Nested(i, AndLevel)))),
            And and => (AndLevel, string.Join(" and ", and.Items.Select(i => Nested(i, NotLevel)))),
            Not not => (NotLevel, "not " + Nested(not.Inner, NotLevel)),
            Compare compare => (
                CompareLevel,
                $"{Nested(compare.Left, SumLevel)} {QueryParser.Symbol(compare.Op)} {Nested(compare.Right, SumLevel)}"
            ),
            InList list => (
                CompareLevel,
                $"{Nested(list.Left, SumLevel)} in ({string.Join(", ", list.Items.Select(item => Print(item)))})"
            ),
            InRange range => (CompareLevel, $"{Nested(range.Left, SumLevel)} in {range.From?.Text}..{range.To?.Text}"),
            InNetwork network => (CompareLevel, $"{Nested(network.Left, SumLevel)} in {network.Network}"),
            RegexMatch regex => (
                CompareLevel,
                $"{Nested(regex.Left, SumLevel)} {(regex.Negated ? "!~" : "~")} /{regex.Pattern}/{regex.Flags}"
            ),
            Arithmetic { Op: '+' or '-' } sum => (
                SumLevel,
                $"{Nested(sum.Left, SumLevel)} {sum.Op} {Nested(sum.Right, ProductLevel)}"
            ),
            Arithmetic product => (
                ProductLevel,
                $"{Nested(product.Left, ProductLevel)} {product.Op} {Nested(product.Right, UnaryLevel)}"
            ),
            // Two dashes and a blank would be a comment, and without a blank hard to read.
            Negate { Inner: Negate } negate => (UnaryLevel, "-(" + Print(negate.Inner) + ")"),
            Negate negate => (UnaryLevel, "-" + Nested(negate.Inner, UnaryLevel)),
            Exists exists => (PrimaryLevel, "exists(" + Keywords.Name(exists.Field.Name, match: false) + ")"),
            Call call => (PrimaryLevel, $"{call.Name}({string.Join(", ", call.Arguments.Select(item => Print(item)))})"),
            Field field => (PrimaryLevel, Keywords.Name(field.Name, match: false)),
            Literal literal => (PrimaryLevel, literal.Quoted ? Keywords.Quote(literal.Text) : literal.Text),
            RegexLiteral regex => (PrimaryLevel, $"/{regex.Pattern}/{regex.Flags}"),
            Term term => (PrimaryLevel, Keywords.Quote(term.Text)),
            _ => throw new ArgumentOutOfRangeException(nameof(expr)),
        };
        return own < level ? "(" + text + ")" : text;
    }
}
