using System.Globalization;
using Kumiko.Core.Records;

namespace Kumiko.Core.Language;

public sealed partial class QueryParser
{
    private SetFields? ParseSet()
    {
        var items = new List<Named>();
        do
        {
            _in.SkipBlank();
            var start = _in.Position;
            if (Name("After set comes a name, then = and what it is.") is not { } name)
                return null;
            _in.SkipBlank();
            if (!_in.Take('='))
            {
                _in.Error(_in.Position, _in.Position + 1, $"After {name} comes =, then what it is.");
                return null;
            }
            if (Expression() is not { } expression)
                return null;
            items.Add(new Named(expression, name) { Span = TextSpan.Between(start, _in.Position) });
            _in.SkipBlank();
        } while (_in.Take(','));
        return new SetFields(new Seq<Named>(items));
    }

    private Stage? ParseSelect()
    {
        var start = _in.Position;
        if (_in.TakeKeyword("all"))
        {
            _in.SkipBlank();
            if (_in.TakeKeyword("except"))
                return FieldList() is { } except ? new SelectAll(except) : null;
            if (_in.AtEnd || _in.Current is '|' or ')')
                return new SelectAll(Seq<Field>.Empty);
            _in.Position = start;
        }
        return NamedList(aggregates: false) is { } columns ? new Select(columns) : null;
    }

    private Seq<Field>? FieldList()
    {
        var fields = new List<Field>();
        do
        {
            _in.SkipBlank();
            var start = _in.Position;
            if (Name("The name of a field is missing here.") is not { } name)
                return null;
            fields.Add(new Field(name) { Span = TextSpan.Between(start, _in.Position) });
            _in.SkipBlank();
        } while (_in.Take(','));
        return new Seq<Field>(fields);
    }

    private Parse? ParseParse()
    {
        var start = _in.Position;
        var only = _in.TakeKeyword("only");
        // A field can be called only.
        if (only && _in.PeekAny(out var next) && next == "as")
        {
            _in.Position = start;
            only = false;
        }
        if (Primary() is not { } source)
            return null;
        if (!_in.TakeKeyword("as"))
        {
            _in.Error(
                _in.Position,
                _in.Position + 1,
                "Write parse, a field, as, and then a template in quotes, json, logfmt or a regular expression."
            );
            return null;
        }
        _in.SkipBlank();
        var at = _in.Position;
        if (_in.Current is '"' or '\'')
        {
            if (_in.Quoted() is not { } text)
                return null;
            if (ParseTemplate.Read(text).Error is not { } error)
                return new Parse(source, ParseShape.Template, text, "", only)
                {
                    PatternSpan = TextSpan.Between(at, _in.Position),
                };
            _in.Error(at, _in.Position, error);
            return null;
        }
        if (_in.TakeKeyword("json"))
            return new Parse(source, ParseShape.Json, "", "", only);
        if (_in.TakeKeyword("logfmt"))
            return new Parse(source, ParseShape.Logfmt, "", "", only);
        if (_in.Current != '/')
        {
            _in.Error(at, at + 1, "After as comes a template in quotes, json, logfmt or a regular expression between slashes.");
            return null;
        }
        if (RegexText() is not { } regex)
            return null;
        if (Regexes.Of(regex.Pattern, regex.Flags).GetGroupNames().Any(n => !char.IsAsciiDigit(n[0])))
            return new Parse(source, ParseShape.Regex, regex.Pattern, regex.Flags, only) { PatternSpan = regex.Span };
        _in.Error(at, _in.Position, "Name what to cut out, such as /took (?<wait>\\d+)ms/.");
        return null;
    }

    private Highest? ParseHighest()
    {
        if (WholeNumber("After highest comes a whole number, such as 10.") is not { } count)
            return null;
        if (Expression() is not { } key)
            return null;
        if (!_in.TakeKeyword("by"))
        {
            _in.Error(_in.Position, _in.Position + 1, "Write highest 10, a key of the group, by, and one of its aggregates.");
            return null;
        }
        if (Expression() is not { } by)
            return null;
        var rest = _in.TakeKeyword("with");
        if (rest && !_in.TakeKeyword("rest"))
        {
            _in.Error(_in.Position, _in.Position + 1, "After with comes rest: all other keys as one.");
            return null;
        }
        return new Highest(count, key, by, rest);
    }

    private long? WholeNumber(string missing)
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (Number() is { } number && long.TryParse(number.Text, NumberStyles.None, CultureInfo.InvariantCulture, out var count))
            return count;
        _in.Error(start, Math.Max(start + 1, _in.Position), missing);
        return null;
    }

    private Gaps? ParseGaps()
    {
        const string Usage = "Write gaps as last, gaps as line or gaps as 0, and up to 3 steps where wanted.";
        if (!_in.TakeKeyword("as"))
        {
            _in.Error(_in.Position, _in.Position + 1, Usage);
            return null;
        }
        _in.SkipBlank();
        GapFill fill;
        if (_in.TakeKeyword("last"))
            fill = GapFill.Last;
        else if (_in.TakeKeyword("line"))
            fill = GapFill.Line;
        else if (Number() is { Text: "0" })
            fill = GapFill.Zero;
        else
        {
            _in.Error(_in.Position, _in.Position + 1, Usage);
            return null;
        }
        if (!_in.TakeKeyword("up"))
            return new Gaps(fill, null);
        if (!_in.TakeKeyword("to") || WholeNumber(Usage) is not { } most)
        {
            _in.Error(_in.Position, _in.Position + 1, Usage);
            return null;
        }
        if (!_in.TakeKeyword("steps"))
            _in.TakeKeyword("step");
        return new Gaps(fill, most);
    }

    private Join? ParseJoin()
    {
        var start = _in.Position;
        var all = _in.TakeKeyword("all") && _in.PeekAny(out var next) && next is not ("on" or "nearest");
        if (!all)
            _in.Position = start;
        if (SetName("join") is not { } right)
            return null;
        var (kind, within, on) = (all ? JoinKind.All : JoinKind.Inner, (string?)null, Seq<Field>.Empty);
        if (!all && _in.TakeKeyword("nearest"))
        {
            kind = JoinKind.Nearest;
            if (!_in.TakeKeyword("time") || (within = Length("within")) is null)
            {
                _in.Error(
                    _in.Position,
                    _in.Position + 1,
                    "Write nearest time within 5m, then on and the columns both sides have."
                );
                return null;
            }
            if (!_in.TakeKeyword("on"))
                return new Join(right.Name, kind, within, on) { RightSpan = right.Span };
        }
        else if (!_in.TakeKeyword("on"))
        {
            _in.Error(_in.Position, _in.Position + 1, "After join comes a name, on, and the columns that both sides have.");
            return null;
        }
        if (FieldList() is not { } fields)
            return null;
        return new Join(right.Name, kind, within, fields) { RightSpan = right.Span };
    }

    private Union? ParseUnion() => SetName("union") is { } right ? new Union(right.Name) { RightSpan = right.Span } : null;

    private Field? SetName(string stage)
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (Name($"After {stage} comes a name bound by with.") is not { } name)
            return null;
        var span = TextSpan.Between(start, _in.Position);
        if (KnownSet(name) is { } known)
            return new Field(known) { Span = span };
        var near = Keywords.Nearest(name, _sets);
        _in.Error(
            start,
            _in.Position,
            near is null
                ? $"Nothing is called “{name}”. Bind it at the start: with {name} = (…)."
                : $"Nothing is called “{name}”. Did you mean {near}?"
        );
        return null;
    }
}
