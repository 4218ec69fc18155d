using System.Text;

namespace Kumiko.Core.Records;

public readonly partial record struct WrittenTime
{
    /// <summary>Reads a text from its beginning, piece by piece.</summary>
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
        private int _region;
        private (int A, int B, int C) _numbers;
        private bool _ambiguous;
        private bool _unknownZone;
        private bool _clock;

        public readonly WrittenTime Result() =>
            new(_year, _month, _day, _hour, _minute, _second, _nanosecond, _offset, _at)
            {
                IsAmbiguous = _ambiguous,
                HasUnknownZone = _unknownZone,
                RegionAt = _region,
                HasClock = _clock,
                Numbers = _numbers,
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
            number = Fixed(digits);
            return true;
        }

        private int Fixed(int digits)
        {
            var number = 0;
            for (var i = 0; i < digits; i++)
                number = (number * 10) + _text[_at++] - '0';
            return number;
        }

        private readonly int Letters()
        {
            var end = _at;
            while (end < _text.Length && IsLetter(_text[end]))
                end++;
            return end - _at;
        }

        /// <summary>The name of a month, in three letters or whole.</summary>
        private bool Month()
        {
            var letters = Letters();
            if (letters is < 3 or > 9)
                return false;
            _month = (_text[_at] | 0x20, _text[_at + 1] | 0x20, _text[_at + 2] | 0x20) switch
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
            if (_month == 0 || (letters > 3 && !IsWholeMonth(_text.Slice(_at, letters))))
                return false;
            _at += letters;
            return true;
        }

        private static bool IsWholeMonth(ReadOnlySpan<byte> name) =>
            Encoding.ASCII.GetString(name).ToLowerInvariant()
                is "january"
                    or "february"
                    or "march"
                    or "april"
                    or "june"
                    or "july"
                    or "august"
                    or "sept"
                    or "september"
                    or "october"
                    or "november"
                    or "december";

        private void Weekday()
        {
            var letters = Letters();
            if (letters is < 3 or > 9)
                return;
            var isDay =
                (_text[_at] | 0x20, _text[_at + 1] | 0x20, _text[_at + 2] | 0x20)
                is
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
                    ('s', 'u', 'n');
            if (!isDay || After(letters) is not ((byte)' ' or (byte)','))
                return;
            _at += letters;
            Take((byte)',');
            Blanks();
        }

        /// <summary>Some write the zone before the day: <c>CET Nov 23 05:17:21</c>.</summary>
        private void ZoneInFront()
        {
            var letters = Letters();
            if (letters is < 3 or > 4 || After(letters) != ' ' || ZoneNames.Find(_text.Slice(_at, letters)) is not { } minutes)
                return;
            _offset = minutes;
            _at += letters + 1;
        }

        /// <summary><c>Nov 23 05:17:21</c>, <c>Mon Nov 23 05:19:54.123456 2026</c>, <c>Mon, 23 Nov 2026 05:19:54 GMT</c>,
        /// <c>Nov-23-26 05:17:21</c>.</summary>
        public bool Named()
        {
            Weekday();
            ZoneInFront();
            if (IsDigit(Next))
                return _at > 0 && (Run() < 3 && !IsDigit(After(Run() + 1)) ? DayFirst() : Numbered());
            if (!Month())
                return false;
            Take((byte)'.');
            var between = Next;
            if (between is not ((byte)' ' or (byte)'-' or (byte)'/'))
                return false;
            _at++;
            Blanks();
            if (!Number(1, 2, out _day) || _day is 0 or > 31)
                return false;
            Take((byte)',');
            if (!Take(between))
                return false;
            Blanks();
            var digits = Run();
            if (digits == 4 || (digits == 2 && between != ' '))
            {
                _year = digits == 4 ? Fixed(4) : OfTwoDigits(Fixed(2));
                Take((byte)',');
                if (!Take((byte)' ') && Next is (byte)':' or (byte)'T' or (byte)'@')
                    _at++;
                Blanks();
            }
            if (!Clock(dots: false))
                return false;
            // Some write the year last, and some the zone before it.
            if (_year == 0 && IsYearNext())
            {
                _at++;
                _year = Fixed(4);
                Zone();
            }
            return true;
        }

        private readonly bool IsYearNext() =>
            Next == ' '
            && (After(1), After(2)) is ((byte)'1', (byte)'9') or ((byte)'2', (byte)'0')
            && IsDigit(After(3))
            && IsDigit(After(4))
            && !IsDigit(After(5))
            && After(5) is not ((byte)':' or (byte)'.' or (byte)'-')
            && !IsLetter(After(5));

        /// <summary><c>23 Nov 2026 05:17:21</c>, with blanks, dashes, slashes or points.</summary>
        private bool DayFirst()
        {
            if (!Number(1, 2, out _day) || _day is 0 or > 31)
                return false;
            if (Take((byte)'.') && Next != ' ' && !IsLetter(Next))
                return false;
            var between = IsLetter(Next) ? (byte)'.' : Next;
            if (between is not ((byte)' ' or (byte)'-' or (byte)'/' or (byte)'.'))
                return false;
            if (!IsLetter(Next))
                _at++;
            if (!Month())
                return false;
            Take((byte)'.');
            if (!Take(between) && !(between == '.' && (_text[_at - 1] == '.' || Take((byte)' '))))
                return false;
            var digits = Run();
            if (digits == 4)
                _year = Fixed(4);
            else if (digits == 2 && After(2) != ':')
                _year = OfTwoDigits(Fixed(2));
            if (_year > 0 && _at == _text.Length)
                return true;
            if (_year > 0 && Next is not ((byte)' ' or (byte)':' or (byte)'T' or (byte)',' or (byte)'-' or (byte)'@'))
                return between == '/';
            if (_year > 0)
                _at++;
            Between();
            return Clock(dots: false);
        }

        public bool Numbered()
        {
            var digits = Run();
            var next = After(digits);
            return (digits, next) switch
            {
                (4, (byte)'-' or (byte)'/' or (byte)'.' or (byte)':') => YearFirst(next),
                (4, (byte)' ') when IsLetter(After(5)) => YearAndName(),
                (1 or 2, (byte)' ' or (byte)'-' or (byte)'/' or (byte)'.') when IsLetter(After(digits + 1)) => DayFirst(),
                (1 or 2, (byte)'.') when After(digits + 1) == ' ' && IsLetter(After(digits + 2)) => DayFirst(),
                (1 or 2, (byte)':') => Clock(dots: false),
                (1 or 2, (byte)'/' or (byte)'-' or (byte)'.') => Short(next),
                (8, (byte)'-' or (byte)'T' or (byte)' ' or (byte)'_') => Packed(),
                (14, _) => PackedWhole(),
                (6, (byte)' ' or (byte)'-' or (byte)'_') => PackedShort(),
                _ => false,
            };
        }

        /// <summary>What else may part a date from its clock: a second colon, or a dash between blanks.</summary>
        private void Between()
        {
            Take((byte)':');
            Blanks();
            if (Next == '-' && After(1) == ' ')
                _at++;
            Blanks();
        }

        private bool YearFirst(byte between)
        {
            _year = Fixed(4);
            _at++;
            if (IsLetter(Next) ? !Month() : !Number(1, 2, out _month))
                return false;
            if (_month is 0 or > 12 || !Take(between) || !Number(1, 2, out _day) || _day is 0 or > 31)
                return false;
            return ClockBehindDate();
        }

        /// <summary><c>2026 Nov 23 05:17:21</c>.</summary>
        private bool YearAndName()
        {
            _year = Fixed(4);
            _at++;
            if (_year is < 1900 or > 2261 || !Month() || !Take((byte)' '))
                return false;
            Blanks();
            if (!Number(1, 2, out _day) || _day is 0 or > 31 || !Take((byte)' '))
                return false;
            Blanks();
            return Clock(dots: false);
        }

        /// <summary>A clock where one follows; a date alone is a time too.</summary>
        private bool ClockBehindDate()
        {
            if (
                Next
                is not (
                    (byte)' '
                    or (byte)'T'
                    or (byte)'t'
                    or (byte)'_'
                    or (byte)':'
                    or (byte)'-'
                    or (byte)','
                    or (byte)'@'
                    or (byte)'/'
                )
            )
                return true;
            var date = _at++;
            Between();
            if (Run() == 6 ? PackedClock() : Clock(dots: true))
                return true;
            (_at, _hour, _minute, _second, _nanosecond, _offset) = (date, 0, 0, 0, 0, null);
            return true;
        }

        /// <summary><c>11-23 05:17:21</c>, <c>23.11.2026 05:17</c>, <c>26/11/23 05:17:21</c>, <c>11/23/26@05:17:21</c>.</summary>
        private bool Short(byte between)
        {
            var first = Fixed(Run());
            _at++;
            if (!Number(1, 2, out var second))
                return false;
            if (Next != between)
                return ShortWithoutYear(first, second, between);
            _at++;
            var digits = Run();
            // A European date without a year ends with a point.
            if (between == '.' && digits == 0 && Next == ' ')
                return ShortWithoutYear(first, second, between);
            if (digits is not (2 or 4))
                return false;
            var third = Fixed(digits);
            _numbers = (first, second, third);
            if (!Order(between, digits))
                return false;
            // A day alone only where nothing follows it: elsewhere it may be a version, or a fraction.
            if (_at == _text.Length)
                return digits == 4;
            if (Next is not ((byte)' ' or (byte)',' or (byte)'T' or (byte)':' or (byte)'-' or (byte)'@' or (byte)'_'))
                return false;
            _at++;
            Between();
            return Clock(dots: true);
        }

        private bool ShortWithoutYear(int first, int second, byte between)
        {
            _numbers = (first, second, 0);
            (_month, _day) = first > 12 ? (second, first) : (first, second);
            _ambiguous = between == '/' && first < 13 && second < 13 && first != second;
            return _month is > 0 and < 13
                && _day is > 0 and < 32
                && (Take((byte)' ') || Take((byte)'-') || Take((byte)'T'))
                && IsDigit(Next)
                && Clock(dots: false);
        }

        /// <summary>Takes three numbers in the order that is most likely, and notes whether another is as good.</summary>
        private bool Order(byte between, int digits)
        {
            var written = new WrittenTime { Numbers = _numbers };
            var isDotted = between == '.';
            var (byDay, byMonth) = (written.In(DayOrder.DayFirst), written.In(DayOrder.MonthFirst));
            var byYear = digits == 2 ? written.In(DayOrder.YearFirst) : null;
            var chosen = isDotted ? byDay ?? byYear ?? byMonth : byYear ?? byMonth ?? byDay;
            if (chosen is not { } date)
                return false;
            (_year, _month, _day) = (date.Year, date.Month, date.Day);
            _ambiguous = !isDotted && byYear is null && byDay is not null && byMonth is not null && _numbers.A != _numbers.B;
            return true;
        }

        /// <summary><c>20261123-05:17:21:606</c>, <c>20261123T051721Z</c>.</summary>
        private bool Packed()
        {
            (_year, _month, _day) = (Fixed(4), Fixed(2), Fixed(2));
            if (_month is 0 or > 12 || _day is 0 or > 31)
                return false;
            _at++;
            Blanks();
            return Run() == 6 ? PackedClock() : Clock(dots: true);
        }

        /// <summary><c>20261123051721</c>.</summary>
        private bool PackedWhole()
        {
            (_year, _month, _day) = (Fixed(4), Fixed(2), Fixed(2));
            return _year is >= 1970 and < 2262 && _month is > 0 and < 13 && _day is > 0 and < 32 && PackedClock();
        }

        /// <summary><c>261123 051721</c>, <c>261123  5:17:21</c>.</summary>
        private bool PackedShort()
        {
            (_year, _month, _day) = (OfTwoDigits(Fixed(2)), Fixed(2), Fixed(2));
            if (_month is 0 or > 12 || _day is 0 or > 31)
                return false;
            _at++;
            Blanks();
            return Run() == 6 ? PackedClock() : Clock(dots: false);
        }

        private bool PackedClock()
        {
            (_hour, _minute, _second) = (Fixed(2), Fixed(2), Fixed(2));
            if (_hour > 23 || _minute > 59 || _second > 60)
                return false;
            Decimals();
            Zone();
            return _clock = true;
        }

        /// <param name="dots">Whether points may part it, as dashes part the date.</param>
        private bool Clock(bool dots)
        {
            if (!Number(1, 2, out _hour))
                return false;
            var between = Next;
            if (between != ':' && !(dots && between == '.'))
                return false;
            _at++;
            if (Run() != 2)
                return false;
            _minute = Fixed(2);
            var hasSeconds = Next == between && IsDigit(After(1)) && IsDigit(After(2));
            if (hasSeconds)
            {
                _at++;
                if (Run() != 2)
                    return false;
                _second = Fixed(2);
                Decimals();
            }
            if ((between == '.' && !hasSeconds) || _hour > 23 || _minute > 59 || _second > 60 || IsDigit(Next))
                return false;
            Half();
            Zone();
            return _clock = true;
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
            if (Region(at))
                return;
            var end = _at + at;
            while (end < _text.Length && _text[end] is >= (byte)'A' and <= (byte)'Z')
                end++;
            var name = _text[(_at + at)..end];
            if (name.Length is < 3 or > 4 || (end < _text.Length && (IsLetter(_text[end]) || IsDigit(_text[end]))))
                return;
            if (ZoneNames.IsAmbiguous(name))
                _unknownZone = true;
            else if (ZoneNames.Find(name) is { } minutes)
                _offset = minutes;
            else
                return;
            _at = end;
            // GMT+01:00 is an offset with its meaning in front.
            if (_offset == 0 && Next is (byte)'+' or (byte)'-' && IsDigit(After(1)))
                Offset(0);
        }

        /// <summary>The name of a region: <c>Europe/Berlin</c>.</summary>
        private bool Region(int at)
        {
            var start = _at + at;
            var end = start;
            var slashes = 0;
            for (; end < _text.Length && (IsLetter(_text[end]) || (_text[end] is (byte)'/' or (byte)'_' && end > start)); end++)
                slashes += _text[end] == '/' ? 1 : 0;
            if (slashes is 0 or > 2 || !ZoneNames.IsContinent(_text[start..end]))
                return false;
            (_region, _unknownZone, _at) = (start, true, end);
            return true;
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
            Comment();
        }

        /// <summary>Passes over the name behind an offset: <c>+0100 (CET)</c>.</summary>
        private void Comment()
        {
            if (Next != ' ' || After(1) != '(')
                return;
            var end = 2;
            while (IsLetter(After(end)))
                end++;
            if (end is > 4 and < 8 && After(end) == ')')
                _at += end + 1;
        }
    }
}
