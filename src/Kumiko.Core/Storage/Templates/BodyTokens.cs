using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>
/// A body cut into tokens: runs between white space and punctuation. Points, dashes and the like belong to a token
/// inside it and not at its end. Not for several threads.
/// </summary>
internal sealed class BodyTokens
{
    /// <summary>What follows the last of these is one token, whatever it holds.</summary>
    public const int Most = 192;

    /// <summary>Stands for a variable in a template's key; a body that holds it has no template.</summary>
    public const byte Gap = 0;

    private const byte Letter = 0, Digit = 1, Inner = 2, Edge = 3;
    private static readonly byte[] Classes = MakeClasses();

    private readonly Slice[] _tokens = new Slice[Most + 1];
    private readonly bool[] _variable = new bool[Most + 1];

    public int Count { get; private set; }
    public Slice this[int index] => _tokens[index];

    /// <summary>Whether a token has a digit, or is a gap in a key.</summary>
    public bool IsVariable(int index) => _variable[index];

    /// <summary>The characters that are no part of a token or only inside it.</summary>
    public static readonly char[] Separators = [.. Enumerable.Range(0, 128).Where(c => Classes[c] >= Inner).Select(c => (char)c)];

    private static byte[] MakeClasses()
    {
        var classes = new byte[256];
        foreach (var c in " \t\r\n\v\f\"'`()[]{}<>,;=|/\\:@&?#!*^$"u8) classes[c] = Edge;
        foreach (var c in ".-+%~"u8) classes[c] = Inner;
        foreach (var c in "0123456789"u8) classes[c] = Digit;
        classes[Gap] = Digit;
        return classes;
    }

    /// <summary>Cuts a body or a key.</summary>
    public void Cut(ReadOnlySpan<byte> body)
    {
        Count = 0;
        var i = 0;
        while (true)
        {
            while (i < body.Length && Classes[body[i]] >= Inner) i++;
            if (i == body.Length) return;
            // A minus before a number is its sign, unless something stands before the minus. It holds for words too, so
            // that a key is cut as its bodies are.
            var start = i > 0 && body[i - 1] == '-' && (i == 1 || Classes[body[i - 2]] == Edge) ? i - 1 : i;
            if (Count == Most)
            {
                _tokens[Count] = new Slice(start, body.Length - start);
                _variable[Count++] = true;
                return;
            }
            var (variable, end) = (false, i);
            for (; i < body.Length; i++)
            {
                var kind = Classes[body[i]];
                if (kind == Edge) break;
                if (kind == Inner) continue;
                variable |= kind == Digit;
                end = i + 1;
            }
            _tokens[Count] = new Slice(start, end - start);
            _variable[Count++] = variable;
        }
    }

    /// <summary>The body with gaps for its variables and for the wiped tokens.</summary>
    public void WriteKey(ReadOnlySpan<byte> body, ReadOnlySpan<bool> wiped, ByteWriter to)
    {
        var from = 0;
        for (var t = 0; t < Count; t++)
        {
            if (!_variable[t] && !(t < wiped.Length && wiped[t])) continue;
            to.Bytes(body[from.._tokens[t].Start]);
            to.Byte(Gap);
            from = _tokens[t].Start + _tokens[t].Length;
        }
        to.Bytes(body[from..]);
    }
}
