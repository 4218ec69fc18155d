using System.Net;

namespace Kumiko.Core.Language;

public sealed partial class QueryParser
{
    public Expr? Expression() => ExpressionOr();

    private Expr? ExpressionOr()
    {
        if (!Deeper())
            return null;
        var items = new List<Expr>();
        do
        {
            if (ExpressionAnd() is not { } item)
                return null;
            items.Add(item);
        } while (_in.TakeKeyword("or"));
        _depth--;
        return Expr.Or(items);
    }

    private Expr? ExpressionAnd()
    {
        var items = new List<Expr>();
        do
        {
            if (ExpressionNot() is not { } item)
                return null;
            items.Add(item);
        } while (_in.TakeKeyword("and"));
        return Expr.And(items);
    }

    private Expr? ExpressionNot()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (!_in.TakeKeyword("not"))
            return Comparison();
        if (!Deeper() || ExpressionNot() is not { } inner)
            return null;
        _depth--;
        return new Not(inner) { Span = TextSpan.Between(start, inner.Span.End) };
    }

    private Expr? Comparison()
    {
        if (Sum() is not { } left)
            return null;
        _in.SkipBlank();
        var opStart = _in.Position;
        Expr? condition;
        if (ReadOperator() is { } op)
        {
            if (op.Regex)
                condition = ParseRegex(left, op.Negated);
            else
            {
                if (Sum() is not { } right)
                    return null;
                (left, right) = (LevelName(left, right), LevelName(right, left));
                condition = new Compare(left, op.Compare, right);
                if (UnquotedText(right))
                {
                    _in.Error(
                        right.Span.Start,
                        right.Span.End,
                        $"Put text in quotes: \"{_in.Text[right.Span.Start..right.Span.End]}\"."
                    );
                    return null;
                }
            }
        }
        else if (_in.Errors.Count > 0 && _in.Errors[^1].Span.Start == opStart)
            return null;
        else if (_in.TakeKeyword("in"))
            condition = ExpressionIn(left);
        else
            return left;
        return condition is null ? null : condition with { Span = TextSpan.Between(left.Span.Start, _in.Position) };
    }

    /// <summary>Level names are constants beside the field level.</summary>
    private static Expr LevelName(Expr side, Expr other) =>
        other is Field { Name: "level" } && side is Field field && Records.Severity.Names.Contains(field.Name.ToLowerInvariant())
            ? new Literal(field.Name, false) { Span = field.Span }
            : side;

    /// <summary>gate-control without quotes reads as a difference of two fields, which nobody means.</summary>
    private bool UnquotedText(Expr right) =>
        right is Arithmetic { Op: '-', Left: Field or Arithmetic, Right: Field or Literal }
        && !_in.Text.AsSpan(right.Span.Start, right.Span.Length).ContainsAny(" `\t\n(");

    private Expr? ExpressionIn(Expr left)
    {
        _in.SkipBlank();
        if (_in.Current == '(')
            return ParseList(left, () => ListLiteral(left is Field { Name: "level" }));
        var start = _in.Position;
        var network = _in.PeekBareWord().TrimEnd(';');
        if (IPNetwork.TryParse(network, out _))
        {
            _in.Position += network.Length;
            return new InNetwork(left, network);
        }
        var from = SignedNumber();
        if (_in.Current == '.' && _in.Peek() == '.')
        {
            _in.Position += 2;
            var to = SignedNumber();
            if (from is not null || to is not null)
                return new InRange(left, from, to);
        }
        _in.Error(
            start,
            Math.Max(start + 1, _in.Position),
            "After in comes a list in brackets, a range such as 400..499, or a network."
        );
        return null;
    }

    private Literal? ListLiteral(bool levels)
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (_in.Current is '"' or '\'')
            return _in.Quoted() is { } text ? new Literal(text, true) { Span = TextSpan.Between(start, _in.Position) } : null;
        if (_in.Current == ':' && (char.IsAsciiLetter(_in.Peek()) || _in.Peek() == '_'))
            return Parameter();
        var word = _in.PeekIdentifier();
        if (
            Keywords.Is(word, "true")
            || Keywords.Is(word, "false")
            || (levels && Records.Severity.Names.Contains(word.ToLowerInvariant()))
        )
        {
            _in.Position += word.Length;
            return new Literal(word, false) { Span = TextSpan.Between(start, _in.Position) };
        }
        if (word.Length == 0)
            return SignedNumber();
        _in.Error(start, start + word.Length, $"Put text in quotes: \"{word}\".");
        return null;
    }

    private Literal? SignedNumber()
    {
        var start = _in.Position;
        _in.Take('-');
        if (Number() is { } number)
            return number with { Text = _in.Text[start.._in.Position], Span = TextSpan.Between(start, _in.Position) };
        _in.Position = start;
        return null;
    }

    private Expr? Sum()
    {
        if (Product() is not { } left)
            return null;
        while (true)
        {
            _in.SkipBlank();
            if (_in.AtEnd || _in.Current is not ('+' or '-'))
                return left;
            var op = _in.Text[_in.Position++];
            if (Product() is not { } right)
                return null;
            left = new Arithmetic(left, op, right) { Span = TextSpan.Between(left.Span.Start, right.Span.End) };
        }
    }

    private Expr? Product()
    {
        if (Unary() is not { } left)
            return null;
        while (true)
        {
            _in.SkipBlank();
            if (_in.AtEnd || _in.Current is not ('*' or '/' or '%'))
                return left;
            var op = _in.Text[_in.Position++];
            if (Unary() is not { } right)
                return null;
            left = new Arithmetic(left, op, right) { Span = TextSpan.Between(left.Span.Start, right.Span.End) };
        }
    }

    private Expr? Unary()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (!_in.Take('-'))
            return Primary();
        if (!Deeper() || Unary() is not { } inner)
            return null;
        _depth--;
        return new Negate(inner) { Span = TextSpan.Between(start, inner.Span.End) };
    }

    public Expr? Primary()
    {
        _in.SkipBlank();
        var start = _in.Position;
        switch (_in.Current)
        {
            case '(':
                _in.Position++;
                if (Expression() is not { } inner)
                    return null;
                _in.SkipBlank();
                if (_in.Take(')'))
                    return inner with { Span = TextSpan.Between(start, _in.Position) };
                _in.Error(start, start + 1, "This bracket is not closed. Add ).");
                return null;
            case '"' or '\'':
                return _in.Quoted() is { } text ? new Literal(text, true) { Span = TextSpan.Between(start, _in.Position) } : null;
            case '/':
                return RegexText();
            case ':' when char.IsAsciiLetter(_in.Peek()) || _in.Peek() == '_':
                return Parameter();
            case '`':
                return _in.BacktickName() is { } quotedName
                    ? new Field(quotedName) { Span = TextSpan.Between(start, _in.Position) }
                    : null;
        }
        if (Number() is { } number)
            return number;
        var name = _in.Identifier();
        if (name.Length == 0)
        {
            _in.Error(start, start + 1, "A field, a number or a text in quotes is missing here.");
            return null;
        }
        if (_in.Current == '(')
            return ParseCall(name, start);
        var span = TextSpan.Between(start, _in.Position);
        if (Keywords.Is(name, "true") || Keywords.Is(name, "false"))
            return new Literal(name.ToLowerInvariant(), false) { Span = span };
        if (!Keywords.ExpressionKeywords.Contains(name))
            return new Field(name) { Span = span };
        _in.Error(start, _in.Position, $"“{name}” stands where a value is missing. A field of this name goes in backticks.");
        return null;
    }

    private Literal Parameter()
    {
        var start = _in.Position++;
        _in.Identifier();
        _in.Take('?');
        return new Literal(_in.Text[start.._in.Position], false) { Span = TextSpan.Between(start, _in.Position) };
    }

    /// <summary>Functions that had other names once.</summary>
    private static readonly Dictionary<string, string> Renamings = new(StringComparer.Ordinal)
    {
        ["increase"] = "growth",
        ["rate"] = "per_second",
    };

    private Expr? ParseCall(string name, int start)
    {
        if (!Deeper())
            return null;
        _in.Position++;
        if (Keywords.Is(name, "exists"))
        {
            if (Primary() is not Field field)
            {
                _in.Error(start, _in.Position, "Write the name of a field inside exists( ).");
                return null;
            }
            _in.SkipBlank();
            if (!_in.Take(')'))
            {
                _in.Error(start, _in.Position, "This bracket is not closed. Add ).");
                return null;
            }
            _depth--;
            return new Exists(field) { Span = TextSpan.Between(start, _in.Position) };
        }
        if (Renamings.GetValueOrDefault(name.ToLowerInvariant()) is { } today)
        {
            var behind = _in.Position;
            _in.Position = start + name.Length;
            Renamed(today, start);
            (_in.Position, name) = (behind, today);
        }
        if (Functions.Find(name) is not { } function)
        {
            var near = Keywords.Nearest(name, Functions.List.Select(f => f.Name));
            _in.Error(
                start,
                start + name.Length,
                near is null ? $"There is no function “{name}”." : $"There is no function “{name}”. Did you mean {near}?"
            );
            return null;
        }
        var arguments = new List<Expr>();
        _in.SkipBlank();
        if (_in.Current != ')')
            do
            {
                if (Expression() is not { } argument)
                    return null;
                arguments.Add(argument);
                _in.SkipBlank();
            } while (_in.Take(','));
        if (!_in.Take(')'))
        {
            _in.Error(start, _in.Position, $"The bracket of {name}( is not closed. Add ).");
            return null;
        }
        _depth--;
        if (arguments.Count < function.Fewest || arguments.Count > function.Most)
        {
            _in.Error(start, _in.Position, $"{function.Name} is written {function.Signature}.");
            return null;
        }
        return new Call(function.Name, new Seq<Expr>(arguments)) { Span = TextSpan.Between(start, _in.Position) };
    }

    /// <summary>A number with an optional unit or percent sign, or an ISO time; null where there is none.</summary>
    public Literal? Number()
    {
        var start = _in.Position;
        if (!char.IsAsciiDigit(_in.Current))
            return null;
        if (IsoTime() is { } time)
            return time;
        while (
            char.IsAsciiLetterOrDigit(_in.Current) || _in.Current == 'µ' || (_in.Current == '.' && char.IsAsciiDigit(_in.Peek()))
        )
            _in.Position++;
        if (_in.Current == '%' && !(char.IsLetterOrDigit(_in.Peek()) || _in.Peek() is '(' or '`' or '"' or '\''))
            _in.Position++;
        var text = _in.Text[start.._in.Position];
        if (!Literals.ReadQuantity(text).IsMissing)
            return new Literal(text, false) { Span = TextSpan.Between(start, _in.Position) };
        _in.Error(start, _in.Position, $"“{text}” is no number. Units are ns us ms s m h d w, B kB MB GB KiB MiB GiB and %.");
        return null;
    }

    private Literal? IsoTime()
    {
        var start = _in.Position;
        var end = start;
        while (
            end < _in.Text.Length
            && (
                char.IsAsciiDigit(_in.Text[end])
                || _in.Text[end] is '-' or ':' or 'T' or 'Z' or '+'
                || (_in.Text[end] == '.' && end + 1 < _in.Text.Length && char.IsAsciiDigit(_in.Text[end + 1]))
            )
        )
            end++;
        if (
            end - start < 10
            || _in.Text[start + 4] != '-'
            || _in.Text[start + 7] != '-'
            || !Records.Instants.TryParse(_in.Text[start..end], out _)
        )
            return null;
        _in.Position = end;
        return new Literal(_in.Text[start..end], false) { Span = TextSpan.Between(start, end) };
    }
}
