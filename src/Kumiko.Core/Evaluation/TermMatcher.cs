using System.Buffers;
using System.Collections.Concurrent;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// Searches a word or phrase: its literal text, ignoring case, between token edges; a star opens an edge or,
/// inside a word, stands for any run without white space. Looks at body, attribute and resource values and
/// trace and span ids.
/// </summary>
public sealed class TermMatcher
{
    private readonly string[] _parts;
    private readonly SearchValues<string>? _first;
    private readonly bool _openStart;
    private readonly bool _openEnd;
    private readonly ConcurrentDictionary<Attributes, bool> _resources = new(ReferenceEqualityComparer.Instance);

    public TermMatcher(Term term)
    {
        var parts = term.Quoted ? [term.Text] : Wildcard.Split(term.Text);
        _openStart = parts.Length > 1 && parts[0].Length == 0;
        _openEnd = parts.Length > 1 && parts[^1].Length == 0;
        _parts = [.. parts.Where(p => p.Length > 0)];
        _first = _parts.Length > 0 ? SearchValues.Create([_parts[0]], StringComparison.OrdinalIgnoreCase) : null;
    }

    public bool Matches(LogRecord record)
    {
        if (Find(record.Body, 0, out _) >= 0)
            return true;
        foreach (ref readonly var value in record.Attributes.Values)
            if (Matches(value))
                return true;
        if (
            (record.TraceId is { } trace && Find(trace, 0, out _) >= 0)
            || (record.SpanId is { } span && Find(span, 0, out _) >= 0)
        )
            return true;
        var resource = record.Resource.Attributes;
        // A resource is shared by many records, so its answer is kept.
        return _resources.TryGetValue(resource, out var found)
            ? found
            : _resources.GetOrAdd(resource, static (r, self) => self.MatchesAny(r), this);
    }

    /// <summary>Whether it stands in any value.</summary>
    public bool MatchesAny(Attributes attributes)
    {
        foreach (ref readonly var value in attributes.Values)
            if (Matches(value))
                return true;
        return false;
    }

    public bool Matches(Value value)
    {
        switch (value.Kind)
        {
            case ValueKind.Text:
                return Find(value.AsText, 0, out _) >= 0;
            case ValueKind.Object:
                return MatchesAny(value.AsObject);
            case ValueKind.List:
                foreach (var item in value.AsList)
                    if (Matches(item))
                        return true;
                return false;
            case ValueKind.Missing:
                return false;
            case ValueKind.Integer:
                Span<char> digits = stackalloc char[24];
                value.AsLong.TryFormat(digits, out var written, provider: System.Globalization.CultureInfo.InvariantCulture);
                return Find(digits[..written], 0, out _) >= 0;
            default:
                return Find(value.ToText(), 0, out _) >= 0;
        }
    }

    /// <summary>Where the term next stands at or after a position, and how long it is there; -1 when nowhere.</summary>
    public int Find(ReadOnlySpan<char> text, int from, out int length)
    {
        length = 0;
        if (_first is null)
            return from < text.Length ? from : -1;
        for (var at = from; at < text.Length; at++)
        {
            var found = text[at..].IndexOfAny(_first);
            if (found < 0)
                return -1;
            at += found;
            if (!_openStart && !IsEdge(text, at, _parts[0][0]))
                continue;
            var end = End(text, at + _parts[0].Length);
            if (end < 0)
                continue;
            length = end - at;
            return at;
        }
        return -1;
    }

    /// <summary>Where the match ends once its first part is found, or -1.</summary>
    private int End(ReadOnlySpan<char> text, int end)
    {
        for (var i = 1; i < _parts.Length; i++)
        {
            var run = text[end..];
            var blank = run.IndexOfAny(" \t\r\n");
            if (blank >= 0)
                run = run[..blank];
            var last = i == _parts.Length - 1 && !_openEnd;
            var at = last
                ? run.LastIndexOf(_parts[i], StringComparison.OrdinalIgnoreCase)
                : run.IndexOf(_parts[i], StringComparison.OrdinalIgnoreCase);
            if (at < 0)
                return -1;
            end += at + _parts[i].Length;
        }
        return _openEnd || end == text.Length || !Keywords.IsTokenChar(text[end]) || !Keywords.IsTokenChar(text[end - 1])
            ? end
            : -1;
    }

    private static bool IsEdge(ReadOnlySpan<char> text, int at, char first) =>
        at == 0 || !Keywords.IsTokenChar(text[at - 1]) || !Keywords.IsTokenChar(first);
}
