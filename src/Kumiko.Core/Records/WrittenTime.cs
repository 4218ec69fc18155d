using System.Text;

namespace Kumiko.Core.Records;

/// <summary>A time as programs write it into lines and fields, with what the text leaves open.</summary>
/// <param name="Year">0 where none is written.</param>
/// <param name="Month">0 where only a clock is written.</param>
/// <param name="Nanosecond">Decimals beyond the ninth are cut off.</param>
/// <param name="Offset">Minutes from UTC; null where none is written, or a name that has several meanings.</param>
/// <param name="Length">How many bytes it takes.</param>
public readonly record struct WrittenTime(
    int Year,
    int Month,
    int Day,
    int Hour,
    int Minute,
    int Second,
    int Nanosecond,
    int? Offset,
    int Length
)
{
    /// <summary>Whether which of two numbers is the month cannot be told from the text: <c>04/05/2026</c>.</summary>
    public bool IsAmbiguous { get; init; }

    /// <summary>Whether a zone is written whose name has several meanings: <c>CST</c>.</summary>
    public bool HasUnknownZone { get; init; }

    /// <summary>Nanoseconds since 1970, in UTC where no offset is written; false where the date is not whole, or is
    /// none.</summary>
    public bool TryGetInstant(out long nanoseconds)
    {
        nanoseconds = 0;
        if (
            Month is < 1 or > 12
            || IsAmbiguous
            || HasUnknownZone
            || Year is < 1678 or > 2261
            || Day < 1
            || Day > DateTime.DaysInMonth(Year, Month)
        )
            return false;
        // A leap second is the last of its minute.
        var seconds =
            (
                new DateTime(Year, Month, Day, Hour, Minute, Math.Min(Second, 59), DateTimeKind.Utc).Ticks
                - DateTime.UnixEpoch.Ticks
            ) / TimeSpan.TicksPerSecond;
        nanoseconds = ((seconds - ((Offset ?? 0) * 60)) * Instants.Second) + Nanosecond;
        return true;
    }

    /// <summary>Finds a time at the beginning of a text; what follows it is not looked at.</summary>
    public static bool TryScan(ReadOnlySpan<byte> text, out WrittenTime time)
    {
        var scan = new Scan(text);
        var found = text.Length >= 5 && (text[0] is >= (byte)'0' and <= (byte)'9' ? scan.Numbered() : scan.Named());
        time = found ? scan.Result() : default;
        return found;
    }

    private ref struct Scan(ReadOnlySpan<byte> text)
    {
        private readonly ReadOnlySpan<byte> _text = text;
        private int _at;
        private int _year;
        private int _month;
        private int _day;
        private int _hour;
        private int _minute;
        private int _second;
        private int _nanosecond;
        private int? _offset;
        private bool _ambiguous;
        private bool _unknownZone;

        public readonly WrittenTime Result() =>
            new(_year, _month, _day, _hour, _minute, _second, _nanosecond, _offset, _at)
            {
                IsAmbiguous = _ambiguous,
                HasUnknownZone = _unknownZone,
            };

        private readonly byte Next => _at < _text.Length ? _text[_at] : (byte)0;

        private readonly byte After(int places) => _at + places < _text.Length ? _text[_at + places] : (byte)0;

        private static bool IsDigit(byte c) => c is >= (byte)'0' and <= (byte)'9';

        private static bool IsLetter(byte c) => (c | 0x20) is >= 'a' and <= 'z';

        private bool Take(byte c)
        {
            if (Next != c)
                return false;
            _at++;
            return true;
        }

        private void Blanks()
        {
            while (Next == ' ')
                _at++;
        }

        private readonly int Run()
        {
            var end = _at;
            while (end < _text.Length && IsDigit(_text[end]))
                end++;
            return end - _at;
        }

        /// <summary>A number of at least and at most so many digits.</summary>
        private bool Number(int least, int most, out int number)
        {
            number = 0;
            var digits = Run();
            if (digits < least || digits > most)
                return false;
            for (var i = 0; i < digits; i++)
                number = (number * 10) + _text[_at++] - '0';
            return true;
        }

        private int Fixed(int digits)
        {
            var number = 0;
            for (var i = 0; i < digits; i++)
                number = (number * 10) + _text[_at++] - '0';
            return number;
        }

        private bool Month()
        {
            if (_at + 3 > _text.Length || IsLetter(After(3)))
                return false;
            var name = (_text[_at] | 0x20, _text[_at + 1] | 0x20, _text[_at + 2] | 0x20);
            _month = name switch
            {
                ('j', 'a', 'n') => 1,
                ('f', 'e', 'b') => 2,
                ('m', 'a', 'r') => 3,
                ('a', 'p', 'r') => 4,
                ('m', 'a', 'y') => 5,
                ('j', 'u', 'n') => 6,
                ('j', 'u', 'l') => 7,
                ('a', 'u', 'g') => 8,
                ('s', 'e', 'p') => 9,
                ('o', 'c', 't') => 10,
                ('n', 'o', 'v') => 11,
                ('d', 'e', 'c') => 12,
                _ => 0,
            };
            if (_month > 0)
                _at += 3;
            return _month > 0;
        }

        private void Weekday()
        {
            var end = _at;
            while (end < _text.Length && IsLetter(_text[end]))
                end++;
            if (end - _at is < 3 or > 9)
                return;
            var name = (_text[_at] | 0x20, _text[_at + 1] | 0x20, _text[_at + 2] | 0x20);
            if (
                name
                is not (

                    ('m', 'o', 'n')
                    or
                    ('t', 'u', 'e')
                    or
                    ('w', 'e', 'd')
                    or
                    ('t', 'h', 'u')
                    or
                    ('f', 'r', 'i')
                    or
                    ('s', 'a', 't')
                    or
                    ('s', 'u', 'n')
                )
            )
                return;
            _at = end;
            Take((byte)',');
            Blanks();
        }

        /// <summary><c>Nov 23 05:17:21</c>, <c>Mon Nov 23 05:19:54.123456 2026</c>, <c>Mon, 23 Nov 2026 05:19:54
        /// GMT</c>.</summary>
        public bool Named()
        {
            Weekday();
            if (IsDigit(Next))
                return _at > 0 && DayFirst();
            if (!Month() || !Take((byte)' '))
                return false;
            Blanks();
            if (!Number(1, 2, out _day) || _day is 0 or > 31)
                return false;
            Take((byte)',');
            if (!Take((byte)' '))
                return false;
            Blanks();
            if (Run() == 4)
                (_year, _) = (Fixed(4), Take((byte)',') | Take((byte)' '));
            if (!Clock())
                return false;
            // Some write the year last.
            if (
                _year == 0
                && Next == ' '
                && IsDigit(After(1))
                && IsDigit(After(4))
                && !IsDigit(After(5))
                && IsDigit(After(2))
                && IsDigit(After(3))
                && After(5) is not ((byte)':' or (byte)'.')
                && After(1) is (byte)'1' or (byte)'2'
                && After(2) is (byte)'9' or (byte)'0'
            )
            {
                _at++;
                _year = Fixed(4);
            }
            return true;
        }

        /// <summary><c>23 Nov 2026 05:17:21</c>, with blanks, dashes or slashes.</summary>
        private bool DayFirst()
        {
            if (!Number(1, 2, out _day) || _day is 0 or > 31 || Next is not ((byte)' ' or (byte)'-' or (byte)'/'))
                return false;
            var between = Next;
            _at++;
            if (!Month() || !Take(between))
                return false;
            if (Run() is 4 or 2)
            {
                if (Run() == 2 && After(2) == ':')
                    _year = 0;
                else if (Run() == 2)
                    _year = 2000 + Fixed(2);
                else
                    _year = Fixed(4);
            }
            if (_year > 0 && Next is not ((byte)' ' or (byte)':' or (byte)'T' or (byte)','))
                return between == '/';
            if (_year > 0)
                _at++;
            Blanks();
            return Clock();
        }

        public bool Numbered()
        {
            var digits = Run();
            var next = After(digits);
            return (digits, next) switch
            {
                (4, (byte)'-' or (byte)'/' or (byte)'.') => YearFirst(next),
                (1 or 2, (byte)' ' or (byte)'-' or (byte)'/') when IsLetter(After(digits + 1)) => DayFirst(),
                (1 or 2, (byte)':') => Clock(),
                (1 or 2, (byte)'/' or (byte)'-' or (byte)'.') => Short(next),
                (8, (byte)'-' or (byte)'T' or (byte)' ') => Packed(),
                (6, (byte)' ') => PackedShort(),
                _ => false,
            };
        }

        private bool YearFirst(byte between)
        {
            _year = Fixed(4);
            _at++;
            if (
                !Number(1, 2, out _month)
                || _month is 0 or > 12
                || !Take(between)
                || !Number(1, 2, out _day)
                || _day is 0 or > 31
            )
                return false;
            return ClockBehindDate();
        }

        /// <summary>A clock where one follows; a date alone is a time too.</summary>
        private bool ClockBehindDate()
        {
            if (Next is not ((byte)' ' or (byte)'T' or (byte)'t' or (byte)'_' or (byte)':' or (byte)'-' or (byte)','))
                return true;
            var date = _at++;
            Blanks();
            if (Clock())
                return true;
            (_at, _hour, _minute, _second, _nanosecond, _offset) = (date, 0, 0, 0, 0, null);
            return true;
        }

        /// <summary><c>11-23 05:17:21</c>, <c>23.11.2026 05:17</c>, <c>26/11/23 05:17:21</c>.</summary>
        private bool Short(byte between)
        {
            var first = Fixed(Run());
            _at++;
            if (!Number(1, 2, out var second))
                return false;
            if (Next != between)
            {
                (_month, _day) = (first, second);
                return _month is > 0 and < 13 && _day is > 0 and < 32 && Take((byte)' ') && IsDigit(Next) && Clock();
            }
            _at++;
            switch (Run())
            {
                case 4:
                    _year = Fixed(4);
                    (_day, _month) = first > 12 || between == '.' ? (first, second) : (second, first);
                    _ambiguous = between != '.' && first < 13 && second < 13 && first != second;
                    break;
                case 2:
                    (_year, _month, _day) = (2000 + first, second, Fixed(2));
                    break;
                default:
                    return false;
            }
            if (
                _month is 0 or > 12
                || _day is 0 or > 31
                || Next is not ((byte)' ' or (byte)',' or (byte)'T' or (byte)':' or (byte)'-')
            )
                return false;
            _at++;
            Blanks();
            return Clock();
        }

        /// <summary><c>20261123-05:17:21:606</c>, <c>20261123T051721Z</c>.</summary>
        private bool Packed()
        {
            (_year, _month, _day) = (Fixed(4), Fixed(2), Fixed(2));
            if (_month is 0 or > 12 || _day is 0 or > 31)
                return false;
            _at++;
            return PackedClock() || Clock();
        }

        /// <summary><c>261123 051721</c>.</summary>
        private bool PackedShort()
        {
            (_year, _month, _day) = (2000 + Fixed(2), Fixed(2), Fixed(2));
            if (_month is 0 or > 12 || _day is 0 or > 31)
                return false;
            _at++;
            Blanks();
            return PackedClock() || Clock();
        }

        private bool PackedClock()
        {
            if (Run() != 6)
                return false;
            (_hour, _minute, _second) = (Fixed(2), Fixed(2), Fixed(2));
            if (_hour > 23 || _minute > 59 || _second > 60)
                return false;
            Decimals();
            Zone();
            return true;
        }

        private bool Clock()
        {
            if (!Number(1, 2, out _hour) || !Take((byte)':') || Run() != 2)
                return false;
            _minute = Fixed(2);
            if (Next == ':' && IsDigit(After(1)) && IsDigit(After(2)))
            {
                _at++;
                if (Run() != 2)
                    return false;
                _second = Fixed(2);
                Decimals();
            }
            if (_hour > 23 || _minute > 59 || _second > 60 || IsDigit(Next))
                return false;
            Half();
            Zone();
            return true;
        }

        private void Decimals()
        {
            if (Next is not ((byte)'.' or (byte)',' or (byte)':') || !IsDigit(After(1)))
                return;
            _at++;
            var digits = 0;
            for (; IsDigit(Next); _at++, digits++)
                if (digits < 9)
                    _nanosecond = (_nanosecond * 10) + Next - '0';
            for (; digits < 9; digits++)
                _nanosecond *= 10;
        }

        /// <summary>A clock of twelve hours.</summary>
        private void Half()
        {
            var at = Next == ' ' ? 1 : 0;
            if (
                (After(at) | 0x20) is not ('a' or 'p')
                || (After(at + 1) | 0x20) != 'm'
                || IsLetter(After(at + 2))
                || _hour is 0 or > 12
            )
                return;
            _hour = (_hour % 12) + ((After(at) | 0x20) == 'p' ? 12 : 0);
            _at += at + 2;
        }

        private void Zone()
        {
            var at = Next == ' ' ? 1 : 0;
            if (After(at) is (byte)'Z' or (byte)'z' && !IsLetter(After(at + 1)) && !IsDigit(After(at + 1)))
            {
                (_offset, _at) = (0, _at + at + 1);
                return;
            }
            if (After(at) is (byte)'+' or (byte)'-' && IsDigit(After(at + 1)) && IsDigit(After(at + 2)))
            {
                Offset(at);
                return;
            }
            if (at == 0 && !IsLetter(Next))
                return;
            var end = _at + at;
            while (end < _text.Length && _text[end] is >= (byte)'A' and <= (byte)'Z')
                end++;
            var name = _text[(_at + at)..end];
            if (name.Length is < 3 or > 4 || (end < _text.Length && (IsLetter(_text[end]) || IsDigit(_text[end]))))
                return;
            if (name.SequenceEqual("UTC"u8) || name.SequenceEqual("GMT"u8))
                _offset = 0;
            else if (IsZone(name))
                _unknownZone = true;
            else
                return;
            _at = end;
        }

        private void Offset(int at)
        {
            var digits = 0;
            while (IsDigit(After(at + 1 + digits)))
                digits++;
            var colon =
                digits == 2
                && After(at + 3) == ':'
                && IsDigit(After(at + 4))
                && IsDigit(After(at + 5))
                && !IsDigit(After(at + 6));
            // Behind a blank only the four digits of an offset are one.
            if (digits != 4 && !colon && !(digits == 2 && at == 0))
                return;
            var sign = After(at) == '-' ? -1 : 1;
            _at += at + 1;
            var hours = Fixed(2);
            if (colon)
                _at++;
            var minutes = digits == 4 || colon ? Fixed(2) : 0;
            if (hours <= 18 && minutes < 60)
                _offset = sign * ((hours * 60) + minutes);
            else
                _unknownZone = true;
        }

        private static bool IsZone(ReadOnlySpan<byte> name) =>
            Encoding.ASCII.GetString(name)
                is "CET"
                    or "CEST"
                    or "WET"
                    or "WEST"
                    or "EET"
                    or "EEST"
                    or "MSK"
                    or "BST"
                    or "IST"
                    or "JST"
                    or "EST"
                    or "EDT"
                    or "CST"
                    or "CDT"
                    or "MST"
                    or "MDT"
                    or "PST"
                    or "PDT"
                    or "AEST"
                    or "AEDT"
                    or "NZST"
                    or "NZDT"
                    or "HKT"
                    or "SGT";
    }
}
