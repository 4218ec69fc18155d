using System.Buffers;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Text;

namespace Kumiko.Core.Query.Execution;

/// <summary>
/// An ASCII text searched in UTF-8 bytes, in any case or exactly: both ends are compared in whole vectors, the middle
/// only where they fit. Mula, SIMD-friendly algorithms for substring searching, 2018.
/// </summary>
public sealed class SubstringSearcher
{
    private readonly byte[] _bytes;
    private readonly byte _firstMask;
    private readonly byte _lastMask;
    private readonly bool _anyCase;

    private SubstringSearcher(byte[] bytes, bool anyCase)
    {
        (_bytes, _anyCase) = (bytes, anyCase);
        (_firstMask, _lastMask) = (Mask(bytes[0]), Mask(bytes[^1]));
    }

    /// <summary>Null where the text is empty or not ASCII: then it has to be searched in characters.</summary>
    public static SubstringSearcher? Of(string text, bool anyCase) =>
        text.Length > 0 && Ascii.IsValid(text)
            ? new SubstringSearcher(Encoding.ASCII.GetBytes(anyCase ? text.ToLowerInvariant() : text), anyCase)
            : null;

    /// <summary>A part of it, to be searched in the same way.</summary>
    public SubstringSearcher Part(string text) => new(Encoding.ASCII.GetBytes(text), _anyCase);

    public int Length => _bytes.Length;

    public ReadOnlySpan<byte> Bytes => _bytes;

    private byte Mask(byte c) => _anyCase && char.IsAsciiLetter((char)c) ? (byte)0x20 : (byte)0;

    /// <summary>Whether every character of it is one of these.</summary>
    public bool IsOf(SearchValues<byte> characters) => !_bytes.AsSpan().ContainsAnyExcept(characters);

    /// <summary>Whether some character of it is one of these.</summary>
    public bool HasAny(SearchValues<byte> characters) => _bytes.AsSpan().ContainsAny(characters);

    /// <summary>Where it next stands, or -1.</summary>
    public int IndexIn(ReadOnlySpan<byte> text, int from = 0)
    {
        if (!_anyCase)
        {
            var found = text[from..].IndexOf(_bytes);
            return found < 0 ? -1 : from + found;
        }
        var last = text.Length - _bytes.Length;
        var at = from;
        ref var start = ref MemoryMarshal.GetReference(text);
        if (Vector256.IsHardwareAccelerated)
        {
            var (first, end) = (Vector256.Create(_bytes[0]), Vector256.Create(_bytes[^1]));
            var (firstMask, lastMask) = (Vector256.Create(_firstMask), Vector256.Create(_lastMask));
            for (; at + Vector256<byte>.Count + _bytes.Length - 1 <= text.Length; at += Vector256<byte>.Count)
            {
                var a = Vector256.LoadUnsafe(ref start, (nuint)at) | firstMask;
                var b = Vector256.LoadUnsafe(ref start, (nuint)(at + _bytes.Length - 1)) | lastMask;
                var hits = (Vector256.Equals(a, first) & Vector256.Equals(b, end)).ExtractMostSignificantBits();
                for (; hits != 0; hits &= hits - 1)
                {
                    var place = at + BitOperations.TrailingZeroCount(hits);
                    if (IsAt(ref start, place))
                        return place;
                }
            }
        }
        for (; at <= last; at++)
            if (IsAt(ref start, at))
                return at;
        return -1;
    }

    private bool IsAt(ref byte start, int place)
    {
        for (var i = 0; i < _bytes.Length; i++)
        {
            var c = Unsafe.Add(ref start, place + i);
            if (c != _bytes[i] && !((c | 0x20) == _bytes[i] && Mask(_bytes[i]) != 0))
                return false;
        }
        return true;
    }

    public bool IsIn(ReadOnlySpan<byte> text) => IndexIn(text) >= 0;

    private bool Same(byte text, byte own) => text == own || ((text | 0x20) == own && Mask(own) != 0);

    /// <summary>Whether it can begin in a text (or, where something stands before that, even earlier) and go on behind its
    /// end.</summary>
    public bool CanLeave(ReadOnlySpan<byte> text, bool isStart)
    {
        for (var inside = 1; inside < _bytes.Length && !(isStart && inside > text.Length); inside++)
        {
            // So much of it lies in the text or before: its end must be the text's end.
            var length = Math.Min(inside, text.Length);
            var fits = true;
            for (var i = 1; i <= length && fits; i++)
                fits = Same(text[^i], _bytes[inside - i]);
            if (fits)
                return true;
        }
        return false;
    }

    /// <summary>Whether it can begin before a text and end in it (or, where something stands behind that, even later).</summary>
    public bool CanEnter(ReadOnlySpan<byte> text, bool isEnd)
    {
        for (var before = _bytes.Length - 1; before > 0 && !(isEnd && _bytes.Length - before > text.Length); before--)
        {
            var length = Math.Min(_bytes.Length - before, text.Length);
            var fits = true;
            for (var i = 0; i < length && fits; i++)
                fits = Same(text[i], _bytes[before + i]);
            if (fits)
                return true;
        }
        return false;
    }
}
