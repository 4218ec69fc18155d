using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>
/// A body cut into tokens: words, and variables that their spelling gives away. A variable may hold separators, but
/// never begins or ends inside a run of other characters. Not for several threads.
/// </summary>
/// <remarks>
/// Variables: what has a digit; paths, URLs, addresses; what stands in quotes, or behind <c>name=</c> or a JSON name;
/// capitalised names inside a sentence; lists of these; and all lines but the first. A body's key, which has
/// <see cref="Gap"/> for each of them, is cut into the same tokens as the body.
/// </remarks>
internal sealed class BodyTokens
{
    /// <summary>What follows the last of these is one token, whatever it holds.</summary>
    public const int Most = 192;

    /// <summary>Stands for a variable in a template's key; a body that holds it has no template.</summary>
    public const byte Gap = 0;

    private const int LongestQuote = 4_096;
    private const int NotLooked = -2;
    private const byte Letter = 0;
    private const byte Digit = 1;
    private const byte Inner = 2;
    private const byte Edge = 3;
    private const byte Opener = 4;
    private static readonly byte[] Classes = MakeClasses();

    private enum Kind : byte
    {
        Word,
        Number,
        Name,
        Quoted,
        Other,
    }

    /// <summary>A header is two variables, its time and the rest, that nothing parts: a key with a header begins with two
    /// gaps.</summary>
    public const int HeaderTokens = 2;

    private readonly Slice[] _tokens = new Slice[Most + 1 + HeaderTokens];
    private readonly Kind[] _kinds = new Kind[Most + 1];
    private readonly bool[] _variable = new bool[Most + 1 + HeaderTokens];
    private bool _afterJsonName;

    // What was looked for in vain is not looked for again, so that no body takes more than a few looks at each byte.
    private int _noQuote;
    private int _noApostrophe;
    private int _noBracket;
    private int _lastOpening;

    public int Count { get; private set; }
    public Slice this[int index] => _tokens[index];

    /// <summary>Whether a token is a variable by its spelling, or a gap in a key.</summary>
    public bool IsVariable(int index) => _variable[index];

    /// <summary>The characters that are no part of a word or only inside it.</summary>
    public static readonly char[] Separators = [.. Enumerable.Range(0, 128).Where(c => Classes[c] >= Inner).Select(c => (char)c)];

    private static byte[] MakeClasses()
    {
        var classes = new byte[256];
        foreach (var c in " \t\r\v\f)[]{}<>,;|\\:@&?#!*^$"u8)
            classes[c] = Edge;
        foreach (var c in "\n\"'`/=("u8)
            classes[c] = Opener;
        foreach (var c in ".-+%~"u8)
            classes[c] = Inner;
        foreach (var c in "0123456789"u8)
            classes[c] = Digit;
        classes[Gap] = Digit;
        return classes;
    }

    public static bool IsSeparator(byte c) => Classes[c] >= Inner;

    /// <summary>Whether a key is that of lines with a header.</summary>
    public static bool HasHeader(ReadOnlySpan<byte> key) => key.Length > HeaderTokens && key[0] == Gap && key[1] == Gap;

    /// <summary>Cuts a body or a key.</summary>
    public void Cut(ReadOnlySpan<byte> body)
    {
        var header = HasHeader(body) ? new LineHeader(1, HeaderTokens) : LineHeader.Of(body);
        CutLine(body[header.End..]);
        if (header.End == 0)
            return;
        for (var t = Count - 1; t >= 0; t--)
        {
            var token = _tokens[t];
            (_tokens[t + HeaderTokens], _variable[t + HeaderTokens]) = (
                token with
                {
                    Start = token.Start + header.End,
                },
                _variable[t]
            );
        }
        (_tokens[0], _tokens[1]) = (new Slice(0, header.Split), new Slice(header.Split, header.End - header.Split));
        (_variable[0], _variable[1]) = (true, true);
        Count += HeaderTokens;
    }

    private void CutLine(ReadOnlySpan<byte> body)
    {
        Count = 0;
        _afterJsonName = false;
        (_noQuote, _noApostrophe, _noBracket, _lastOpening) = (0, 0, 0, NotLooked);
        var isTree = !body.IsEmpty && body[0] is (byte)'{' or (byte)'[' or (byte)'<';
        var words = 0;
        for (var i = 0; i < body.Length; )
        {
            var kind = Classes[body[i]];
            if (kind >= Inner)
            {
                if (kind == Opener)
                {
                    if (body[i] == '\n' && words > 0 && !isTree && Take(body, i + 1, body.Length, Kind.Other))
                        return;
                    if (Opened(body, ref i))
                        continue;
                }
                i++;
                continue;
            }
            // A minus before a number is its sign, unless something stands before the minus. It holds for words too, so
            // that a key is cut as its bodies are.
            var start = i > 0 && body[i - 1] == '-' && (i == 1 || Classes[body[i - 2]] >= Edge) ? i - 1 : i;
            if (Count == Most)
            {
                Add(start, body.Length, true, Kind.Other);
                return;
            }
            Word(body, start, ref i);
            if (Count > 0 && !_variable[Count - 1])
                words++;
        }
    }

    private void Add(int start, int end, bool variable, Kind kind)
    {
        _afterJsonName = false;
        (_tokens[Count], _variable[Count], _kinds[Count]) = (new Slice(start, end - start), variable, kind);
        Count++;
    }

    /// <summary>Adds a variable that may hold separators; false where it holds nothing else.</summary>
    private bool Take(ReadOnlySpan<byte> body, int start, int end, Kind kind)
    {
        if (Count >= Most || !HasText(body[start..end]))
            return false;
        Add(start, end, true, kind);
        Join(body);
        return true;
    }

    private static bool HasText(ReadOnlySpan<byte> text)
    {
        foreach (var c in text)
            if (Classes[c] < Inner)
                return true;
        return false;
    }

    /// <summary>A variable of the same kind behind a comma is one with that before it: lists differ in length.</summary>
    private void Join(ReadOnlySpan<byte> body)
    {
        if (Count < 2 || !_variable[Count - 2] || _kinds[Count - 1] != _kinds[Count - 2] || _kinds[Count - 1] == Kind.Other)
            return;
        var (before, last) = (_tokens[Count - 2], _tokens[Count - 1]);
        var between = body[(before.Start + before.Length)..last.Start];
        if (between.Count((byte)',') != 1 || between.ContainsAnyExcept(", \"'`"u8))
            return;
        _tokens[Count - 2] = before with { Length = last.Start + last.Length - before.Start };
        Count--;
    }

    /// <summary>What a quote, a slash or an equals sign begins. True if something was taken and <paramref name="i"/> is behind
    /// it.</summary>
    private bool Opened(ReadOnlySpan<byte> body, ref int i)
    {
        switch (body[i])
        {
            case (byte)'"' or (byte)'\'' or (byte)'`':
                return Quote(body, ref i);
            case (byte)'/':
                return Path(body, ref i);
            case (byte)'=':
                return Value(body, ref i);
            case (byte)'(':
                return Closing(body, ref i);
            default:
                return false;
        }
    }

    private bool Quote(ReadOnlySpan<byte> body, ref int i)
    {
        var quote = body[i];
        if (i > 0 && (Classes[body[i - 1]] < Inner || body[i - 1] == '\\'))
            return false;
        ref var none = ref quote == '"' ? ref _noQuote : ref _noApostrophe;
        if (i < none)
            return false;
        var end = EndOfQuote(body, i);
        if (end < 0)
            none = i + LongestQuote;
        if (end < 0 || (i == 0 && end == body.Length - 1))
            return false;
        var behind = end + 1;
        while (behind < body.Length && body[behind] == ' ')
            behind++;
        if (
            quote == '"'
            && behind < body.Length
            && body[behind] == ':'
            && Count < Most
            && end > i + 1
            && HasText(body[(i + 1)..end])
        )
        {
            // A name in JSON is constant, whatever it is.
            var isGap = body[(i + 1)..end].Contains(Gap);
            Add(i + 1, end, isGap, Kind.Other);
            _afterJsonName = !isGap && !IsMessage(body[(i + 1)..end]);
            i = behind + 1;
            return true;
        }
        if (SaysMessage(body, i))
            return false;
        if (!Take(body, i + 1, end, Kind.Quoted))
            _afterJsonName = false;
        i = end + 1;
        return true;
    }

    /// <summary>Brackets that a line ends with: what a sentence adds.</summary>
    private bool Closing(ReadOnlySpan<byte> body, ref int i)
    {
        if (i < 2 || body[i - 1] != ' ')
            return false;
        if (_lastOpening == NotLooked)
            _lastOpening = OpeningOf(body, EndOfLine(body));
        if (i != _lastOpening)
            return false;
        var end = EndOfLine(body);
        if (!Take(body, i + 1, end - 1, Kind.Other))
            return false;
        i = end;
        return true;
    }

    /// <summary>Where the first line ends, without the points and blanks that end it.</summary>
    private static int EndOfLine(ReadOnlySpan<byte> body)
    {
        var line = body.IndexOf((byte)'\n');
        var end = line < 0 ? body.Length : line;
        while (end > 0 && body[end - 1] is (byte)'.' or (byte)' ' or (byte)'\r')
            end--;
        return end;
    }

    /// <summary>The bracket that the one before <paramref name="end"/> closes; -1 where there is none.</summary>
    private static int OpeningOf(ReadOnlySpan<byte> body, int end)
    {
        var depth = 0;
        if (end == 0 || body[end - 1] != ')')
            return -1;
        for (var i = end - 1; i >= 0; i--)
        {
            if (body[i] == ')')
                depth++;
            if (body[i] == '(' && --depth == 0)
                return i;
        }
        return -1;
    }

    private static int EndOfQuote(ReadOnlySpan<byte> body, int open)
    {
        var quote = body[open];
        if (quote != '"' && (open + 1 == body.Length || body[open + 1] == ' '))
            return -1;
        var most = Math.Min(body.Length, open + LongestQuote);
        for (var i = open + 1; i < most; i++)
        {
            var c = body[i];
            if (c == '\n')
                return -1;
            if (c == '\\')
            {
                i++;
                continue;
            }
            if (c != quote && !(quote == '`' && c == '\''))
                continue;
            if (quote == '"' || i + 1 == body.Length || Classes[body[i + 1]] >= Inner)
                return i;
        }
        return -1;
    }

    /// <summary>Whether the text before a quote names it as the message, which is not a variable.</summary>
    private bool SaysMessage(ReadOnlySpan<byte> body, int quote)
    {
        if (Count == 0)
            return false;
        var name = _tokens[Count - 1];
        var between = body[(name.Start + name.Length)..quote];
        return between.IndexOfAny((byte)'=', (byte)':') >= 0
            && !between.ContainsAnyExcept("\"=: "u8)
            && IsMessage(body.Slice(name.Start, name.Length));
    }

    private static bool IsMessage(ReadOnlySpan<byte> name) =>
        name.SequenceEqual("msg"u8)
        || name.SequenceEqual("message"u8)
        || name.SequenceEqual("event"u8)
        || name.SequenceEqual("text"u8);

    private bool Path(ReadOnlySpan<byte> body, ref int i)
    {
        if (
            i + 1 == body.Length
            || (Classes[body[i + 1]] >= Edge)
            || (i > 0 && (Classes[body[i - 1]] is Letter or Digit || body[i - 1] == '/'))
        )
            return false;
        var end = EndOfRun(body, i);
        if (!Take(body, i, end, Kind.Other))
            return false;
        i = end;
        return true;
    }

    /// <summary>Where a path or URL ends.</summary>
    private static int EndOfRun(ReadOnlySpan<byte> body, int start)
    {
        var length = body[start..].IndexOfAny(RunEnds);
        var end = length < 0 ? body.Length : start + length;
        while (end > start && body[end - 1] is (byte)'.' or (byte)':' or (byte)'!' or (byte)'?')
            end--;
        return end;
    }

    private static readonly System.Buffers.SearchValues<byte> RunEnds = System.Buffers.SearchValues.Create(
        " \t\r\n\"'`()[]{}<>,;|"u8
    );
    private static readonly System.Buffers.SearchValues<byte> ValueEnds = System.Buffers.SearchValues.Create(
        " \t\r\n\"'`()[]{},;|&"u8
    );

    /// <summary>What stands behind <c>name=</c>.</summary>
    private bool Value(ReadOnlySpan<byte> body, ref int i)
    {
        if (Count == 0 || i + 1 == body.Length)
            return false;
        var name = _tokens[Count - 1];
        if (name.Start + name.Length != i || body[i + 1] is (byte)' ' or (byte)'=' or (byte)'>')
            return false;
        var text = body.Slice(name.Start, name.Length);
        if (IsMessage(text))
            return false;
        // p95=3 is a name with a digit, which is no variable.
        if (_kinds[Count - 1] is Kind.Number && Classes[text[0]] == Letter && !text.Contains(Gap))
            _variable[Count - 1] = false;
        int end;
        if (body[i + 1] == '[')
        {
            if (i < _noBracket)
                return false;
            end = Brackets(body, i + 1);
            if (end < 0)
            {
                _noBracket = i + LongestQuote;
                return false;
            }
        }
        else
        {
            var length = body[(i + 1)..].IndexOfAny(body[i + 1] == '/' ? RunEnds : ValueEnds);
            end = length < 0 ? body.Length : i + 1 + length;
            while (end > i + 1 && body[end - 1] is (byte)'.' or (byte)':')
                end--;
        }
        if (!Take(body, i + 1, end, Kind.Other))
            return false;
        i = end;
        return true;
    }

    private static int Brackets(ReadOnlySpan<byte> body, int open)
    {
        var depth = 0;
        for (var i = open; i < body.Length && i < open + LongestQuote; i++)
        {
            if (body[i] == '[')
                depth++;
            if (body[i] == ']' && --depth == 0)
                return i + 1;
            if (body[i] == '\n')
                return -1;
        }
        return -1;
    }

    /// <summary>A word or a number from <paramref name="start"/>; <paramref name="i"/> is behind it then.</summary>
    private void Word(ReadOnlySpan<byte> body, int start, ref int i)
    {
        var (digits, onlyHex, whole, from, end, slashes) = (false, true, false, i, i, 0);
        if (body[i] == Gap)
        {
            // Gaps of a key are no list and no address: those of its bodies were joined before.
            Add(start, ++i, true, Kind.Other);
            return;
        }
        for (; i < body.Length; i++)
        {
            var c = body[i];
            var kind = Classes[c];
            if (c == Gap)
                break;
            if (kind <= Digit)
            {
                digits |= kind == Digit;
                onlyHex &= kind == Digit || (c | 0x20) is >= 'a' and <= 'f';
                end = i + 1;
                continue;
            }
            if (kind == Inner)
            {
                onlyHex = false;
                // Pluses behind a name are part of it: c++.
                if (c == '+' && end == i && !digits)
                    end = i + 1;
                continue;
            }
            var next = i + 1 < body.Length ? body[i + 1] : (byte)' ';
            if (c == ':')
            {
                if (
                    next == '/' && i + 2 < body.Length && body[i + 2] == '/' && end == i
                    || next == '\\' && i == from + 1
                    || digits && Classes[next] <= Digit && IsDigest(body[from..i])
                )
                {
                    i = end = EndOfRun(body, from);
                    whole = true;
                    break;
                }
                if (end == i && onlyHex && next == ':' && IsAddress(body[from..]))
                    continue;
                // A number behind a name is a value: they are two.
                if (
                    end == i
                    && Classes[next] <= Digit
                    && next != Gap
                    && (digits || Classes[next] == Letter || (onlyHex && IsAddress(body[from..])))
                )
                    continue;
                if (onlyHex && i > from && body[i - 1] == ':' && Classes[next] <= Digit && IsHex(next))
                    continue;
                break;
            }
            if (c == '@' && end == i && Classes[next] <= Digit)
            {
                whole = true;
                continue;
            }
            if (
                c == '/'
                && end == i
                && Classes[next] <= Digit
                && next != Gap
                && (digits || slashes > 0 || Classes[next] == Letter || SecondSlash(body, i))
            )
            {
                slashes++;
                whole |= slashes > 1;
                continue;
            }
            break;
        }
        // Letters that look like a hash are one.
        var variable = digits || whole || (onlyHex && end - from >= 8);
        var number = variable ? Kind.Number : Kind.Word;
        if (_afterJsonName)
            (variable, number) = (true, Kind.Number);
        if (!variable && IsName(body, start, end))
        {
            var adjoins =
                _kinds[Count - 1] == Kind.Name
                && _variable[Count - 1]
                && body[start - 1] == ' '
                && _tokens[Count - 1].Start + _tokens[Count - 1].Length == start - 1;
            if (adjoins)
                _tokens[Count - 1] = _tokens[Count - 1] with { Length = end - _tokens[Count - 1].Start };
            else
                Add(start, end, true, Kind.Name);
            Join(body);
            return;
        }
        Add(start, end, variable, number);
        if (variable)
            Join(body);
    }

    /// <summary>Whether the name of a hash function: what follows it is a hash in any spelling.</summary>
    private static bool IsDigest(ReadOnlySpan<byte> word) =>
        word.Length is >= 3 and <= 6
        && (word.StartsWith("SHA"u8) || word.StartsWith("sha"u8) || word.SequenceEqual("MD5"u8) || word.SequenceEqual("md5"u8));

    private static bool IsHex(byte c) => c is >= (byte)'0' and <= (byte)'9' || (c | 0x20) is >= 'a' and <= 'f';

    /// <summary>Whether a run of hexadecimal digits and colons has two colons or more.</summary>
    private static bool IsAddress(ReadOnlySpan<byte> text)
    {
        var colons = 0;
        foreach (var c in text)
        {
            if (c == ':')
                colons++;
            else if (!IsHex(c))
                break;
            if (colons == 2)
                return true;
        }
        return false;
    }

    private static bool SecondSlash(ReadOnlySpan<byte> body, int slash)
    {
        for (var i = slash + 1; i < body.Length; i++)
        {
            if (body[i] == '/')
                return i + 1 < body.Length && Classes[body[i + 1]] <= Digit;
            if (Classes[body[i]] >= Edge)
                return false;
        }
        return false;
    }

    /// <summary>A capitalised word inside a sentence: a name of somebody or something.</summary>
    private bool IsName(ReadOnlySpan<byte> body, int start, int end)
    {
        if (Count == 0 || end - start < 3 || start == 0 || body[start - 1] != ' ' || body[start] is < (byte)'A' or > (byte)'Z')
            return false;
        var before = _tokens[Count - 1];
        var between = body[(before.Start + before.Length)..start];
        if (
            between.Length > 1
            && !between.SequenceEqual(", "u8)
            && !between.SequenceEqual("' "u8)
            && !between.SequenceEqual("\" "u8)
        )
            return false;
        foreach (var c in body[(start + 1)..end])
            if (c is not ((>= (byte)'a' and <= (byte)'z') or (byte)'-' or >= 128))
                return false;
        return true;
    }

    /// <summary>The body with gaps for its variables and for the wiped tokens.</summary>
    public void WriteKey(ReadOnlySpan<byte> body, ReadOnlySpan<bool> wiped, ByteWriter to)
    {
        var from = 0;
        for (var t = 0; t < Count; t++)
        {
            if (!_variable[t] && !(t < wiped.Length && wiped[t]))
                continue;
            to.Bytes(body[from.._tokens[t].Start]);
            to.Byte(Gap);
            from = _tokens[t].Start + _tokens[t].Length;
        }
        to.Bytes(body[from..]);
    }
}
