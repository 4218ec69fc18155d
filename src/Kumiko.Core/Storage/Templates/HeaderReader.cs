using System.Buffers;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;
using static Kumiko.Core.Storage.Templates.HeaderWords;

namespace Kumiko.Core.Storage.Templates;

/// <summary>Reads one line's header from its beginning, piece by piece.</summary>
internal ref struct HeaderReader(ReadOnlySpan<byte> line)
{
    private const int MostParts = 12;
    private const int MostOpen = 3;
    private const int LongestBracket = 160;
    private const int LongestToken = 120;
    private static readonly SearchValues<byte> NotOpen = SearchValues.Create("\"'=(){}*!?"u8);

    private readonly ReadOnlySpan<byte> _line = line;
    private int _at;
    private bool _dashes;
    private bool _pipes;
    private bool _commas;
    private bool _level;
    private bool _levelSays;
    private bool _bracket;
    private bool _colon;
    private bool _named;
    private int _end;
    private HeaderPieces _pieces;

    private readonly byte Next => _at < _line.Length ? _line[_at] : (byte)0;
    private readonly ReadOnlySpan<byte> Rest => _line[_at..];

    public LineHeader Read() => Read(out _);

    /// <param name="pieces">What the header was put together of, in its order.</param>
    public LineHeader Read(out HeaderPieces pieces)
    {
        var header = Find();
        _pieces.Cut(header.End);
        pieces = _pieces;
        return header;
    }

    private LineHeader Find()
    {
        var symbol = Before();
        var time = Time();
        if (time == 0)
            return default;
        if (Next is (byte)']' or (byte)')' or (byte)'>')
            _at++;
        if (!Separators())
            return default;
        var behindTime = _at;
        if (symbol && Rest.Length > 2 && "*#-.".Contains((char)Next) && _line[_at + 1] == ' ')
            _at += 2;
        if (symbol)
            _dashes = false;
        var sure = _at;
        var (open, plain, first) = (0, false, true);
        for (var part = 0; part < MostParts && _at < _line.Length; part++)
        {
            var start = _at;
            if (Known(first && open == 0, open > 0, plain) is { } kind)
            {
                _pieces.Add(kind, start, _end);
                (sure, open, plain, first) = (_at, 0, false, false);
                if (_colon && !IsOpening(Next))
                    break;
                continue;
            }
            // Names and numbers may stand between, if more of a header follows; behind plain words only a level is that.
            if (_level || _colon || ++open > MostOpen || !Open(ref plain))
                break;
            _pieces.Add(HeaderPart.Open, start, _end);
        }
        int end;
        if (HasWords(_line[sure..]))
            end = sure;
        else if (HasWords(_line[behindTime..]))
            end = behindTime;
        else
            end = 0;
        return end == 0 ? default : new LineHeader(Math.Min(time, end), end);
    }

    /// <summary>Reads a piece that is known by its form; null where none stands here.</summary>
    private HeaderPart? Known(bool mayBeTag, bool inCapitals, bool plain)
    {
        if (mayBeTag && Tag())
            return HeaderPart.Tag;
        if (Level(inCapitals))
            return HeaderPart.Level;
        if (plain)
            return null;
        if (Bracket())
            return HeaderPart.Bracket;
        if (Piped())
            return HeaderPart.Piped;
        if (Serial())
            return HeaderPart.Serial;
        return Logger() ? HeaderPart.Logger : null;
    }

    private static bool IsOpening(byte c) => c is (byte)'[' or (byte)'(';

    private static bool HasWords(ReadOnlySpan<byte> text)
    {
        foreach (var c in text)
            if (!BodyTokens.IsSeparator(c))
                return true;
        return false;
    }

    /// <summary>What may stand before the time.</summary>
    /// <returns>Whether a process and its role stand there, behind which a sign stands for the level.</returns>
    private bool Before()
    {
        if (Next == '<' && Rest.IndexOf((byte)'>') is > 1 and < 5 and var close && IsNumber(Rest[1..close]))
        {
            _at += close + 1;
            if (Rest.Length > 2 && Next is >= (byte)'1' and <= (byte)'9' && _line[_at + 1] == ' ')
                _at += 2;
            return false;
        }
        var start = _at;
        var digits = Digits(Rest);
        if (digits > 0 && Rest[digits..] is [(byte)':', >= (byte)'A' and <= (byte)'Z', (byte)' ', _, ..])
        {
            _pieces.Add(HeaderPart.Open, _at, _at + digits);
            _at += digits + 3;
            return true;
        }
        if (IsOpening(Next))
            _at++;
        var word = Word(Rest);
        if (word > 0 && word < Rest.Length && IsLevel(Rest[..word]) && " :]|,-".Contains((char)Rest[word]))
        {
            _pieces.Add(HeaderPart.Level, _at, _at + word);
            _at += word;
            _level = true;
            if (Next == ']')
                _at++;
            Separators();
            if (IsOpening(Next))
                _at++;
        }
        else if (word > 0 && _at > start && !WrittenTime.TryScan(Rest, out _))
            _at = start;
        return false;
    }

    /// <summary>Where the time ends; 0 where none stands here.</summary>
    private int Time()
    {
        if (WrittenTime.TryScan(Rest, out var time))
        {
            // A date alone or a clock of two parts begins sentences too, but hardly inside brackets.
            var end = _at + time.Length;
            if (end < _line.Length && !BodyTokens.IsSeparator(_line[end]))
                return 0;
            _at = end;
            return end;
        }
        // Seconds since 1970, or since the machine began.
        var digits = Digits(Rest);
        if (digits is 10 or 13 or 16 or 19 && _at == 0 && Next == '1')
        {
            var end = digits + (Rest.Length > digits + 1 && Rest[digits] == '.' ? 1 + Digits(Rest[(digits + 1)..]) : 0);
            if (end >= _line.Length || _line[end] != ' ')
                return 0;
            return _at = end;
        }
        if (_at == 1 && _line[0] == '[')
        {
            while (Next == ' ')
                _at++;
            digits = Digits(Rest);
            if (digits == 0 || Rest.Length <= digits || Rest[digits] != '.')
                return 0;
            var end = _at + digits + 1 + Digits(Rest[(digits + 1)..]);
            return end < _line.Length && _line[end] == ']' ? _at = end : 0;
        }
        // A letter for the level and the day before the clock: I1123 05:17:21.123456
        if (
            _at == 0
            && _line.Length > 6
            && "IWEFD".Contains((char)Next)
            && Digits(_line[1..]) == 4
            && _line[5] == ' '
            && WrittenTime.TryScan(_line[6..], out time)
            && time.Month == 0
        )
        {
            _at = 6 + time.Length;
            // All up to a bracket belongs to it.
            var close = Rest.IndexOf("] "u8);
            if (close is < 0 or > LongestBracket)
                return _at;
            var end = _at;
            _at += close;
            return end;
        }
        return 0;
    }

    /// <summary>Blanks and what parts a header's pieces. False at the end of the line.</summary>
    private bool Separators()
    {
        var start = _at;
        while (Next is (byte)' ' or (byte)'\t')
            _at++;
        var before = _at;
        while (Next is (byte)'-' or (byte)'|' or (byte)':' or (byte)',' or (byte)';' or (byte)'>' && _at - before < 2)
            _at++;
        var sign = _at > before ? _line[before] : (byte)0;
        // A minus before a number is its sign, and a path may begin with two colons.
        if (_at > before && Next is not ((byte)' ' or (byte)'\t') && !"|,:;".Contains((char)sign))
            _at = before;
        else if (sign == '-')
            _dashes = true;
        else if (sign == '|')
            _pipes = true;
        else if (sign == ',')
            _commas = true;
        else if (sign == ':')
            _colon = true;
        while (Next is (byte)' ' or (byte)'\t')
            _at++;
        return _at < _line.Length && (_at > start || _line[start - 1] is (byte)']' or (byte)')');
    }

    private bool Bracket()
    {
        if (!IsOpening(Next))
            return false;
        var (open, close, depth) = (Next, Next == '[' ? (byte)']' : (byte)')', 0);
        var most = Math.Min(_line.Length, _at + LongestBracket);
        for (var i = _at; i < most; i++)
        {
            if (_line[i] == open)
                depth++;
            if (_line[i] != close || --depth > 0)
                continue;
            if (i == _at + 1 || i + 1 >= _line.Length || !" [:\t-|".Contains((char)_line[i + 1]))
                return false;
            var inside = _line[(_at + 1)..i];
            // Behind a logger's name a word in brackets may be what the line is about.
            if ((open == '(' || (_colon && !HasDigit(inside))) && !IsLevel(inside))
                return false;
            (_at, _end, _bracket, _colon) = (i + 1, i + 1, true, false);
            Separators();
            return true;
        }
        return false;
    }

    private bool Level(bool inCapitals)
    {
        var word = Word(Rest);
        if (word == 0 || _at + word >= _line.Length)
            return false;
        var name = _line.Slice(_at, word);
        var (after, behind) = (_line[_at + word], _at + word + 1 < _line.Length ? _line[_at + word + 1] : (byte)0);
        if (word == 1)
        {
            // A letter, where numbers of processes stand before it and a name with a colon behind it.
            if (_level || !"VDIWEF".Contains((char)name[0]) || _line[_at - 1] != ' ' || after != ' ')
                return false;
            var colon = Rest[2..].IndexOf((byte)':');
            if (colon <= 0 || Rest[2..(2 + colon)].TrimStart((byte)' ').Contains((byte)' '))
                return false;
        }
        else
        {
            if (!IsLevel(name))
                return false;
            var capitals = !name.ContainsAnyInRange((byte)'a', (byte)'z');
            if (!" \t:|,]".Contains((char)after))
                return false;
            var apart = after != ' ' || behind == ' ' || _dashes || _pipes || _commas || _bracket;
            if (!capitals && !apart && !NeverBegins(name))
                return false;
            if ((_level || inCapitals) && !capitals)
                return false;
        }
        _at += word;
        _end = _at;
        (_level, _levelSays) = (true, after == ':');
        if (Next == ']')
            _at++;
        if (!Separators())
            return false;
        _colon = false;
        return true;
    }

    /// <summary>Host, program and process: <c>quay-2 sshd[4711]:</c>; the host may be left out.</summary>
    private bool Tag()
    {
        var start = _at;
        var host = Token(Rest);
        if (host is 0 or > LongestToken)
            return false;
        if (Program(Rest[..host]) is true && _line[_at + host - 1] == ':')
            return Behind(host);
        if (_at + host >= _line.Length || _line[_at + host] != ' ')
            return false;
        var name = _line.Slice(_at, host);
        if (!IsHost(name))
            return false;
        var next = _at + host;
        while (next < _line.Length && _line[next] == ' ')
            next++;
        var tag = Token(_line[next..]);
        if (tag is 0 or > LongestToken)
            return false;
        var program = _line.Slice(next, tag);
        if (Program(program) is not { } hasProcess || (!hasProcess && !IsPlainPair(name, program)))
            return false;
        _at = next;
        return Behind(tag) || (_at = start) < 0;
    }

    private bool Behind(int token)
    {
        var start = _at;
        _at += token;
        _end = _at;
        if (_at >= _line.Length || _line[_at] != ' ')
        {
            _at = start;
            return false;
        }
        while (Next == ' ')
            _at++;
        _colon = true;
        return _at < _line.Length;
    }

    /// <summary>Pieces between upright strokes.</summary>
    private bool Piped()
    {
        if (!_pipes)
            return false;
        var end = Rest.IndexOf((byte)'|');
        if (end is < 1 or > LongestToken || Rest[..end].Trim((byte)' ').ContainsAny(" \"'"u8))
            return false;
        _end = _at + end;
        _at = _end + 1;
        while (Next == ' ')
            _at++;
        return _at < _line.Length;
    }

    /// <summary>Process and thread: <c>4711#4711:</c>.</summary>
    private bool Serial()
    {
        var digits = Digits(Rest);
        if (digits == 0 || Rest.Length < digits + 4 || Rest[digits] is not ((byte)'#' or (byte)'/' or (byte)':'))
            return false;
        var more = Digits(Rest[(digits + 1)..]);
        var end = digits + 1 + more;
        if (more == 0 || end + 1 >= Rest.Length || Rest[end] != ':' || Rest[end + 1] != ' ')
            return false;
        _end = _at + end;
        _at = _end + 2;
        return true;
    }

    /// <summary>The name of a logger, or of the place in the code.</summary>
    private bool Logger()
    {
        var token = Token(Rest);
        if (_colon || _named || token is 0 or > LongestToken)
            return false;
        if (token >= Rest.Length || Rest[token] != ' ')
            return false;
        var name = _line.Slice(_at, token);
        if (name[^1] == ':')
        {
            name = name[..^1];
            if ((_dashes && _level) || !IsLogger(name) || !(IsPlace(name) || _level || _bracket || _dashes))
                return false;
            // After a level any word may be a logger's, unless it says what happened.
            var mayBeSaid = !_level || _levelSays || IsSaid(name) || char.IsAsciiLetterUpper((char)name[0]);
            if (mayBeSaid && !IsComposed(name))
                return false;
            _end = _at + token - 1;
            _at += token;
            while (Next == ' ')
                _at++;
            _colon = true;
            return _at < _line.Length;
        }
        var behind = _at + token;
        while (behind < _line.Length && _line[behind] == ' ')
            behind++;
        if (behind + 1 >= _line.Length || !IsLogger(name))
            return false;
        var sign =
            "-:|".Contains((char)_line[behind])
            && (_line[behind + 1] == ' ' || (_line[behind + 1] == _line[behind] && _line[behind..] is [_, _, (byte)' ', ..]));
        var wide = behind - _at - token > 1 && _level;
        var bracketed = _line[behind] == '[' && name.Contains((byte)'.');
        var parted = (sign && (_level || _bracket || _dashes)) || (wide && !char.IsAsciiLetterLower((char)name[^1]));
        if (!parted && !(bracketed && _level))
            return false;
        if (sign && !IsComposed(name) && (!_dashes || !_level) && !_bracket)
            return false;
        _at += token;
        _end = _at;
        var dash = _line[behind] == '-';
        if (!Separators())
            return false;
        _colon = sign && _level && (!_dashes || dash);
        _named = _level;
        return true;
    }

    /// <summary>Passes a number or a name that belongs to the header if more of it follows.</summary>
    private bool Open(ref bool plain)
    {
        var token = Token(Rest);
        if (token is 0 or > LongestToken)
            return false;
        var name = _line.Slice(_at, token);
        if (name.ContainsAny(NotOpen))
            return false;
        // A sentence begins with a capital and goes on in small letters.
        var bare = !IsComposed(name) && !HasDigit(name);
        if ((bare && IsCapitalised(name)) || IsSaid(name))
            return false;
        plain |= bare && IsLetter(name[0]);
        _at += token;
        _end = _at;
        _colon = false;
        return Separators();
    }

    private static int Token(ReadOnlySpan<byte> text)
    {
        var end = text.IndexOfAny(" \t"u8);
        return end < 0 ? text.Length : end;
    }

    private static int Word(ReadOnlySpan<byte> text)
    {
        var end = 0;
        while (end < text.Length && char.IsAsciiLetter((char)text[end]))
            end++;
        return end;
    }

    private static int Digits(ReadOnlySpan<byte> text)
    {
        var end = text.IndexOfAnyExceptInRange((byte)'0', (byte)'9');
        return end < 0 ? text.Length : end;
    }
}
