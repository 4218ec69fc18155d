using System.Buffers;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Goes through names and values of a line.</summary>
internal ref struct Pairs(ReadOnlySpan<byte> line)
{
    private static readonly SearchValues<byte> NotOfNames = SearchValues.Create("\"'[](){}<>:;,"u8);

    private readonly ReadOnlySpan<byte> _line = line;
    private int _start;

    /// <summary>Where the next one is looked for, bytes from 0.</summary>
    public int At { get; private set; }

    public ReadOnlySpan<byte> Name { get; private set; }

    /// <summary>Without its quotes, with its escapes.</summary>
    public ReadOnlySpan<byte> Value { get; private set; }

    /// <summary>The pair as it is written.</summary>
    public readonly ReadOnlySpan<byte> Whole => _line[_start..At];

    public bool HasValue { get; private set; }
    public bool IsQuoted { get; private set; }

    /// <summary>What is wrong at <see cref="At"/>; null for nothing.</summary>
    public string? Problem { get; private set; }

    public static bool BeginsWithPair(ReadOnlySpan<byte> line)
    {
        line = line.TrimStart(" \t"u8);
        var end = line.IndexOfAny((byte)'=', (byte)' ');
        return end > 0 && line[end] == '=' && line[..end].IndexOfAny(NotOfNames) < 0;
    }

    public bool Next()
    {
        while (At < _line.Length && _line[At] is (byte)' ' or (byte)'\t' or (byte)'\r')
            At++;
        if (At >= _line.Length)
            return false;
        _start = At;
        var length = _line[At..].IndexOfAny("= \t\"\r"u8);
        var end = length < 0 ? _line.Length : At + length;
        if (end == At)
        {
            Problem = "A name is missing here.";
            return false;
        }
        Name = _line[At..end];
        At = end;
        Value = default;
        (HasValue, IsQuoted) = (false, false);
        if (end < _line.Length && _line[end] == '"')
        {
            Problem = "A quote stands in a name.";
            return false;
        }
        if (end >= _line.Length || _line[end] != '=')
            return true;
        HasValue = true;
        At++;
        return At < _line.Length && _line[At] == '"' ? Quoted() : Plain();
    }

    private bool Plain()
    {
        var length = _line[At..].IndexOfAny((byte)' ', (byte)'\t');
        var end = length < 0 ? _line.Length : At + length;
        Value = _line[At..end];
        At = end;
        return true;
    }

    private bool Quoted()
    {
        var start = At + 1;
        for (var i = start; i < _line.Length; i++)
        {
            var next = _line[i..].IndexOfAny((byte)'"', (byte)'\\');
            if (next < 0)
                break;
            i += next;
            if (_line[i] == '\\')
            {
                i++;
                continue;
            }
            Value = _line[start..i];
            IsQuoted = true;
            At = i + 1;
            return true;
        }
        Problem = "This quote is not closed.";
        return false;
    }
}
