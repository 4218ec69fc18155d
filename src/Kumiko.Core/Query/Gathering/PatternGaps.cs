using System.Text;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Query.Gathering;

/// <summary>What the gaps of a pattern contain.</summary>
/// <param name="Gaps">One for each gap that could be read, in the order of the text.</param>
/// <param name="Looked">Records that were looked at, evenly over all of them.</param>
/// <param name="Fit">Of these, those whose body is the text with something in its gaps.</param>
/// <param name="Records">Records of the pattern.</param>
public sealed record GapContents(IReadOnlyList<FieldSummary> Gaps, int Looked, int Fit, long Records)
{
    /// <summary>Bodies of some records, evenly over all of them, one of each kind.</summary>
    public IReadOnlyList<RecordId> Examples { get; init; } = [];
}

/// <summary>Reads the gaps of a pattern out of an even sample of its records.</summary>
internal static class PatternGaps
{
    /// <summary>So many records are looked at.</summary>
    public const int MostLooked = 10_000;

    private const int MostOpened = 24;
    private const int TopValues = 5;
    private const int MostExamples = 3;

    /// <param name="what">The pattern's records.</param>
    public static GapContents Of(Pattern pattern, MatchSet what, Frames.Window window, CancellationToken cancel)
    {
        var matcher = Matcher(pattern.Text);
        var counters = new FieldCounter[matcher?.Names.Count ?? 0];
        for (var g = 0; g < counters.Length; g++)
            counters[g] = new FieldCounter(FieldSummaries.MostValues);
        var (looked, fit) = (0, 0);
        var parts = what.PartsIn(window).ToList();
        var records = parts.Sum(p => (long)p.Count);
        // Opening a batch costs more than what is read of it: of many, every so manieth is opened.
        var apart = (parts.Count + MostOpened - 1) / MostOpened;
        parts = [.. parts.Where((_, i) => apart == 0 || i % apart == 0)];
        var opened = parts.Sum(p => (long)p.Count);
        var every = Math.Max(1, (opened + MostLooked - 1) / MostLooked);
        var exampleEvery = Math.Max(1, opened / MostExamples);
        var examples = new List<RecordId>();
        var places = new (int Start, int End)[(matcher?.Slots ?? 0) + 1];
        long at = 0;
        foreach (var part in parts)
        {
            cancel.ThrowIfCancellationRequested();
            var begin = at;
            at += part.Count;
            // The first record of this part whose number can be divided.
            var first = (every - (begin % every)) % every;
            if (first >= part.Count)
                continue;
            Look(part, first, begin);
        }
        return new GapContents(
            matcher is null
                ? []
                : [.. matcher.Names.Select((name, g) => FieldSummaries.Of(name, counters[g], fit, null, 0, TopValues))],
            looked,
            fit,
            records
        )
        {
            Examples = [.. examples.Take(MostExamples)],
        };

        void Look(MatchSet.Part part, long first, long begin)
        {
            if (part.Batch is SegmentBatch segment)
            {
                try
                {
                    segment.Scan(null, scan =>
                    {
                        for (var i = first; i < part.Count; i += every)
                            Take(scan.Bodies.Text(part[(int)i]), () => scan.Id(part[(int)i]), begin + i);
                        return 0;
                    });
                }
                // The store has set it aside and said so; the rest goes on.
                catch (DamagedSegmentException) { }
                return;
            }
            if (part.TryOpen(records: true) is { } rows)
                for (var i = first; i < part.Count; i += every)
                    Take(rows[part[(int)i]].Body, () => rows[part[(int)i]].Id, begin + i);
        }

        void Take(string body, Func<RecordId> id, long number)
        {
            looked++;
            if (examples.Count * exampleEvery <= number)
                examples.Add(id());
            if (matcher is null)
                return;
            var text = body.AsSpan(HeaderOf(body));
            if (!matcher.Match(text, places))
                return;
            fit++;
            var gap = 0;
            foreach (var value in matcher.Texts(text, places))
                Count(counters[gap], pattern.Variables[gap++].Type, value);
        }
    }

    /// <summary>The matcher of a pattern's text; null where nobody could say where a gap ends.</summary>
    private static TemplateMatcher? Matcher(string text)
    {
        // Templates that people write have no sign for a closing brace, as none is needed.
        text = text.Replace("}}", "}", StringComparison.Ordinal);
        return ParseTemplate.Read(text).Error is null ? new TemplateMatcher(text) : null;
    }

    /// <summary>Where the line begins behind what a logging library wrote before it.</summary>
    private static int HeaderOf(string body)
    {
        var bytes = Encoding.UTF8.GetBytes(body);
        var header = LineHeader.Of(bytes);
        return header.End <= 0 ? 0 : Encoding.UTF8.GetCharCount(bytes.AsSpan(0, header.End));
    }

    private static void Count(FieldCounter counter, string type, string text)
    {
        var value = ValueOf(type, text);
        counter.Add(value, 1);
        if (value.IsQuantity)
            counter.Sample(value.Kind, value.AsDouble);
        else
            counter.Note(value.Kind);
    }

    private static Value ValueOf(string type, string text) =>
        type switch
        {
            "integer" when long.TryParse(text, out var whole) => Value.Of(whole),
            "integer"
            or "decimal"
                when double.TryParse(
                    text,
                    System.Globalization.NumberStyles.Float,
                    System.Globalization.CultureInfo.InvariantCulture,
                    out var number
                ) => Value.Of(number),
            "duration" when Quantities.TryParseDuration(text, out var duration) => Value.Duration(duration),
            "size" when Quantities.TryParseSize(text, out var size) => Value.Size(size),
            _ => Value.Of(text),
        };
}
