using System.Buffers;
using System.Text;
using System.Text.RegularExpressions;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Query.Execution;

/// <summary>A test of the body: a template without variables is asked once, others where what must stand in them can.</summary>
internal sealed class BodyCondition : SegmentCondition
{
    private readonly Func<Value, bool> _holds;
    private readonly RegexMatch? _regex;
    private readonly bool _negated;
    private readonly BodyCandidates[] _required = [];

    private const int MostRequired = 3;

    public BodyCondition(Expr condition, Func<Value, bool> holds)
    {
        _holds = holds;
        switch (condition)
        {
            case RegexMatch regex:
                (_regex, _negated) = (regex, regex.Negated);
                // In any case, a regex knows equals that a search for text does not.
                if (!regex.Flags.Contains('i'))
                    _required =
                    [
                        .. Regexes
                            .RequiredLiterals(regex.Pattern)
                            .Select(Located)
                            .Distinct()
                            .Take(MostRequired)
                            .Select(Of)
                            .OfType<BodyCandidates>(),
                    ];
                break;
            case Compare { Op: CompareOp.Equal, Right: Literal { Quoted: true } text } when text.Text.Length > 0:
                _required = Of(text.Text) is { } whole ? [whole] : [];
                break;
        }
    }

    /// <summary>A literal without separators at its ends, if enough is left: words are found in the variables, and separators are
    /// everywhere.</summary>
    private static string Located(string literal) =>
        literal.AsSpan().Trim(BodyTokens.Separators) is { Length: >= 3 } core ? core.ToString() : literal;

    private static BodyCandidates? Of(string text) =>
        SubstringSearcher.Of(text, anyCase: false) is { } searcher ? new BodyCandidates(searcher, wholeTokens: false) : null;

    public override double Cost => _required.Length == 0 ? 60 : 40;

    public override RowMask Of(SegmentScan scan, SegmentWordsOf words, RowMask candidates, CancellationToken cancel)
    {
        var found = new RowMask(candidates.Count);
        var look = candidates;
        if (_required.Length > 0)
        {
            look = Required(0);
            for (var r = 1; r < _required.Length && !look.IsEmpty; r++)
                look.Keep(Required(r));
            // Without what is required there is no match, which is all that a negated one asks for.
            if (_negated)
            {
                found = candidates.Copy();
                found.Remove(look);
            }
            look.Keep(candidates);
        }
        var bodies = scan.Bodies;
        var constant = new bool?[bodies.Templates.Length];
        using var utf8 = new ByteWriter(1024);
        var match = _regex is null ? null : Regexes.Lend(_regex.Pattern, _regex.Flags);
        var chars = ArrayPool<char>.Shared.Rent(4096);
        var templates = bodies.TemplateOfRow;
        for (int row = look.Next(0), read = 0; row >= 0; row = look.Next(row + 1), read++)
        {
            if (read % 1_024 == 0)
                cancel.ThrowIfCancellationRequested();
            var template = bodies.Templates[templates[row]];
            if (template.Gaps == 0)
            {
                if (constant[templates[row]] ??= _holds(Value.Of(template.Text)))
                    found.Set(row);
                continue;
            }
            if (match is null)
            {
                if (_holds(Value.Of(bodies.Text(row))))
                    found.Set(row);
                continue;
            }
            utf8.Clear();
            bodies.Append(row, utf8);
            if (chars.Length < utf8.Length)
            {
                ArrayPool<char>.Shared.Return(chars);
                chars = ArrayPool<char>.Shared.Rent(utf8.Length);
            }
            var length = Encoding.UTF8.GetChars(utf8.Written, chars);
            if (match.IsMatch(chars.AsSpan(0, length)) != _negated)
                found.Set(row);
        }
        ArrayPool<char>.Shared.Return(chars);
        if (match is not null)
            Regexes.GiveBack(_regex!.Pattern, _regex.Flags, match);
        return found;

        // What is required is never the whole match.
        RowMask Required(int r) => _required[r].Find(scan, sure: new RowMask(0));
    }
}
