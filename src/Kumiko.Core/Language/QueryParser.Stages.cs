using System.Globalization;

namespace Kumiko.Core.Language;

/// <summary>What stages are read with.</summary>
public sealed partial class QueryParser
{
    private Stage? ParseStage()
    {
        var start = _in.Position;
        var word = _in.Identifier();
        var kind = StageKinds.Find(word);
        if (kind is null && StageKinds.All.FirstOrDefault(k => k.FormerWord is { } old && Keywords.Is(old, word)) is { } today)
        {
            Renamed(today.Word, start);
            kind = today;
        }
        var stage = kind is null ? UnknownStage(word, start) : kind.Parse(this);
        return stage is null ? null : stage with { Span = Since(start) };
    }

    private Stage? UnknownStage(string name, int start)
    {
        var known = "A stage is one of " + string.Join(", ", StageKinds.All.Select(kind => kind.Named)) + ".";
        if (name.Length == 0)
            _in.Error(start, start + 1, "A stage is missing after |. " + known);
        else if (Keywords.Nearest(name, [.. StageKinds.Words]) is { } near)
            _in.Error(start, _in.Position, $"There is no stage “{name}”. Did you mean {near}?");
        else
            _in.Error(start, _in.Position, $"There is no stage “{name}”. {known}");
        return null;
    }

    /// <summary>Where it reads, counted from 0.</summary>
    public int Position
    {
        get => _in.Position;
        set => _in.Position = value;
    }

    public char Current => _in.Current;

    /// <summary>Passes by blanks.</summary>
    /// <returns>Where something begins.</returns>
    public int Begin()
    {
        _in.SkipBlank();
        return _in.Position;
    }

    public bool IsAtEndOfStage
    {
        get
        {
            _in.SkipBlank();
            return _in.AtEnd || _in.Current is '|' or ')';
        }
    }

    public bool IsAtQuotes => _in.Current is '"' or '\'';

    /// <summary>The word that comes next, in small letters; null where none does.</summary>
    public string? NextWord => _in.PeekAny(out var word) ? word : null;

    /// <summary>Takes a sign, and the blanks before it, where it comes next.</summary>
    public bool Take(char sign)
    {
        _in.SkipBlank();
        return _in.Take(sign);
    }

    /// <summary>Takes a word, and the blanks before it, where it comes next.</summary>
    public bool TakeKeyword(string keyword) => _in.TakeKeyword(keyword);

    /// <summary>A text in quotes; null, with an error, where they are not closed.</summary>
    public string? Quoted() => _in.Quoted();

    public TextSpan Since(int start) => TextSpan.Between(start, _in.Position);

    /// <summary>The same, of one sign at least.</summary>
    public TextSpan SinceOrOne(int start) => TextSpan.Between(start, Math.Max(start + 1, _in.Position));

    public void Error(TextSpan span, string message) => _in.Error(span.Start, span.End, message);

    /// <summary>Says what is wrong with the next sign.</summary>
    public T? Wrong<T>(string message)
        where T : Stage
    {
        _in.Error(_in.Position, _in.Position + 1, message);
        return null;
    }

    /// <summary>Says that the word before the cursor is another one today. What follows is read as if that stood there.</summary>
    public bool Renamed(string today, int start)
    {
        var old = _in.Text[start.._in.Position].TrimEnd();
        _in.Error(start, start + old.Length, $"“{old}” is written “{today}” now.", today);
        return true;
    }

    /// <summary>Expressions with their names, one at least: aggregates alone, or none of them.</summary>
    public Seq<Named>? NamedList(bool aggregates)
    {
        var items = new List<Named>();
        do
        {
            _in.SkipBlank();
            var start = _in.Position;
            if (Expression() is not { } expression)
                return null;
            if (aggregates != (expression is Call call && Functions.Find(call.Name)!.Aggregate))
            {
                _in.Error(
                    start,
                    expression.Span.End,
                    aggregates
                        ? "group starts with an aggregate, such as count() or avg(wait)."
                        : "An aggregate cannot be a key. Write a field here."
                );
                return null;
            }
            string? alias = null;
            if (_in.TakeKeyword("as") && (alias = Name("After as comes a name.")) is null)
                return null;
            items.Add(new Named(expression, alias) { Span = TextSpan.Between(start, _in.Position) });
            _in.SkipBlank();
        } while (_in.Take(','));
        return new Seq<Named>(items);
    }

    /// <summary>Names of fields, one at least.</summary>
    public Seq<Field>? FieldList()
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

    /// <param name="missing">What is said where there is none.</param>
    public string? Name(string missing)
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (_in.Current == '`')
            return _in.BacktickName();
        var name = _in.Identifier();
        if (name.Length > 0 && !Keywords.ExpressionKeywords.Contains(name))
            return name;
        _in.Error(start, Math.Max(start + 1, _in.Position), missing);
        return null;
    }

    /// <param name="missing">What is said where there is none.</param>
    public long? WholeNumber(string missing)
    {
        _in.SkipBlank();
        var start = _in.Position;
        if (Number() is { } number && long.TryParse(number.Text, NumberStyles.None, CultureInfo.InvariantCulture, out var count))
            return count;
        _in.Error(start, Math.Max(start + 1, _in.Position), missing);
        return null;
    }

    /// <summary>The name of a set that is known or bound.</summary>
    /// <param name="stage">Behind whose word it stands.</param>
    public Field? SetName(string stage)
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
