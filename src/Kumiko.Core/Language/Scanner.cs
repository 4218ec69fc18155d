using System.Text;

namespace Kumiko.Core.Language;

/// <summary>A cursor over query text that knows blanks, comments, quotes and bare words; it never throws.</summary>
internal sealed class Scanner(string text)
{
    private List<Comment> _comments = [];
    private readonly List<SyntaxError> _errors = [];
    private int _lastComment = -1;

    public string Text { get; } = text;
    public int Position { get; set; }

    /// <summary>Number of pipes passed so far, to which comments belong.</summary>
    public int Stage { get; set; }

    /// <summary>Where the first word of the present stage stood; null before it.</summary>
    public int? StageStart { get; set; }

    public IReadOnlyList<Comment> Comments => _comments;
    public List<SyntaxError> Errors => _errors;
    public bool AtEnd => Position >= Text.Length;
    public char Current => Position < Text.Length ? Text[Position] : '\0';

    public char Peek(int ahead = 1) => Position + ahead < Text.Length ? Text[Position + ahead] : '\0';

    /// <summary>Records an error; always null, so that a parser can return it.</summary>
    public void Error(int start, int end, string message, string? mend = null)
    {
        // One error at a place is enough; what follows from it would only confuse.
        if (_errors.Count == 0 || _errors[^1].Span.Start != start)
            _errors.Add(new SyntaxError(TextSpan.Between(start, end), message) { Mend = mend });
    }

    /// <summary>Reads a query inside the query: its comments and stages are its own.</summary>
    public T Nested<T>(Func<T> read)
    {
        var (comments, stage, start) = (_comments, Stage, StageStart);
        (_comments, Stage, StageStart) = ([], 0, null);
        var result = read();
        (_comments, Stage, StageStart) = (comments, stage, start);
        return result;
    }

    public void SkipBlank()
    {
        while (!AtEnd)
        {
            if (char.IsWhiteSpace(Current))
                Position++;
            else if (
                Current == '-'
                && Peek() == '-'
                && (Position + 2 >= Text.Length || Keywords.EndsBareWord(Text[Position + 2]))
            )
                ReadComment();
            else
                return;
        }
    }

    private void ReadComment()
    {
        var start = Position;
        var end = Text.IndexOf('\n', start);
        if (end < 0)
            end = Text.Length;
        var lineStart = start == 0 ? 0 : Text.LastIndexOf('\n', start - 1) + 1;
        var ownLine = string.IsNullOrWhiteSpace(Text[lineStart..start]);
        // A parser that looked ahead comes by a second time.
        if (start > _lastComment)
            _comments.Add(new Comment(Text[start..end].TrimEnd(), Stage, StageStart is null, ownLine));
        _lastComment = Math.Max(_lastComment, start);
        Position = end;
    }

    /// <summary>A run up to white space or a delimiter; empty where there is none.</summary>
    public string BareWord()
    {
        var start = Position;
        while (!AtEnd && !Keywords.EndsBareWord(Current))
            Position++;
        return Text[start..Position];
    }

    /// <summary>The bare word ahead without taking it.</summary>
    public string PeekBareWord()
    {
        var start = Position;
        var word = BareWord();
        Position = start;
        return word;
    }

    public string Identifier()
    {
        var start = Position;
        if (!(char.IsAsciiLetter(Current) || Current == '_'))
            return "";
        while (
            !AtEnd
            && (
                char.IsLetterOrDigit(Current)
                || Current == '_'
                || (Current == '.' && (char.IsLetterOrDigit(Peek()) || Peek() == '_'))
            )
        )
            Position++;
        return Text[start..Position];
    }

    public string PeekIdentifier()
    {
        var start = Position;
        var word = Identifier();
        Position = start;
        return word;
    }

    /// <summary>The identifier ahead behind blanks, in small letters, without taking it.</summary>
    public bool PeekAny(out string word)
    {
        var start = Position;
        SkipBlank();
        word = PeekIdentifier().ToLowerInvariant();
        var any = word.Length > 0 || Current == '`';
        Position = start;
        return any;
    }

    public bool Take(char c)
    {
        if (Current != c || AtEnd)
            return false;
        Position++;
        return true;
    }

    public bool TakeKeyword(string keyword)
    {
        SkipBlank();
        if (!Keywords.Is(PeekIdentifier(), keyword))
            return false;
        Position += keyword.Length;
        return true;
    }

    /// <summary>A quoted text, or null with an error where the closing quote is missing.</summary>
    public string? Quoted()
    {
        var start = Position;
        var quote = Text[Position++];
        var content = new StringBuilder();
        while (!AtEnd)
        {
            var c = Text[Position++];
            if (c == quote)
                return content.ToString();
            if (c == '\\' && !AtEnd)
                Escape(content);
            else
                content.Append(c);
        }
        Error(start, Text.Length, $"This quote is not closed. End it with {quote}.");
        return null;
    }

    private void Escape(StringBuilder content)
    {
        var c = Text[Position++];
        switch (c)
        {
            case 'n':
                content.Append('\n');
                return;
            case 'r':
                content.Append('\r');
                return;
            case 't':
                content.Append('\t');
                return;
            case '"' or '\'' or '\\':
                content.Append(c);
                return;
            case 'u' when Current == '{':
                var end = Text.IndexOf('}', Position);
                if (
                    end > 0
                    && end - Position <= 5
                    && ushort.TryParse(
                        Text.AsSpan(Position + 1, end - Position - 1),
                        System.Globalization.NumberStyles.AllowHexSpecifier,
                        System.Globalization.CultureInfo.InvariantCulture,
                        out var code
                    )
                )
                {
                    content.Append((char)code);
                    Position = end + 1;
                    return;
                }
                break;
        }
        content.Append('\\').Append(c);
    }

    /// <summary>A name in backticks, a doubled backtick standing for one; null with an error where it does not end.</summary>
    public string? BacktickName()
    {
        var start = Position++;
        var name = new StringBuilder();
        while (!AtEnd)
        {
            var c = Text[Position++];
            if (c != '`')
            {
                name.Append(c);
                continue;
            }
            if (Current != '`')
                return name.ToString();
            name.Append('`');
            Position++;
        }
        Error(start, Text.Length, "This name is not closed. End it with `.");
        return null;
    }

    /// <summary>Goes on to the next pipe that stands outside quotes, after an error.</summary>
    public void SkipToPipe()
    {
        char quote = '\0';
        for (; !AtEnd; Position++)
        {
            if (quote != '\0')
            {
                if (Current == '\\')
                    Position++;
                else if (Current == quote)
                    quote = '\0';
            }
            else if (Current is '"' or '\'' or '`')
                quote = Current;
            else if (Current == '|')
                return;
        }
        Position = Text.Length;
    }
}
