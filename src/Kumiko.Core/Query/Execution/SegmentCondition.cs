using System.Buffers;
using System.Collections.Concurrent;
using System.Text;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>
/// A condition on records, asked of a whole segment: dictionaries, templates and resources are asked once, columns are
/// read only if they are needed, rows are rebuilt only where nothing else can tell. Several threads may ask at once.
/// </summary>
public abstract class SegmentCondition
{
    /// <summary>What it costs to ask, beside other conditions.</summary>
    public abstract double Cost { get; }

    /// <summary>Those of the candidates for which the condition holds.</summary>
    public abstract RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel);

    /// <summary>Whether the segment's filter and constants allow all tokens of a text.</summary>
    public delegate bool SegmentWordsOf(string text);

    /// <param name="compiler">For what has to be asked row by row.</param>
    public static SegmentCondition Of(Expr condition, Compiler compiler, FieldRefs fields, PatternView? patterns)
    {
        switch (condition)
        {
            case And and:
                return new All([.. and.Items.Select(i => Of(i, compiler, fields, patterns)).OrderBy(c => c.Cost)]);
            case Or or:
                return new Any([.. or.Items.Select(i => Of(i, compiler, fields, patterns)).OrderBy(c => c.Cost)]);
            case Not not:
                return new Opposite(Of(not.Inner, compiler, fields, patterns));
            case Term term:
                return new TermCondition(term);
        }
        if (ValueTest.Of(condition) is var (operand, holds) && operand is Field field)
        {
            if (field.Name == "body")
                return new BodyCondition(condition, holds);
            return new FieldCondition(fields.Get(field.Name), holds, condition as Compare, patterns);
        }
        return new RowCondition(compiler.Condition(condition));
    }

    private sealed class All(SegmentCondition[] items) : SegmentCondition
    {
        public override double Cost => items.Sum(i => i.Cost);

        public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
        {
            foreach (var item in items)
            {
                candidates = item.Of(scan, words, candidates, cancel);
                if (candidates.IsEmpty)
                    break;
            }
            return candidates;
        }
    }

    private sealed class Any(SegmentCondition[] items) : SegmentCondition
    {
        public override double Cost => items.Sum(i => i.Cost);

        public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
        {
            var (left, found) = (candidates.Copy(), new RowMask(candidates.Count));
            foreach (var item in items)
            {
                var more = item.Of(scan, words, left, cancel);
                found.Add(more);
                left.Remove(more);
                if (left.IsEmpty)
                    break;
            }
            return found;
        }
    }

    private sealed class Opposite(SegmentCondition inner) : SegmentCondition
    {
        public override double Cost => inner.Cost;

        public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
        {
            var left = candidates.Copy();
            left.Remove(inner.Of(scan, words, candidates, cancel));
            return left;
        }
    }

    /// <summary>Rebuilds what it needs of every candidate.</summary>
    private sealed class RowCondition(Func<Row, bool> test) : SegmentCondition
    {
        public override double Cost => 100;

        public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
        {
            var found = new RowMask(candidates.Count);
            for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
            {
                if (row % BatchTest.CancelEvery == 0)
                    cancel.ThrowIfCancellationRequested();
                if (test(new Row(scan, row, [])))
                    found.Set(row);
            }
            return found;
        }
    }
}

/// <summary>A test of the value of one field.</summary>
internal sealed class FieldCondition(FieldRef asked, Func<Value, bool> holds, Compare? compare, PatternView? patterns)
    : SegmentCondition
{
    private readonly Lazy<byte[]> _bySeverity = new(() =>
        [
            .. Enumerable
                .Range(0, 256)
                .Select(s =>
                    holds(asked.Name == SpanFields.Status ? SpanFields.StatusValue(s) : Value.Level(s)) ? (byte)1 : (byte)0
                ),
        ]
    );

    private const int LargestTable = 4_096;
    private const int FewRows = 8;

    /// <summary>The bytes of an id that a value is to equal; null where it is no id, or may be spelled otherwise.</summary>
    private readonly Lazy<byte[]?> _id = new(() =>
        compare is { Op: CompareOp.Equal, Right: Literal literal }
        && literal.ToValue().IsText
        && literal.Text.All(char.IsAsciiHexDigit)
            ? System.Text.Encoding.ASCII.GetBytes(literal.Text)
            : null
    );

    /// <summary>Whether the test can be asked of the packed bytes of a column; no other text of it equals the id.</summary>
    private bool IsHex(TextVector texts) =>
        texts.Form is TextForm.Hex or TextForm.UpperHex && _id.Value is { } id && id.Length == texts.HexLength;

    public override double Cost =>
        asked.Name switch
        {
            "service" or "host" or "level" or "pattern" or SpanFields.Status => 1,
            "trace_id" or "span_id" => 4,
            _ => 2,
        };

    public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        var found = new RowMask(candidates.Count);
        switch (asked.Name)
        {
            case "level" or SpanFields.Status:
                if (!scan.TryMarkSeverities(_bySeverity.Value, found.Words))
                    found.AddMarked(scan.Severities, _bySeverity.Value);
                found.Keep(candidates);
                return found;
            case "time":
                return Numbers(scan.Times, ValueKind.Time, found, candidates);
            case SpanFields.Duration:
                return Numbers(scan.Durations.AsSpan(0, scan.Count), ValueKind.Duration, found, candidates);
            case "service":
                return ByResource(scan, scan.Services, candidates);
            case "host":
                return ByResource(scan, scan.Hosts, candidates);
            case "pattern":
                return ByPlace(
                    scan.Bodies.TemplateOfRow,
                    [.. scan.Bodies.Templates.Select(t => holds(patterns?.ValueOf(t.Id) ?? Value.Missing))],
                    candidates
                );
            case "trace_id":
                return Texts(scan.TraceId, candidates);
            case "span_id":
                return Texts(scan.SpanId, candidates);
            case "severity_text":
                return Texts(scan.SeverityText, candidates);
            case "source":
                return Texts(scan.Origin, candidates);
            case "observed" or SpanFields.Failed:
                for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
                    if (holds(scan.Field(asked, row)))
                        found.Set(row);
                return found;
        }
        var column = scan.Column(asked);
        var isOrder = compare is { Op: not (CompareOp.Equal or CompareOp.NotEqual) };
        // Of few rows each is asked by itself.
        if (column.RowByRow || candidates.Size < candidates.Count / FewRows)
        {
            if (isOrder && column.Whole is { WholeKind: { } ofWhole } whole && ChangeOf(ofWhole) is { } change)
            {
                var places = scan.Arena.Ints(scan.Count);
                ReadOnlySpan<int> rows = places.AsSpan(0, candidates.ToPlaces(places));
                var wholes = scan.Arena.Longs(rows.Length);
                whole.WholesAt(rows, wholes);
                for (var i = 0; i < rows.Length; i++)
                    found.Put(rows[i], wholes[i] <= change.Last == change.Below);
            }
            else
                for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
                    if (holds(column.Of(row)))
                        found.Set(row);
            return found;
        }
        if (isOrder && column.TryWholes(scan.Arena, out var numbers, out var there, out var kind))
        {
            AddRising(found, numbers.AsSpan(0, scan.Count), kind);
            found.Keep(candidates);
            if (there is not null && holds(Value.Missing) is var without)
                for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
                    if (there[row] == 0)
                        found.Put(row, without);
            return found;
        }
        int[] ofResource = [.. column.OfResource.Select(v => holds(v) ? 1 : 0)];
        var missing = holds(Value.Missing) ? 1 : 0;
        if (!column.Any && (ofResource.Length == 0 ? missing == 0 : ofResource.All(r => r == 0)))
            return found;
        var codes = ArrayPool<int>.Shared.Rent(scan.Count);
        column.Codes(
            codes.AsSpan(0, scan.Count),
            c => Array.ConvertAll(Truth(scan.Attributes, c), t => t ? 1 : 0),
            ofResource,
            missing
        );
        for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
            if (codes[row] != 0)
                found.Set(row);
        ArrayPool<int>.Shared.Return(codes);
        return found;
    }

    private RowMask Numbers(ReadOnlySpan<long> numbers, ValueKind kind, RowMask found, RowMask candidates)
    {
        if (compare is { Op: not (CompareOp.Equal or CompareOp.NotEqual) })
            AddRising(found, numbers, kind);
        else
        {
            var truth = TruthOf(numbers, kind);
            for (var row = 0; row < truth.Length; row++)
                if (truth[row])
                    found.Set(row);
        }
        found.Keep(candidates);
        return found;
    }

    /// <summary>
    /// Adds the rows for whose numbers an order holds. Along rising numbers that changes once at most, so the place of the
    /// change tells all.
    /// </summary>
    private void AddRising(RowMask found, ReadOnlySpan<long> numbers, ValueKind kind)
    {
        if (ChangeOf(kind) is { } last)
            found.AddUpTo(numbers, last.Last, orElse: !last.Below);
        else if (holds(ValueCodec.Whole(kind, 0)))
            found.SetRange(0, numbers.Length);
    }

    private readonly ConcurrentDictionary<ValueKind, (long Last, bool Below)?> _changes = new();

    /// <summary>The last number before the change, and whether the test holds up to there; null where it never changes.</summary>
    private (long Last, bool Below)? ChangeOf(ValueKind kind) => _changes.GetOrAdd(kind, FindChange);

    private (long Last, bool Below)? FindChange(ValueKind kind)
    {
        var (low, high) = (long.MinValue, long.MaxValue);
        var below = holds(ValueCodec.Whole(kind, low));
        if (holds(ValueCodec.Whole(kind, high)) == below)
            return null;
        while ((ulong)(high - low) > 1)
        {
            var middle = low + (long)((ulong)(high - low) >> 1);
            if (holds(ValueCodec.Whole(kind, middle)) == below)
                low = middle;
            else
                high = middle;
        }
        return (low, below);
    }

    private RowMask ByResource(SegmentScan scan, (int[] OfResource, Value[] Values) names, RowMask candidates)
    {
        var truth = Array.ConvertAll(names.Values, v => holds(v));
        if (!truth.Contains(false))
            return candidates;
        return truth.Contains(true)
            ? ByPlace(scan.ResourceOfRow, Array.ConvertAll(names.OfResource, n => truth[n]), candidates)
            : new RowMask(candidates.Count);
    }

    private static RowMask ByPlace(ReadOnlySpan<int> placeOfRow, bool[] truth, RowMask candidates)
    {
        if (!truth.Contains(false))
            return candidates;
        var found = new RowMask(candidates.Count);
        if (!truth.Contains(true))
            return found;
        found.AddMarked(placeOfRow, Array.ConvertAll(truth, t => t ? (byte)1 : (byte)0));
        found.Keep(candidates);
        return found;
    }

    private RowMask Texts((int[] Places, TextVector Texts) column, RowMask candidates)
    {
        var found = new RowMask(candidates.Count);
        var missing = holds(Value.Missing);
        var truth = column.Texts.Entries > 0 || IsHex(column.Texts) ? TruthOf(column.Texts) : null;
        for (var row = candidates.Next(0); row >= 0; row = candidates.Next(row + 1))
        {
            var place = column.Places[row];
            if (place < 0 ? missing : truth?[place] ?? holds(Value.Of(column.Texts.Text(place))))
                found.Set(row);
        }
        return found;
    }

    private bool[] TruthOf(TextVector texts)
    {
        var truth = new bool[texts.Count];
        if (IsHex(texts))
        {
            // Ids are compared as they are packed, and only those that are alike as text.
            var alike = new RowMask(texts.Count);
            TextSearch.FindHex(texts, _id.Value!, alike);
            for (var i = alike.Next(0); i >= 0; i = alike.Next(i + 1))
                truth[i] = holds(Value.Of(texts.Text(i)));
            return truth;
        }
        if (texts.Entries == 0)
        {
            for (var i = 0; i < truth.Length; i++)
                truth[i] = holds(Value.Of(texts.Text(i)));
            return truth;
        }
        var byEntry = new bool[texts.Entries];
        for (var e = 0; e < byEntry.Length; e++)
            byEntry[e] = holds(Value.Of(texts.EntryText(e)));
        var places = texts.Places;
        for (var i = 0; i < truth.Length; i++)
            truth[i] = byEntry[places[i]];
        return truth;
    }

    /// <summary>What the test says of each value of a column.</summary>
    private bool[] Truth(SegmentFields fields, int column)
    {
        var values = fields.Column(column);
        if (values.Texts is { } texts)
            return TruthOf(texts);
        if (!values.Wholes.IsEmpty)
            return TruthOf(values.Wholes, fields.Keys[column].Kind);
        var truth = new bool[fields.CountOf(column)];
        for (var i = 0; i < truth.Length; i++)
            truth[i] = holds(values[i]);
        return truth;
    }

    private bool[] TruthOf(ReadOnlySpan<long> numbers, ValueKind kind)
    {
        var truth = new bool[numbers.Length];
        if (numbers.IsEmpty)
            return truth;
        var (min, max) = (numbers[0], numbers[0]);
        foreach (var n in numbers)
            (min, max) = (Math.Min(min, n), Math.Max(max, n));
        if ((ulong)(max - min) < LargestTable && numbers.Length > max - min)
        {
            var table = new bool[max - min + 1];
            for (var i = 0; i < table.Length; i++)
                table[i] = holds(ValueCodec.Whole(kind, min + i));
            for (var i = 0; i < truth.Length; i++)
                truth[i] = table[numbers[i] - min];
        }
        else
            for (var i = 0; i < truth.Length; i++)
                truth[i] = holds(ValueCodec.Whole(kind, numbers[i]));
        return truth;
    }
}
