namespace Kumiko.Core.Storage.Templates;

/// <summary>Types of variables that were seen in a gap.</summary>
[Flags]
public enum VariableTypes
{
    None = 0,
    Integer = 1,
    Decimal = 2,
    Duration = 4,
    Size = 8,
    Address = 16,
    Hex = 32,
    Uuid = 64,
    Path = 128,
    Time = 256,
    Word = 512,
    Text = 1024,

    /// <summary>Besides its type: begins with a capital letter and has no digit.</summary>
    Named = 2048,
}

/// <summary>Tells the type of a variable by its spelling.</summary>
public static class VariableType
{
    private static readonly System.Buffers.SearchValues<byte> ClockCharacters = System.Buffers.SearchValues.Create(
        "0123456789:.,"u8
    );

    /// <summary>The one type of a value.</summary>
    public static VariableTypes Of(ReadOnlySpan<byte> value) =>
        TypeOf(value) is var type
        && type is VariableTypes.Word or VariableTypes.Text
        && value.Length > 0
        && value[0] is >= (byte)'A' and <= (byte)'Z'
        && !value.ContainsAnyInRange((byte)'0', (byte)'9')
            ? type | VariableTypes.Named
            : type;

    private static VariableTypes TypeOf(ReadOnlySpan<byte> value)
    {
        if (value.IsEmpty || value.Length > 1_024)
            return VariableTypes.Text;
        var (digits, letters, spaces, hex, colons, dots, dashes, others) = (0, 0, 0, 0, 0, 0, 0, 0);
        foreach (var c in value)
        {
            switch (c)
            {
                case >= (byte)'0' and <= (byte)'9':
                    digits++;
                    hex++;
                    break;
                case >= (byte)'a' and <= (byte)'f' or >= (byte)'A' and <= (byte)'F':
                    letters++;
                    hex++;
                    break;
                case >= (byte)'g' and <= (byte)'z' or >= (byte)'G' and <= (byte)'Z' or (byte)'_' or >= 128:
                    letters++;
                    break;
                case (byte)' ' or (byte)'\t' or (byte)'\n':
                    spaces++;
                    break;
                case (byte)':':
                    colons++;
                    break;
                case (byte)'.':
                    dots++;
                    break;
                case (byte)'-':
                    dashes++;
                    break;
                default:
                    others++;
                    break;
            }
        }
        var length = value.Length;
        if (digits > 0 && letters + spaces + colons + others == 0 && (dashes == 0 || dashes == 1 && value[0] == '-'))
            return dots switch
            {
                0 => VariableTypes.Integer,
                1 => VariableTypes.Decimal,
                3 when IsAddress(value) => VariableTypes.Address,
                _ => VariableTypes.Word,
            };
        if (length == 36 && hex == 32 && dashes == 4)
            return VariableTypes.Uuid;
        if (
            colons > 0
            && others + spaces == 0
            && (IsAddress(value) || (hex + colons == length && (colons >= 2 && letters > 0 || value.IndexOf("::"u8) >= 0)))
        )
            return VariableTypes.Address;
        if (IsTime(value, digits, colons))
            return VariableTypes.Time;
        if (Unit(value) is not VariableTypes.None and var unit)
            return unit;
        if (
            spaces == 0
            && (
                value[0] is (byte)'/' or (byte)'~'
                || value.IndexOf("://"u8) > 0
                || value.IndexOf(":\\"u8) == 1
                || value.Count((byte)'/') > 1
            )
        )
            return VariableTypes.Path;
        if (
            hex == length && digits > 0 && length >= 4
            || hex == length && length >= 8
            || (length > 4 && value[0] == '0' && value[1] == 'x' && hex >= length - 1)
        )
            return VariableTypes.Hex;
        return spaces == 0 ? VariableTypes.Word : VariableTypes.Text;
    }

    /// <summary>The name of the type that all of these have in common.</summary>
    public static string Name(VariableTypes types) =>
        types switch
        {
            _ when (types & VariableTypes.Named) != 0 => Name(types & ~VariableTypes.Named),
            VariableTypes.Integer => "integer",
            VariableTypes.Decimal or (VariableTypes.Decimal | VariableTypes.Integer) => "decimal",
            VariableTypes.Duration => "duration",
            VariableTypes.Size => "size",
            VariableTypes.Address => "address",
            VariableTypes.Uuid => "uuid",
            VariableTypes.Path => "path",
            VariableTypes.Time => "time",
            _ when (types & ~(VariableTypes.Hex | VariableTypes.Integer)) == 0 && types != 0 => "hex",
            _ when types == 0 || (types & VariableTypes.Text) != 0 => "text",
            _ => "word",
        };

    /// <summary>Four bytes in decimals, with a port or without.</summary>
    private static bool IsAddress(ReadOnlySpan<byte> value)
    {
        var (parts, number, digits) = (0, 0, 0);
        foreach (var c in value)
        {
            if (c is >= (byte)'0' and <= (byte)'9')
            {
                number = Math.Min(100_000, (number * 10) + c - '0');
                digits++;
            }
            else if (digits == 0 || number > 255 || (c != '.' && !(c == ':' && parts == 3)))
                return false;
            else
                (parts, number, digits) = (parts + 1, 0, 0);
        }
        return digits > 0 && (parts == 3 && number < 256 || parts == 4 && number < 65_536);
    }

    /// <summary>A date, a clock time, or both.</summary>
    private static bool IsTime(ReadOnlySpan<byte> value, int digits, int colons)
    {
        if (digits < 3 || value[0] is not (>= (byte)'0' and <= (byte)'9'))
            return false;
        if (digits >= 8 && value.Length >= 10 && value[4] is (byte)'-' or (byte)'/' && value.Length >= 10 && value[7] == value[4])
            return true;
        if (value.Length > 11 && value[2] == '/' && value[6] == '/')
            return true;
        return colons is 1 or 2
            && value.Length is >= 5 and <= 15
            && value[2] == ':'
            && !value.ContainsAnyExcept(ClockCharacters)
            && (colons == 1 ? value.Length == 5 : value[5] == ':');
    }

    /// <summary>A number with a unit of time or of size directly behind it.</summary>
    private static VariableTypes Unit(ReadOnlySpan<byte> value)
    {
        var end = 0;
        var (any, found) = (false, VariableTypes.None);
        while (end < value.Length)
        {
            var start = end;
            if (!any && value[end] == '-')
                end++;
            while (end < value.Length && value[end] is (>= (byte)'0' and <= (byte)'9') or (byte)'.')
                end++;
            if (end == start)
                return VariableTypes.None;
            var unit = end;
            while (end < value.Length && value[end] is not (>= (byte)'0' and <= (byte)'9') and not (byte)' ')
                end++;
            var type = value[unit..end] switch
            {
                [(byte)'n' or (byte)'u' or (byte)'m', (byte)'s']
                or [(byte)'s' or (byte)'m' or (byte)'h' or (byte)'d']
                or [0xC2 or 0xCE, 0xB5 or 0xBC, (byte)'s'] => VariableTypes.Duration,
                [(byte)'B']
                or [(byte)'k' or (byte)'K' or (byte)'M' or (byte)'G' or (byte)'T', (byte)'B' or (byte)'b']
                or [(byte)'K' or (byte)'M' or (byte)'G' or (byte)'T', (byte)'i', (byte)'B'] => VariableTypes.Size,
                _ => VariableTypes.None,
            };
            if (type == VariableTypes.None || (any && type != found))
                return VariableTypes.None;
            (any, found) = (true, type);
        }
        return found;
    }
}
