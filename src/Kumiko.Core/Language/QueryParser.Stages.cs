using Kumiko.Core.Records;

namespace Kumiko.Core.Language;

public sealed partial class QueryParser
{
    private Stage? ParseStage()
    {
        var start = _in.Position;
        var name = _in.Identifier();
        Stage? stage = name.ToLowerInvariant() switch
        {
            "where" => ParseWhere(),
            "group" => ParseGroup(),
            "order" => ParseOrder(),
            "limit" => ParseLimit(),
            "set" => ParseSet(),
            "select" => ParseSelect(),
            "parse" => ParseParse(),
            "highest" => ParseHighest(),
            "top" => Renamed("highest", start) ? ParseHighest() : null,
            "gaps" => ParseGaps(),
            "join" => ParseJoin(),
            "union" => ParseUnion(),
            _ => UnknownStage(name, start),
        };
        return stage is null ? null : stage with { Span = TextSpan.Between(start, _in.Position) };
    }

    /// <summary>Says that the word before the cursor is another one today. What follows is read as if that stood there.</summary>
    private bool Renamed(string today, int start)
    {
        var old = _in.Text[start.._in.Position].TrimEnd();
        _in.Error(start, start + old.Length, $"“{old}” is written “{today}” now.", today);
        return true;
    }

    private Stage? UnknownStage(string name, int start)
    {
        var known = "A stage is one of " + string.Join(", ", Keywords.Stages).Replace("order", "order by") + ".";
        if (name.Length == 0)
            _in.Error(start, start + 1, "A stage is missing after |. " + known);
        else if (Keywords.Nearest(name, Keywords.Stages) is { } near)
            _in.Error(start, _in.Position, $"There is no stage “{name}”. Did you mean {near}?");
        else
            _in.Error(start, _in.Position, $"There is no stage “{name}”. {known}");
        return null;
    }

    private Where? ParseWhere() => Expression() is { } condition ? new Where(condition) : null;

    private Group? ParseGroup()
    {
        if (NamedList(aggregates: true) is not { } aggregates)
            return null;
        var by = new Seq<Named>([]);
        if (_in.TakeKeyword("by"))
        {
            if (NamedList(aggregates: false) is not { } keys)
                return null;
            by = keys;
        }
        _in.SkipBlank();
        var start = _in.Position;
        if (!_in.TakeKeyword("per") && !(_in.TakeKeyword("every") && Renamed("per", start)))
            return new Group(aggregates, by, null);
        _in.SkipBlank();
        start = _in.Position;
        if (_in.TakeKeyword("auto"))
            return new Group(aggregates, by, "auto") { PerSpan = TextSpan.Between(start, _in.Position) };
        var step = Number();
        if (step is not null && step.ToValue() is { Kind: ValueKind.Duration, AsLong: > 0 })
            return new Group(aggregates, by, step.Text) { PerSpan = step.Span };
        _in.Error(start, Math.Max(start + 1, _in.Position), "After per comes a length of time, such as 5m, or auto.");
        return null;
    }

    private Seq<Named>? NamedList(bool aggregates)
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

    private string? Name(string missing)
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

    private OrderBy? ParseOrder()
    {
        if (!_in.TakeKeyword("by"))
        {
            _in.Error(_in.Position, _in.Position + 1, "Write order by, then a field.");
            return null;
        }
        var items = new List<OrderItem>();
        do
        {
            _in.SkipBlank();
            var start = _in.Position;
            if (Expression() is not { } expression)
                return null;
            var descending = _in.TakeKeyword("desc");
            if (!descending)
                _in.TakeKeyword("asc");
            items.Add(new OrderItem(expression, descending) { Span = TextSpan.Between(start, _in.Position) });
            _in.SkipBlank();
        } while (_in.Take(','));
        return new OrderBy(new Seq<OrderItem>(items));
    }

    private Limit? ParseLimit()
    {
        if (WholeNumber("After limit comes a whole number, such as 20.") is not { } count)
            return null;
        var by = new List<Expr>();
        _in.SkipBlank();
        var start = _in.Position;
        if (_in.TakeKeyword("for") && !_in.TakeKeyword("each"))
        {
            _in.Error(start, Math.Max(start + 1, _in.Position), "Write limit 1 for each, then the fields.");
            return null;
        }
        if (_in.Position > start || (_in.TakeKeyword("by") && Renamed("for each", start)))
            do
            {
                if (Expression() is not { } key)
                    return null;
                by.Add(key);
                _in.SkipBlank();
            } while (_in.Take(','));
        return new Limit(count, new Seq<Expr>(by));
    }
}
