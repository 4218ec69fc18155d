using System.Text;
using System.Text.RegularExpressions;

namespace Kumiko.Core.Storage.Migrations.Words;

/// <summary>
/// The query language as it was before its words changed: <c>every</c>, <c>limit … by</c>, <c>top</c>, <c>increase( )</c> and
/// <c>rate( )</c>. What is quoted, a comment or a condition of the match stays as it is.
/// </summary>
internal static partial class FormerGrammar
{
    /// <summary>A query in the words of today.</summary>
    public static string Today(string text) => new Reader(text).Read();

    /// <summary>The name of a column that an answer had, which may be a call as it was written.</summary>
    public static string Column(string name) => RateCall().Replace(IncreaseCall().Replace(name, "growth("), "per_second()");

    [GeneratedRegex(@"(?<![\w.])increase\(")]
    private static partial Regex IncreaseCall();

    [GeneratedRegex(@"(?<![\w.])rate\(\s*\)")]
    private static partial Regex RateCall();

    /// <summary>What one bracket holds: the match of a query until a bar, then its stages; or an expression.</summary>
    private sealed class Inside
    {
        public bool InStages;
        public bool IsFresh;
        public string Stage = "";
    }

    private sealed class Reader(string text)
    {
        private readonly StringBuilder _to = new(text.Length + 16);
        private readonly Stack<Inside> _outer = new();
        private Inside _inside = new();
        private int _at;

        /// <summary>Whether what was read last is a value, behind which a slash divides.</summary>
        private bool _afterValue;

        public string Read()
        {
            while (_at < text.Length)
                Next();
            return _to.ToString();
        }

        private void Next()
        {
            var c = text[_at];
            switch (c)
            {
                case '"' or '\'':
                    Quoted(c);
                    return;
                case '`':
                    Name();
                    return;
                case '-' when IsComment():
                    Take(LineEnd() - _at);
                    return;
                case '/' when _inside.InStages && !_afterValue:
                    Regex();
                    return;
                case '~':
                    Take(1);
                    Blanks();
                    if (_at < text.Length && text[_at] == '/')
                        Regex();
                    return;
                case '|':
                    (_inside.InStages, _inside.IsFresh, _inside.Stage) = (true, true, "");
                    Value(false);
                    return;
                case '(':
                    // In the match a bracket may hold a query of its own.
                    _outer.Push(_inside);
                    _inside = new Inside { InStages = _inside.InStages, Stage = _inside.InStages ? "call" : "" };
                    Value(false);
                    return;
                case ')':
                    if (_outer.Count > 0)
                        _inside = _outer.Pop();
                    Value(true);
                    return;
            }
            if (char.IsAsciiLetter(c) || c == '_')
                Word();
            else
                Value(char.IsAsciiDigit(c) || (char.IsWhiteSpace(c) && _afterValue));
        }

        private void Take(int length)
        {
            _to.Append(text, _at, length);
            _at += length;
        }

        private void Value(bool isValue)
        {
            Take(1);
            _afterValue = isValue;
        }

        private void Blanks()
        {
            while (_at < text.Length && char.IsWhiteSpace(text[_at]))
                Take(1);
        }

        private bool IsComment() =>
            _at + 1 < text.Length && text[_at + 1] == '-' && (_at + 2 >= text.Length || char.IsWhiteSpace(text[_at + 2]));

        private int LineEnd() => text.IndexOf('\n', _at) is >= 0 and var end ? end : text.Length;

        private void Quoted(char quote)
        {
            var end = _at + 1;
            while (end < text.Length && text[end] != quote)
                end += text[end] == '\\' ? 2 : 1;
            Take(Math.Min(end + 1, text.Length) - _at);
            _afterValue = true;
        }

        private void Name()
        {
            var end = text.IndexOf('`', _at + 1);
            var name = end < 0 ? text[_at..] : text[_at..(end + 1)];
            _to.Append(_inside.InStages ? Column(name) : name);
            _at += name.Length;
            _afterValue = true;
        }

        private void Regex()
        {
            var end = _at + 1;
            while (end < text.Length && text[end] is not ('/' or '\n'))
                end += text[end] == '\\' ? 2 : 1;
            Take(Math.Min(end + 1, text.Length) - _at);
            _afterValue = true;
        }

        private void Word()
        {
            var end = _at;
            while (end < text.Length && (char.IsLetterOrDigit(text[end]) || text[end] is '_' or '.'))
                end++;
            var word = text[_at..end];
            _at = end;
            _afterValue = !Is(word, "as") && !Is(word, "and") && !Is(word, "or") && !Is(word, "not");
            _to.Append(_inside.InStages ? Today(word) : word);
        }

        private static bool IsLength(ReadOnlySpan<char> text) =>
            text is [>= '0' and <= '9', ..] || text.StartsWith("auto", StringComparison.OrdinalIgnoreCase);

        private static bool Is(string word, string keyword) => word.Equals(keyword, StringComparison.OrdinalIgnoreCase);

        private string Today(string word)
        {
            if (_inside.IsFresh)
            {
                (_inside.IsFresh, _inside.Stage) = (false, word.ToLowerInvariant());
                return Is(word, "top") ? "highest" : word;
            }
            if (_at < text.Length && text[_at] == '(')
            {
                if (Is(word, "increase"))
                    return "growth";
                if (Is(word, "rate") && text.AsSpan(_at + 1).TrimStart() is [')', ..])
                    return "per_second";
                return word;
            }
            if (_inside.Stage == "group" && Is(word, "every"))
                return "per";
            if (_inside.Stage == "limit" && Is(word, "by"))
                return "for each";
            // A field of this name needs backticks now; a length behind it says that it is a word of today.
            return Is(word, "per") && !(_inside.Stage == "group" && IsLength(text.AsSpan(_at).TrimStart())) ? $"`{word}`" : word;
        }
    }
}
