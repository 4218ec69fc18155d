using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Query;

/// <summary>Advice about a query's answer.</summary>
/// <param name="Instead">A query that does what was perhaps meant; null for none.</param>
/// <param name="At">A time to look at; null for none.</param>
public sealed record AnswerHint(string Message, string? Instead = null, long? At = null);

/// <summary>What a person would notice who knew the records: names that do not exist, conditions that cannot hold together,
/// values of another kind.</summary>
internal static class QueryHints
{
    /// <summary>So many of the newest records of the focus are looked at to know fields and values.</summary>
    private const int Looked = 2_000;

    /// <summary>So many of the records that were found are looked at for the fields that hold a searched word.</summary>
    private const int FoundLooked = 500;

    private const int MostHints = 4;

    public static IReadOnlyList<AnswerHint> Of(Run run, StageCounts counts, CancellationToken cancel)
    {
        var parsed = run.Question.Parsed;
        if (parsed.Query.Match is null && !parsed.Query.Stages.Any(s => s is Where or Parse))
            return [];
        // Advice must not tell of records that the person may not read.
        var sample = run
            .Snapshot.NewestFirst(run.Question.Window, BatchTest.All, null, cancel)
            .Where(run.MayRead)
            .Take(Looked)
            .ToList();
        var hints = new List<AnswerHint>();
        hints.AddRange(UnknownFields(parsed, sample));
        hints.AddRange(Contradictions(parsed, counts));
        hints.AddRange(OtherKinds(parsed.Text, counts, sample));
        hints.AddRange(TwoWords(parsed, counts));
        hints.AddRange(
            ValueWords(parsed, run.ReadsRecords && counts.Records > 0 ? [.. run.Passing(null).Take(FoundLooked)] : sample)
        );
        hints.AddRange(Templates(run, parsed, cancel));
        if (run.ReadsRecords && counts.Records == 0 && LastTrue(run, cancel) is { } last)
            hints.Add(last);
        return [.. hints.DistinctBy(h => h.Message).Take(MostHints)];
    }

    private static IEnumerable<Expr> All(Expr expr) => QueryChecker.Parts(expr).SelectMany(All).Prepend(expr);

    /// <summary>Fields that are asked for before anything was computed.</summary>
    private static IEnumerable<Field> Asked(Language.Query query)
    {
        var known = new HashSet<string>(query.With.Select(b => b.Name), StringComparer.Ordinal);
        var conditions = query.Match is { } match ? new List<Expr> { match } : [];
        foreach (var stage in query.Stages)
        {
            if (stage is Where where)
                conditions.Add(where.Condition);
            else if (stage is SetFields set)
            {
                conditions.AddRange(set.Items.Select(i => i.Expr));
                known.UnionWith(set.Items.Select(i => i.Name));
            }
            else if (stage is Group group)
            {
                conditions.AddRange(group.By.Select(b => b.Expr));
                conditions.AddRange(group.Aggregates.Select(a => a.Expr));
                break;
            }
            else
                break;
        }
        return conditions.SelectMany(All).OfType<Field>().Where(f => !known.Contains(f.Name));
    }

    private static IEnumerable<AnswerHint> UnknownFields(ParseResult parsed, List<LogRecord> sample)
    {
        if (sample.Count == 0 || parsed.Query.From is { Set: not "logs" } || parsed.Query.Stages.Any(s => s is Parse))
            yield break;
        var names = sample
            .SelectMany(r => r.Attributes.Names.ToArray().Concat(r.Resource.Attributes.Names.ToArray()))
            .Distinct(StringComparer.Ordinal)
            .Concat(RecordFields.BuiltIn)
            .ToList();
        foreach (var field in Asked(parsed.Query).DistinctBy(f => f.Name))
        {
            var bind = RecordFields.Bind(field.Name);
            if (RecordFields.BuiltIn.Contains(field.Name) || sample.Exists(r => !bind(r).IsMissing))
                continue;
            var near = names.Find(n => string.Equals(n, field.Name, StringComparison.OrdinalIgnoreCase))
                ?? Keywords.Nearest(field.Name, names);
            yield return near is null
                ? new AnswerHint($"No recent record here has a field {field.Name}.")
                : new AnswerHint(
                    $"No recent record here has a field {field.Name}. Did you mean {near}?",
                    Replaced(parsed.Text, field.Span, near)
                );
        }
    }

    private static string? Replaced(string text, TextSpan span, string with) =>
        span.End <= text.Length && span.Length > 0
            ? text[..span.Start] + Keywords.Name(with, match: true) + text[span.End..]
            : null;

    /// <summary>Two conditions that no single value can meet.</summary>
    private static IEnumerable<AnswerHint> Contradictions(ParseResult parsed, StageCounts counts)
    {
        var compares = counts
            .Conditions.Select(c => c.Condition)
            .OfType<Compare>()
            .Where(c => c is { Left: Field, Right: Literal })
            .ToList();
        for (var i = 0; i < compares.Count; i++)
        for (var j = i + 1; j < compares.Count; j++)
        {
            var (a, b) = (compares[i], compares[j]);
            if (a.Left != b.Left || !Exclude(a, b))
                continue;
            yield return new AnswerHint(
                $"{QueryPrinter.PrintMatch(a)} and {QueryPrinter.PrintMatch(b)} cannot both hold, unless {((Field)a.Left).Name} is a list.",
                Mended(parsed, a, b)
            );
        }
    }

    /// <summary>One of two values where both were asked for; without the later condition where the two leave no room.</summary>
    private static string? Mended(ParseResult parsed, Compare a, Compare b)
    {
        if (
            parsed.Query.Match is not And and
            || IndexOf(and, a) is not (var first and >= 0)
            || IndexOf(and, b) is not (var second and > 0)
        )
            return null;
        var (text, before) = (parsed.Text, and.Items[second - 1].Span.End);
        if (a.Span.Length == 0 || b.Span.End > text.Length || before > b.Span.Start || first >= second)
            return null;
        var without = text[..before] + text[b.Span.End..];
        if (a.Op != CompareOp.Equal || b.Op != CompareOp.Equal)
            return without;
        var either = new InList(a.Left, new Seq<Literal>([ValueOf(a), ValueOf(b)]));
        return without[..a.Span.Start] + QueryPrinter.PrintMatch(either) + without[a.Span.End..];
    }

    private static int IndexOf(And and, Compare compare)
    {
        for (var i = 0; i < and.Items.Count; i++)
            if (ReferenceEquals(and.Items[i], compare) || (and.Items[i] == compare && and.Items[i].Span == compare.Span))
                return i;
        return -1;
    }

    private static bool Exclude(Compare a, Compare b)
    {
        var (left, right) = (ValueOf(a), ValueOf(b));
        if (a.Op == CompareOp.Equal && b.Op == CompareOp.Equal)
            return !left.Text.Contains('*')
                && !right.Text.Contains('*')
                && !Comparison.AreEqual(left.ToValue(), right.ToValue())
                && !string.Equals(left.Text, right.Text, StringComparison.Ordinal);
        if (IsUpper(a.Op) && IsLower(b.Op))
            (a, b, left, right) = (b, a, right, left);
        // a wants more than left, b less than right.
        if (!IsLower(a.Op) || !IsUpper(b.Op) || Comparison.Order(left.ToValue(), right.ToValue()) is not { } order)
            return false;
        return order > 0 || (order == 0 && (a.Op == CompareOp.Greater || b.Op == CompareOp.Less));
    }

    private static Literal ValueOf(Compare compare) => (Literal)compare.Right;

    private static bool IsLower(CompareOp op) => op is CompareOp.Greater or CompareOp.GreaterOrEqual;

    private static bool IsUpper(CompareOp op) => op is CompareOp.Less or CompareOp.LessOrEqual;

    /// <summary>A bare number where values are durations or sizes, and the other way round.</summary>
    private static IEnumerable<AnswerHint> OtherKinds(string text, StageCounts counts, List<LogRecord> sample)
    {
        foreach (var count in counts.Conditions)
        {
            if (count is not { Alone: 0, Condition: Compare { Left: Field field, Right: Literal { Quoted: false } literal } })
                continue;
            var wanted = literal.ToValue();
            var bind = RecordFields.Bind(field.Name);
            var value = sample
                .Select(r => bind(r))
                .Select(v => v.IsText ? Literals.ReadQuantity(v.AsText) : v)
                .FirstOrDefault(v => v.IsQuantity, Value.Missing);
            if (value.IsMissing || !wanted.IsQuantity || value.Kind == wanted.Kind || (IsNumber(value) && IsNumber(wanted)))
                continue;
            string? instead;
            if (IsNumber(wanted) && value.Kind == ValueKind.Duration)
                instead = literal.Text + "ms";
            else if (IsNumber(wanted) && value.Kind == ValueKind.Size)
                instead = literal.Text + "B";
            else
                instead = null;
            yield return new AnswerHint(
                $"{field.Name} holds {KindName(value)} such as {value.ToText()}, and {literal.Text} is {KindName(wanted)}. The two have no order."
                    + (instead is null ? "" : $" Write {instead}, say."),
                instead is null ? null : Spelled(text, literal, instead)
            );
        }
    }

    private static string? Spelled(string text, Literal literal, string instead) =>
        literal.Span.Length > 0 && literal.Span.End <= text.Length
            ? text[..literal.Span.Start] + instead + text[literal.Span.End..]
            : null;

    private static bool IsNumber(Value value) => value.Kind is ValueKind.Integer or ValueKind.Decimal;

    private static string KindName(Value value) =>
        value.Kind switch
        {
            ValueKind.Duration => "a duration",
            ValueKind.Size => "a size",
            ValueKind.Time => "a time",
            _ => "a bare number",
        };

    /// <summary>A value of two words without quotes: the second is searched as a word of its own.</summary>
    private static IEnumerable<AnswerHint> TwoWords(ParseResult parsed, StageCounts counts)
    {
        if (parsed.Query.Match is not And and)
            yield break;
        for (var i = 0; i + 1 < and.Items.Count; i++)
        {
            if (
                and.Items[i]
                    is not Compare { Op: CompareOp.Equal, Left: Field field, Right: Literal { Quoted: false } literal } compare
                || and.Items[i + 1] is not Term { Quoted: false } word
            )
                continue;
            if (compare.Span.End > word.Span.Start || !string.IsNullOrWhiteSpace(parsed.Text[compare.Span.End..word.Span.Start]))
                continue;
            if (!counts.Conditions.Any(c => c.Alone == 0 && c.Condition == compare))
                continue;
            var both = Keywords.Quote(literal.Text + " " + word.Text);
            yield return new AnswerHint(
                $"This reads as {field.Name} = {literal.Text}, and the word {word.Text} anywhere. A value of two words goes in quotes: {field.Name} = {both}.",
                parsed.Text[..literal.Span.Start] + both + parsed.Text[word.Span.End..]
            );
        }
    }

    /// <summary>A searched word that is the whole value of a field, or of each of two or three.</summary>
    private static IEnumerable<AnswerHint> ValueWords(ParseResult parsed, List<LogRecord> sample)
    {
        if (parsed.Query.Match is null)
            yield break;
        foreach (
            var word in (parsed.Query.Match is And and ? and.Items : new Seq<Expr>([parsed.Query.Match]))
                .OfType<Term>()
                .Where(t => !t.Quoted && !t.Text.Contains('*'))
        )
        {
            var fields = new Dictionary<string, Value>(StringComparer.Ordinal);
            foreach (var record in sample)
            {
                Note(record.Attributes, word.Text, fields);
                Note(record.Resource.Attributes, word.Text, fields);
            }
            if (fields.Count > MostFieldsOfWord)
                continue;
            foreach (var (found, value) in fields.OrderBy(f => f.Key, StringComparer.Ordinal))
            {
                var name = found switch
                {
                    "service.name" => "service",
                    "host.name" => "host",
                    _ => found,
                };
                var condition = QueryPrinter.PrintMatch(new Compare(new Field(name), CompareOp.Equal, Literals.For(value)));
                yield return new AnswerHint(
                    $"{word.Text} is a value of {name}: {condition} takes exactly those records.",
                    word.Span.End <= parsed.Text.Length
                        ? parsed.Text[..word.Span.Start] + condition + parsed.Text[word.Span.End..]
                        : null
                );
            }
        }
    }

    /// <summary>Templates that fit none of the records before them: where the first one stops, and what was wanted
    /// there.</summary>
    private static IEnumerable<AnswerHint> Templates(Run run, ParseResult parsed, CancellationToken cancel)
    {
        if (parsed.Query.From is { Set: not "logs" } || parsed.Query.With.Count > 0)
            yield break;
        for (var s = 0; s < parsed.Query.Stages.Count && parsed.Query.Stages[s].IsRowByRow; s++)
        {
            if (
                parsed.Query.Stages[s] is not Parse { Shape: ParseShape.Template, Source: Field { Name: var name } } parse
                || parsed.Query.Stages.Take(s).Any(b => b is not Where)
            )
                continue;
            var matcher = new TemplateMatcher(parse.Pattern);
            var bind = RecordFields.Bind(name);
            var texts = Before(run, parsed, parse, cancel)
                .Select(r => bind(r))
                .Where(v => !v.IsMissing)
                .Select(v => v.ToText())
                .Take(FoundLooked)
                .ToList();
            var misfits = texts.ConvertAll(t => (Text: t, Misfit: matcher.Explain(t)));
            if (misfits.Count == 0 || misfits.Exists(m => m.Misfit is null))
                continue;
            // The one that fits furthest tells most.
            var (text, misfit) = misfits.MaxBy(m => m.Misfit!.At);
            yield return Misfit(parsed, parse, name, text, misfit!);
        }
    }

    /// <summary>The newest records that come to a stage.</summary>
    private static IEnumerable<LogRecord> Before(Run run, ParseResult parsed, Parse stage, CancellationToken cancel)
    {
        var until = parsed.Text[..stage.Span.Start].TrimEnd();
        var before = QueryParser.Parse(until.EndsWith('|') ? until[..^1] : until);
        if (!before.Ok)
            yield break;
        using var own = new Run(run.Question with { Parsed = before }, run.Snapshot.Share());
        foreach (var record in own.Passing(null))
        {
            cancel.ThrowIfCancellationRequested();
            yield return record;
        }
    }

    private static AnswerHint Misfit(ParseResult parsed, Parse parse, string field, string text, TemplateMatcher.Misfit misfit)
    {
        static string Short(string text) => text.Length <= ShownText ? text : text[..ShownText] + "…";
        var rest = Short(text[misfit.At..]);
        var place =
            misfit.At == 0
                ? "At its beginning"
                : $"Behind “{(misfit.At <= ShownText ? text[..misfit.At] : "…" + text[(misfit.At - ShownText)..misfit.At])}”";
        if (misfit.Wanted is null)
        {
            // Behind the last piece, inside the quotes.
            var end = parse.PatternSpan.End - 1;
            var instead =
                parse.PatternSpan.Length > 1 && end <= parsed.Text.Length ? parsed.Text[..end] + "{}" + parsed.Text[end..] : null;
            return new AnswerHint(
                $"The template fits no {field}: it ends before the {field} does. {place} follows “{rest}”. End it with {{}} to skip the rest.",
                instead
            );
        }
        string wanted;
        if (misfit.Wanted.Value is { IsSlot: true } slot)
        {
            if (slot.Type is "" or null)
                wanted = "some text";
            else
                wanted = $"{Article(slot.Type)} {slot.Type}";
        }
        else
            wanted = $"“{Short(misfit.Wanted.Value.Text)}”";
        return new AnswerHint(
            rest.Length == 0
                ? $"The template fits no {field}. {place} it wants {wanted}, and the {field} ends there."
                : $"The template fits no {field}. {place} it wants {wanted}, and there stands “{rest}”."
        );
    }

    private static string Article(string type) => type[0] is 'a' or 'e' or 'i' or 'o' or 'u' ? "an" : "a";

    private const int ShownText = 60;

    private const int MostFieldsOfWord = 3;

    private static void Note(Attributes attributes, string word, Dictionary<string, Value> fields)
    {
        for (var i = 0; i < attributes.Count && fields.Count <= MostFieldsOfWord; i++)
            if (
                attributes.Values[i] is { Kind: ValueKind.Text or ValueKind.Integer } value
                && string.Equals(value.ToText(), word, StringComparison.OrdinalIgnoreCase)
            )
                fields.TryAdd(attributes.Names[i], value);
    }

    /// <summary>The newest record outside the focus that the conditions take.</summary>
    private static AnswerHint? LastTrue(Run run, CancellationToken cancel)
    {
        var window = run.Question.Window;
        if (run.Newest(new Window(long.MinValue, window.From), cancel) is { } before)
            return new AnswerHint("Nothing matches in the focus. It last matched before it, at ", null, before);
        return run.Newest(new Window(window.To, long.MaxValue), cancel) is { } after
            ? new AnswerHint("Nothing matches in the focus. It matched after it, at ", null, after)
            : null;
    }
}
