using System.Buffers;
using System.Collections.Concurrent;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>A searched word or phrase: its longest part is searched in whole columns, and what was found is looked at as the row
/// evaluator would.</summary>
internal sealed class TermCondition : SegmentCondition
{
    private readonly TermMatcher _matcher;
    private readonly SubstringSearcher? _searcher;
    private readonly BodyCandidates? _bodies;
    private readonly ConcurrentDictionary<Resource, bool> _inResource = new(ReferenceEqualityComparer.Instance);
    private readonly bool _isNeedle;
    private readonly bool _wholeTokens;
    private readonly string? _tokens;

    public TermCondition(Term term)
    {
        _matcher = new TermMatcher(term);
        var parts = term.Quoted ? [term.Text] : Wildcard.Split(term.Text);
        var longest = parts.MaxBy(p => p.Length)!;
        _searcher = SubstringSearcher.Of(longest, anyCase: true);
        // One token that is not open at either side.
        _wholeTokens = parts.Length == 1 && longest.All(Keywords.IsTokenChar);
        // Open on both sides, so that wherever it stands is a match.
        _isNeedle = !term.Quoted && parts.Length == 3 && parts[0].Length == 0 && parts[2].Length == 0;
        // Between several parts a star takes what it can, which the constants alone cannot tell.
        var isOnePart = parts.Count(p => p.Length > 0) == 1;
        _bodies = _searcher is null
            ? null
            : new BodyCandidates(_searcher, _wholeTokens, _isNeedle, isOnePart ? StandsInConstants : null);
        // The filter knows whole tokens only.
        if (parts.Length == 1)
        {
            if (term.Text.AsSpan().Contains('\\') && !term.Quoted)
                _tokens = null;
            else
                _tokens = term.Text;
        }
        else
            _tokens = null;
    }

    public override double Cost => 20;

    public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        if (_tokens is not null && !words(_tokens))
            return new RowMask(candidates.Count);
        if (_searcher is null)
            return RowByRow(scan, candidates, cancel);
        var found = new RowMask(candidates.Count);
        InResources(scan, found);
        if (!found.Covers(candidates))
            InBodies(scan, candidates, found, cancel);
        if (MayBeSpelled(scan.TraceForm) && !found.Covers(candidates))
            InIds(scan.TraceId, found);
        if (MayBeSpelled(scan.SpanForm) && !found.Covers(candidates))
            InIds(scan.SpanId, found);
        if (!found.Covers(candidates))
            InAttributes(scan, candidates, found, cancel);
        found.Keep(candidates);
        return found;
    }

    private RowMask RowByRow(SegmentScan scan, RowMask candidates, CancellationToken cancel)
    {
        var found = new RowMask(candidates.Count);
        for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
        {
            if (row % BatchTest.CancelEvery == 0)
                cancel.ThrowIfCancellationRequested();
            if (_matcher.Matches(scan.Record(row)))
                found.Set(row);
        }
        return found;
    }

    private void InResources(SegmentScan scan, RowMask found)
    {
        var resources = scan.Resources;
        byte[]? marks = null;
        for (var r = 0; r < resources.Length; r++)
            if (
                _inResource.GetOrAdd(
                    resources[r],
                    static (resource, matcher) => matcher.MatchesAny(resource.Attributes),
                    _matcher
                )
            )
                (marks ??= new byte[resources.Length])[r] = 1;
        if (marks is not null)
            found.AddMarked(scan.ResourceOfRow, marks);
    }

    private void InBodies(SegmentScan scan, RowMask candidates, RowMask found, CancellationToken cancel)
    {
        var may = _bodies!.Find(scan, found);
        may.Keep(candidates);
        may.Remove(found);
        if (may.IsEmpty)
            return;
        var bodies = scan.Bodies;
        for (int row = may.Next(0), read = 0; row >= 0; row = may.Next(row + 1), read++)
        {
            if (read % 1_024 == 0)
                cancel.ThrowIfCancellationRequested();
            if (_matcher.Find(bodies.Text(row), 0, out _) >= 0)
                found.Set(row);
        }
    }

    /// <summary>Whether the term stands between two gaps with text of the template on both sides, or at an end of the
    /// body.</summary>
    private bool StandsInConstants(SegmentTemplate template)
    {
        var pieces = template.Text.Split('\0');
        for (var i = 0; i < pieces.Length; i++)
        {
            for (var at = _matcher.Find(pieces[i], 0, out var length); at >= 0; at = _matcher.Find(pieces[i], at + 1, out length))
                if ((i == 0 || at > 0) && (i == pieces.Length - 1 || at + length < pieces[i].Length))
                    return true;
        }
        return false;
    }

    private bool MayBeSpelled(TextForm? form) =>
        form is not { } known || TextSearch.IsKept(known) || TextSearch.IsSpelled(known, _searcher!);

    private void InIds((int[] Places, TextVector Texts) ids, RowMask found)
    {
        var texts = ids.Texts;
        if (texts.Count == 0)
            return;
        var hits = new RowMask(texts.Count);
        TextSearch.Find(texts, _searcher!, hits, _wholeTokens);
        if (hits.IsEmpty)
            return;
        for (var row = 0; row < found.Count; row++)
            if (
                ids.Places[row] is var place and >= 0
                && hits[place]
                && (_isNeedle || _matcher.Find(texts.Text(place), 0, out _) >= 0)
            )
                found.Set(row);
    }

    private void InAttributes(SegmentScan scan, RowMask candidates, RowMask found, CancellationToken cancel)
    {
        var fields = scan.Attributes;
        RowMask?[] hits = new RowMask?[fields.Keys.Length];
        var any = false;
        for (var f = 0; f < hits.Length; f++)
        {
            cancel.ThrowIfCancellationRequested();
            hits[f] = Hits(fields, f);
            any |= hits[f] is not null;
        }
        if (any)
        {
            var shapes = fields.ShapeOfRow;
            var ranks = fields.Ranks;
            for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
            {
                if (found[row])
                    continue;
                var shape = fields.Shapes[shapes[row]];
                for (var i = 0; i < shape.Fields.Length; i++)
                    if (hits[shape.Fields[i]] is { } of && of[shape.Bases[i] + ranks[row]])
                    {
                        found.Set(row);
                        break;
                    }
            }
        }
        if (fields.RestOfRow is not { } rest)
            return;
        for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
            if (rest[row] >= 0 && !found[row] && _matcher.MatchesAny(fields.Of(row)))
                found.Set(row);
    }

    /// <summary>The values of a column that hold the term; null for none.</summary>
    private RowMask? Hits(SegmentFields fields, int column)
    {
        var kind = fields.Keys[column].Kind;
        if (!_searcher!.IsOf(Characters(kind)))
            return null;
        var hits = new RowMask(fields.CountOf(column));
        var values = fields.Column(column);
        if (values.Texts is { } texts)
        {
            TextSearch.Find(texts, _searcher, hits, _wholeTokens);
            if (hits.IsEmpty)
                return null;
            if (_isNeedle)
                return hits;
            var verified = new RowMask(hits.Count);
            var byEntry = texts.Entries > 0 ? new bool?[texts.Entries] : null;
            for (var i = hits.Next(0); i >= 0; i = hits.Next(i + 1))
                if (
                    byEntry is null
                        ? _matcher.Find(texts.Text(i), 0, out _) >= 0
                        : byEntry[texts.Places[i]] ??= _matcher.Find(texts.EntryText(texts.Places[i]), 0, out _) >= 0
                )
                    verified.Set(i);
            return verified.IsEmpty ? null : verified;
        }
        for (var i = 0; i < hits.Count; i++)
            if (_matcher.Matches(values[i]))
                hits.Set(i);
        return hits.IsEmpty ? null : hits;
    }

    private static readonly SearchValues<byte> Anything = SearchValues.Create([.. Enumerable.Range(0, 256).Select(i => (byte)i)]);
    private static readonly SearchValues<byte> Whole = SearchValues.Create("-0123456789"u8);
    private static readonly SearchValues<byte> Decimals = SearchValues.Create("-+.0123456789eE"u8);
    private static readonly SearchValues<byte> Truths = SearchValues.Create("truefalsTRUEFALS"u8);
    private static readonly SearchValues<byte> Durations = SearchValues.Create("-.0123456789nsumhdwNSUMHDW"u8);
    private static readonly SearchValues<byte> Sizes = SearchValues.Create("-.0123456789kKMGTiIBbmgt"u8);
    private static readonly SearchValues<byte> Times = SearchValues.Create("-:.0123456789TZtz"u8);

    /// <summary>The characters that the text of a value of a kind can have.</summary>
    private static SearchValues<byte> Characters(ValueKind kind) =>
        kind switch
        {
            ValueKind.Integer => Whole,
            ValueKind.Decimal => Decimals,
            ValueKind.Boolean => Truths,
            ValueKind.Duration => Durations,
            ValueKind.Size => Sizes,
            ValueKind.Time => Times,
            _ => Anything,
        };
}
