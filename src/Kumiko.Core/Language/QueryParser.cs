using System.Net;

namespace Kumiko.Core.Language;

/// <summary>
/// Reads query text by recursive descent: the match in this file, expressions and stages beside it.
/// Never throws on any text; what cannot be read is an error with its place.
/// </summary>
public sealed partial class QueryParser
{
    /// <summary>The longest query, in characters.</summary>
    public const int MaxLength = 16_384;

    private const int MaxDepth = 100;

    private readonly Scanner _in;
    private readonly List<Hint> _hints = [];
    private int _depth;

    /// <summary>Names that <c>from</c>, <c>join</c> and <c>union</c> know here.</summary>
    private readonly HashSet<string> _sets;

    private QueryParser(string text, IEnumerable<string> tables)
    {
        _in = new Scanner(text);
        _sets = new HashSet<string>([.. RowSetNames.All, .. tables], StringComparer.Ordinal);
    }

    /// <param name="text">Any text.</param>
    /// <param name="tables">Names of sets that can be read besides those of the language: look-up tables.</param>
    public static ParseResult Parse(string text, IEnumerable<string>? tables = null)
    {
        if (text.Length > MaxLength)
        {
            var message = FormattableString.Invariant(
                $"A query can have {MaxLength} characters; this one has {text.Length}. Shorten it."
            );
            return new ParseResult(text, Query.All, [new SyntaxError(TextSpan.Between(MaxLength, text.Length), message)], []);
        }
        var parser = new QueryParser(text, tables ?? []);
        var query = parser.ParseQuery();
        if (parser._in.Errors.Count == 0)
            QueryChecker.Check(query, parser._in.Errors);
        return new ParseResult(text, query, parser._in.Errors, parser._hints);
    }

    private Query ParseQuery(bool nested = false)
    {
        _in.SkipBlank();
        var with = ParseWith();
        var from = ParseFrom();
        var behindWith = with.Count > 0 ? with[^1].Span.End : 0;
        if (with.Count == 0 && nested)
            behindWith = _in.Position;
        var empty = from?.Span.End ?? behindWith;
        _in.SkipBlank();
        var start = _in.Position;
        Expr? match = null;
        if (!AtEndOfQuery(nested) && _in.Current != '|')
        {
            _in.StageStart ??= _in.Position;
            match = MatchOr();
            _in.SkipBlank();
            if (match is null)
                _in.SkipToPipe();
            else if (!AtEndOfQuery(nested) && _in.Current != '|')
            {
                Unexpected();
                _in.SkipToPipe();
            }
        }
        var span = match is null ? new TextSpan(empty, 0) : TextSpan.Between(start, match.Span.End);
        var stages = new List<Stage>();
        while (_in.Take('|'))
        {
            _in.Stage++;
            _in.StageStart = null;
            _in.SkipBlank();
            _in.StageStart = _in.Position;
            if (ParseStage() is { } stage)
                stages.Add(stage);
            else
                _in.SkipToPipe();
            _in.SkipBlank();
            if (!AtEndOfQuery(nested) && _in.Current != '|')
            {
                Unexpected();
                _in.SkipToPipe();
            }
        }
        return new Query(match, new Seq<Stage>(stages), from)
        {
            With = with,
            Comments = new Comments(_in.Comments),
            MatchSpan = span,
        };
    }

    private bool AtEndOfQuery(bool nested) => _in.AtEnd || (nested && _in.Current == ')');

    private void Unexpected() =>
        _in.Error(
            _in.Position,
            _in.Position + 1,
            _in.Current switch
            {
                ')' => "This bracket was never opened. Remove it.",
                ',' => "A comma separates values only inside brackets. Remove it, or write in (…).",
                '!' => "“!” is no condition here. Write not in front of what to leave out.",
                '=' or '<' or '>' or '~' => $"Nothing stands before “{_in.Current}”. Write a field's name there.",
                _ => $"“{_in.Current}” was not expected here. Start a new stage with |.",
            }
        );

    private bool Deeper()
    {
        if (++_depth <= MaxDepth)
            return true;
        _in.Error(
            _in.Position,
            _in.Position + 1,
            FormattableString.Invariant($"Brackets and nots can be {MaxDepth} deep. Simplify this.")
        );
        return false;
    }

    private Expr? MatchOr()
    {
        if (!Deeper())
            return null;
        var items = new List<Expr>();
        do
        {
            if (MatchAnd() is not { } item)
                return null;
            items.Add(item);
            _in.SkipBlank();
        } while (TakeMatchKeyword("or"));
        _depth--;
        return Expr.Or(items);
    }

    private Expr? MatchAnd()
    {
        var items = new List<Expr>();
        while (true)
        {
            if (MatchNot() is not { } item)
                return null;
            items.Add(item);
            _in.SkipBlank();
            if (TakeMatchKeyword("and"))
                continue;
            if (_in.AtEnd || _in.Current is '|' or ')' || Keywords.Is(_in.PeekBareWord(), "or"))
                return Expr.And(items);
        }
    }

    private bool TakeMatchKeyword(string keyword)
    {
        if (!Keywords.Is(_in.PeekBareWord(), keyword))
            return false;
        _in.Position += keyword.Length;
        return true;
    }

    private Expr? MatchNot()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (!TakeMatchKeyword("not"))
            return MatchPrimary();
        if (!Deeper() || MatchNot() is not { } inner)
            return null;
        _depth--;
        return new Not(inner) { Span = TextSpan.Between(start, inner.Span.End) };
    }

    private Expr? MatchPrimary()
    {
        var start = _in.Position;
        if (_in.AtEnd)
        {
            _in.Error(start, start, "Something is missing at the end. Write a word or a condition.");
            return null;
        }
        switch (_in.Current)
        {
            case '(':
                return MatchBrackets();
            case '"' or '\'':
                return _in.Quoted() is { } phrase ? EndPhrase(phrase, start) : null;
            case '`':
                return _in.BacktickName() is { } name
                    ? MatchCondition(new Field(name) { Span = TextSpan.Between(start, _in.Position) }, mustCompare: true)
                    : null;
        }
        var word = _in.BareWord();
        if (word.Length == 0)
        {
            Unexpected();
            return null;
        }
        if (Keywords.MatchKeywords.Contains(word))
        {
            _in.Error(
                start,
                _in.Position,
                $"“{word}” joins two conditions. Write one before and after it, or put it in quotes to search for the word."
            );
            return null;
        }
        if (Keywords.Is(word, "exists") && _in.Current == '(')
            return MatchExists(start);
        return MatchCondition(new Field(word) { Span = TextSpan.Between(start, _in.Position) }, mustCompare: false);
    }

    private Term? EndPhrase(string phrase, int start)
    {
        if (phrase.Length > 0)
            return new Term(phrase, true) { Span = TextSpan.Between(start, _in.Position) };
        _in.Error(start, _in.Position, "These quotes are empty. Write the text to search for.");
        return null;
    }

    private Expr? MatchBrackets()
    {
        var start = _in.Position++;
        _in.SkipBlank();
        if (_in.Current == ')')
        {
            _in.Error(start, _in.Position + 1, "These brackets are empty. Write a condition inside.");
            return null;
        }
        if (MatchOr() is not { } inner)
            return null;
        _in.SkipBlank();
        if (_in.Take(')'))
            return inner with { Span = TextSpan.Between(start, _in.Position) };
        if (_in.AtEnd || _in.Current == '|')
            _in.Error(start, start + 1, "This bracket is not closed. Add ).");
        else
            Unexpected();
        return null;
    }

    private Exists? MatchExists(int start)
    {
        _in.Position++;
        _in.SkipBlank();
        var nameStart = _in.Position;
        var name = _in.Current == '`' ? _in.BacktickName() : _in.BareWord();
        if (string.IsNullOrEmpty(name))
        {
            _in.Error(nameStart, nameStart + 1, "Write the name of a field inside exists( ).");
            return null;
        }
        var field = new Field(name) { Span = TextSpan.Between(nameStart, _in.Position) };
        _in.SkipBlank();
        if (_in.Take(')'))
            return new Exists(field) { Span = TextSpan.Between(start, _in.Position) };
        _in.Error(start, _in.Position, "This bracket is not closed. Add ).");
        return null;
    }

    /// <summary>What follows a bare word: an operator makes it a field; without one it is a word to search for.</summary>
    private Expr? MatchCondition(Field field, bool mustCompare)
    {
        var after = _in.Position;
        _in.SkipBlank();
        var opStart = _in.Position;
        if (ReadOperator() is { } op)
        {
            Expr? condition = op.Regex ? ParseRegex(field, op.Negated) : MatchComparison(field, op.Compare, opStart);
            return condition is null ? null : condition with { Span = TextSpan.Between(field.Span.Start, _in.Position) };
        }
        if (_in.Errors.Count > 0 && _in.Errors[^1].Span.Start == opStart)
            return null;
        if (TryMatchIn(field, out var inCondition))
            return inCondition is null ? null : inCondition with { Span = TextSpan.Between(field.Span.Start, _in.Position) };
        _in.Position = after;
        if (!mustCompare)
            return new Term(field.Name, false) { Span = field.Span };
        _in.Error(field.Span.Start, field.Span.End, "A name in backticks needs a comparison, such as = or exists( ).");
        return null;
    }

    private Compare? MatchComparison(Field field, CompareOp op, int opStart)
    {
        if (MatchLiteral() is not { } literal)
        {
            _in.Error(
                opStart,
                Math.Max(_in.Position, opStart + 1),
                $"A value is missing after {Symbol(op)}. Write one, in quotes where it has blanks."
            );
            return null;
        }
        if (literal.Span.Start == opStart + Symbol(op).Length && field.Span.End == opStart && op == CompareOp.Equal)
            _hints.Add(
                new Hint(
                    TextSpan.Between(field.Span.Start, literal.Span.End),
                    $"Read as the condition {field.Name} = {literal.Text}. Put it in quotes to search for the text."
                )
            );
        return new Compare(field, op, literal);
    }

    private Literal? MatchLiteral()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (_in.Current is '"' or '\'')
            return _in.Quoted() is { } text ? new Literal(text, true) { Span = TextSpan.Between(start, _in.Position) } : null;
        var word = _in.PeekBareWord();
        if (word.Length == 0 || Keywords.MatchKeywords.Contains(word) || word[0] == '`')
            return null;
        _in.Position += word.Length;
        return new Literal(word, false) { Span = TextSpan.Between(start, _in.Position) };
    }

    /// <summary><c>in</c> is a keyword only between a name and a list, a range or a network; else a word.</summary>
    private bool TryMatchIn(Field field, out Expr? condition)
    {
        condition = null;
        if (!TakeMatchKeyword("in"))
            return false;
        _in.SkipBlank();
        if (_in.Current == '(')
        {
            condition = ParseList(field, MatchLiteral);
            return true;
        }
        var word = _in.PeekBareWord();
        var dots = word.IndexOf("..", StringComparison.Ordinal);
        if (dots >= 0 && word.Length > 2)
        {
            var start = _in.Position;
            _in.Position += word.Length;
            var (from, to) = (word[..dots], word[(dots + 2)..]);
            if (to.Contains("..") || Keywords.MatchKeywords.Contains(from) || Keywords.MatchKeywords.Contains(to))
            {
                _in.Error(start, _in.Position, "A range has two ends, such as 400..499.");
                return true;
            }
            condition = new InRange(
                field,
                from.Length > 0 ? new Literal(from, false) : null,
                to.Length > 0 ? new Literal(to, false) : null
            );
            return true;
        }
        if (!IPNetwork.TryParse(word, out _))
            return false;
        _in.Position += word.Length;
        condition = new InNetwork(field, word);
        return true;
    }

    private InList? ParseList(Expr left, Func<Literal?> next)
    {
        var start = _in.Position++;
        var items = new List<Literal>();
        do
        {
            if (next() is not { } item)
            {
                _in.Error(_in.Position, _in.Position + 1, "A value is missing in this list.");
                return null;
            }
            items.Add(item);
            _in.SkipBlank();
        } while (_in.Take(','));
        if (_in.Take(')'))
            return new InList(left, new Seq<Literal>(items));
        _in.Error(start, _in.Position, "This list is not closed. Separate values with commas and add ).");
        return null;
    }

    private readonly record struct Operator(CompareOp Compare, bool Regex, bool Negated);

    private Operator? ReadOperator()
    {
        var start = _in.Position;
        switch (_in.Current)
        {
            case '=':
                _in.Position++;
                if (_in.Current == '=')
                {
                    _in.Error(start, start + 2, "Write = once.");
                    return null;
                }
                return new(CompareOp.Equal, false, false);
            case '~':
                _in.Position++;
                return new(default, true, false);
            case '!' when _in.Peek() == '=':
                _in.Position += 2;
                return new(CompareOp.NotEqual, false, false);
            case '!' when _in.Peek() == '~':
                _in.Position += 2;
                return new(default, true, true);
            case '<' when _in.Peek() == '>':
                _in.Error(start, start + 2, "Write != for “is not”.");
                return null;
            case '<' when _in.Peek() == '=':
                _in.Position += 2;
                return new(CompareOp.LessOrEqual, false, false);
            case '<':
                _in.Position++;
                return new(CompareOp.Less, false, false);
            case '>' when _in.Peek() == '=':
                _in.Position += 2;
                return new(CompareOp.GreaterOrEqual, false, false);
            case '>':
                _in.Position++;
                return new(CompareOp.Greater, false, false);
            default:
                return null;
        }
    }

    internal static string Symbol(CompareOp op) =>
        op switch
        {
            CompareOp.Equal => "=",
            CompareOp.NotEqual => "!=",
            CompareOp.Less => "<",
            CompareOp.LessOrEqual => "<=",
            CompareOp.Greater => ">",
            _ => ">=",
        };

    private RegexMatch? ParseRegex(Expr left, bool negated) =>
        RegexText() is { } regex ? new RegexMatch(left, regex.Pattern, regex.Flags, negated) : null;

    public RegexLiteral? RegexText()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (!_in.Take('/'))
        {
            _in.Error(start, start + 1, "Write a regular expression between slashes, such as /took \\d+ms/.");
            return null;
        }
        while (!_in.AtEnd && _in.Current is not '/' and not '\n')
            _in.Position += _in.Current == '\\' && _in.Peek() != '\n' ? 2 : 1;
        if (_in.Current != '/')
        {
            _in.Position = Math.Min(_in.Position, _in.Text.Length);
            _in.Error(start, _in.Position, "This regular expression is not closed. End it with /.");
            return null;
        }
        var pattern = _in.Text[(start + 1).._in.Position];
        var flagStart = ++_in.Position;
        while (char.IsAsciiLetter(_in.Current))
            _in.Position++;
        var flags = _in.Text[flagStart.._in.Position];
        if (flags.Any(f => f is not ('i' or 'm' or 's')) || flags.Distinct().Count() != flags.Length)
        {
            _in.Error(
                flagStart,
                _in.Position,
                "The letters after a regular expression can be i (any case), m (lines) and s (dot takes line ends)."
            );
            return null;
        }
        if (Regexes.Refusal(pattern, flags) is { } refusal)
        {
            _in.Error(start, flagStart, refusal);
            return null;
        }
        return new RegexLiteral(pattern, flags) { Span = TextSpan.Between(start, _in.Position) };
    }
}
