using Kumiko.Core.Records;

namespace Kumiko.Core.Language;

public sealed partial class QueryParser
{
    /// <summary><c>with</c> is a keyword only before <c>name =</c>.</summary>
    private Seq<Binding> ParseWith()
    {
        var start = _in.Position;
        if (!Keywords.Is(_in.PeekBareWord(), "with"))
            return Seq<Binding>.Empty;
        _in.Position += "with".Length;
        if (!char.IsWhiteSpace(_in.Current) || !IsBindingAhead())
        {
            _in.Position = start;
            return Seq<Binding>.Empty;
        }
        _in.StageStart = start;
        var bindings = new List<Binding>();
        do
        {
            if (ParseBinding() is not { } binding)
            {
                _in.SkipToPipe();
                break;
            }
            if (bindings.Exists(b => b.Name == binding.Name))
                _in.Error(binding.Span.Start, binding.Span.End, $"“{binding.Name}” is bound twice. Give one another name.");
            bindings.Add(binding);
            if (binding.Query is not null)
                _sets.Add(binding.Name);
            _in.SkipBlank();
        } while (_in.Take(','));
        return new Seq<Binding>(bindings);
    }

    private bool IsBindingAhead()
    {
        var start = _in.Position;
        while (char.IsWhiteSpace(_in.Current))
            _in.Position++;
        var name = _in.Current == '`' ? _in.BacktickName() : _in.Identifier();
        while (char.IsWhiteSpace(_in.Current))
            _in.Position++;
        var ahead = !string.IsNullOrEmpty(name) && _in.Current == '=' && _in.Peek() != '=';
        _in.Position = start;
        return ahead;
    }

    private Binding? ParseBinding()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (Name("After with comes a name, then = and a query in brackets or a value.") is not { } name)
            return null;
        _in.SkipBlank();
        if (!_in.Take('='))
        {
            _in.Error(_in.Position, _in.Position + 1, "After the name comes = and a query in brackets or a value.");
            return null;
        }
        _in.SkipBlank();
        if (_in.Current != '(')
        {
            if (MatchLiteral() is { } literal)
                return new Binding(name, null, literal) { Span = TextSpan.Between(start, _in.Position) };
            _in.Error(_in.Position, _in.Position + 1, "After = comes a query in brackets or a value.");
            return null;
        }
        if (!Deeper())
            return null;
        var open = _in.Position++;
        var query = _in.Nested(() => ParseQuery(nested: true));
        _depth--;
        if (!_in.Take(')'))
        {
            _in.Error(open, open + 1, "This bracket is not closed. Add ).");
            return null;
        }
        return new Binding(name, query, null) { Span = TextSpan.Between(start, _in.Position) };
    }

    /// <summary><c>from</c> is a keyword only before a known set.</summary>
    private From? ParseFrom()
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (!Keywords.Is(_in.BareWord(), "from"))
        {
            _in.Position = start;
            return null;
        }
        var blank = _in.Position;
        while (char.IsWhiteSpace(_in.Current))
            _in.Position++;
        var set = _in.Current == '`' ? BacktickSet() : _in.BareWord();
        var after = _in.Position;
        while (char.IsWhiteSpace(_in.Current))
            _in.Position++;
        if (after == blank || KnownSet(set) is not { } known || _in.Current is '=' or '!' or '<' or '>' or '~')
        {
            _in.Position = start;
            return null;
        }
        _in.Position = after;
        _in.StageStart ??= start;
        var (over, earlier) = (Length("over"), Length("earlier"));
        return new From(known, over, earlier) { Span = TextSpan.Between(start, _in.Position) };
    }

    private string? BacktickSet()
    {
        // Whether this is a set at all is not known yet, so an open quote is nobody's error here.
        var end = _in.Text.IndexOf('`', _in.Position + 1);
        return end < 0 ? null : _in.BacktickName();
    }

    private string? KnownSet(string? set)
    {
        if (set is null)
            return null;
        if (_sets.Contains(set))
            return set;
        return RowSetNames.All.FirstOrDefault(s => Keywords.Is(s, set));
    }

    /// <summary>A keyword with a length of time behind it; null, with nothing taken, where it is not that.</summary>
    public string? Length(string keyword)
    {
        var start = _in.Position;
        _in.SkipBlank();
        if (Keywords.Is(_in.PeekBareWord(), keyword))
        {
            _in.Position += keyword.Length;
            _in.SkipBlank();
            var word = _in.PeekBareWord();
            if (Literals.ReadQuantity(word) is { Kind: ValueKind.Duration, AsLong: > 0 })
            {
                _in.Position += word.Length;
                return word;
            }
        }
        _in.Position = start;
        return null;
    }
}
