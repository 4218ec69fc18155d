using Kumiko.Charts;
using Kumiko.Core.Analysis;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Query.Gathering;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Patterns;
using Microsoft.AspNetCore.Html;
using NodaTime;

namespace Kumiko.Web.Rendering;

/// <summary>A pattern as a line of the list.</summary>
/// <param name="Called">What people call it; null where nobody does.</param>
/// <param name="Aside">How it was put aside; null where it was not.</param>
public sealed record PatternLine(GatheredPattern Gathered, string? Called, PatternAside? Aside)
{
    /// <summary>Whether it is kept out of the list.</summary>
    public bool IsHidden { get; init; }
}

/// <summary>The records of an answer by their patterns, as they are shown.</summary>
public sealed record GatherPart(
    Gathered Gathered,
    IReadOnlyList<PatternLine> Lines,
    SearchAddress Address,
    Baseline Baseline,
    Run Run,
    bool MayKeep
)
{
    /// <summary>So many lines are shown.</summary>
    public const int MostLines = 400;

    private const long Hour = Instants.Hour;

    public static GatherPart Of(
        Gathered gathered,
        SearchAddress address,
        Baseline baseline,
        Run run,
        IReadOnlyList<PatternAside> aside,
        IReadOnlyList<PatternCalled> called,
        bool mayKeep
    )
    {
        string Today(string name) => run.Snapshot.Patterns?.Today(name) ?? name;
        var asides = aside.OrderBy(a => a.IsForAll).GroupBy(a => Today(a.Pattern)).ToDictionary(g => g.Key, g => g.First());
        var names = called.GroupBy(c => Today(c.Pattern)).ToDictionary(g => g.Key, g => g.First().Name);
        var hours = (double)run.Question.Window.Length / Hour;
        return new GatherPart(
            gathered,
            [
                .. gathered
                    .Patterns.In(address.Patterns)
                    .Select(p =>
                    {
                        var name = p.Pattern?.Name ?? "";
                        var known = asides.GetValueOrDefault(name);
                        return new PatternLine(p, names.GetValueOrDefault(name), known)
                        {
                            IsHidden = known is not null && !known.ComesBack(p, hours),
                        };
                    }),
            ],
            address,
            baseline,
            run,
            mayKeep
        );
    }

    public IEnumerable<PatternLine> Shown => Lines.Where(l => !l.IsHidden);

    public IReadOnlyList<PatternLine> Hidden => [.. Lines.Where(l => l.IsHidden)];

    public DateTimeZone Zone => Run.Question.Zone;

    /// <summary>What is hidden, in a sentence; null where nothing is.</summary>
    public string? HiddenWords
    {
        get
        {
            var hidden = Hidden;
            var records = hidden.Sum(l => l.Gathered.Count);
            if (hidden.Count == 0)
                return null;
            var all = Format.Count(Gathered.Records, "record", "records");
            var hides = hidden.Count == 1 ? "hides" : "hide";
            return $"{Format.Count(hidden.Count, "pattern", "patterns")} put aside {hides} {Format.Number(records)} of {all}"
                + (Gathered.Records == 0 ? "" : $" ({Format.Percent((double)records / Gathered.Records)})");
        }
    }

    /// <summary>How a pattern differs from the baseline, and how surely.</summary>
    public static (string Words, string Certainty) Differs(GatheredPattern pattern) =>
        pattern switch
        {
            { IsNew: true } => ("new", ""),
            { Shift: null } => ("", ""),
            { Shift: { Difference: RateDifference.TooFewToSay } } => ("too few to say", ""),
            { Shift: { Difference: RateDifference.AsUsual } } => ("as usual", ""),
            { Shift: { Difference: RateDifference.MaybeChance } shift } => (
                shift.Usual == 0 ? "usually none" : $"{Times(shift.Factor)} usual",
                "unsure"
            ),
            { Shift: { Difference: RateDifference.UsuallyNone } shift } => ("usually none", Surely(shift)),
            { Shift: { Difference: RateDifference.Gone } shift } => (
                $"gone, usually {Format.Number(Math.Round(shift.Usual))}",
                Surely(shift)
            ),
            { Shift: { } shift } => ($"{Times(shift.Factor)} usual", Surely(shift)),
        };

    private static string Times(double factor) => Format.Number(double.Round(factor, factor < 1 ? 2 : 1)) + " ×";

    private static string Surely(RateShift shift) => shift.IsSure ? "sure" : "likely";

    /// <summary>How a pattern is set off: as new, more, less, or not at all.</summary>
    public static string? Tone(GatheredPattern pattern) =>
        pattern switch
        {
            { IsNew: true } => "is-new",
            { Shift: { Difference: RateDifference.More or RateDifference.UsuallyNone } } => "is-more",
            { Shift: { Difference: RateDifference.Less or RateDifference.Gone } } => "is-less",
            _ => null,
        };

    /// <summary>What the difference rests on.</summary>
    public string Grounds(GatheredPattern pattern)
    {
        if (pattern.Shift is not { } shift)
            return "Nothing to compare with";
        var usual = $"usually {Format.Number(shift.Usual)} in as {(Baseline.Query is null ? "long" : "many")}";
        if (shift.Difference == RateDifference.TooFewToSay)
            return $"{usual}; fewer than {RateChange.Fewest} in both together say nothing";
        var bursts =
            shift.DesignEffect >= 1.5 ? $"; as they come in bursts, {Format.Number(shift.DesignEffect)} count as one" : "";
        var compared = Format.Count(Gathered.Patterns.Count, "comparison", "comparisons");
        return $"{usual}; p {Probability(shift.P)} after {compared}{bursts}";
    }

    private static string Probability(double p) => p < 0.0001 ? "< 0.0001" : "= " + Format.Number(p);

    /// <summary>The time line in words.</summary>
    public string LineWords(GatheredPattern pattern) =>
        $"{Format.Count(pattern.Count, "record", "records")}"
        + (pattern.Count == 0 ? "" : $" from {Format.Moment(pattern.First, Zone)} to {Format.Moment(pattern.Last, Zone)}")
        + (pattern.Shift is { } shift ? $", usually {Format.Number(shift.Usual)}" : "");

    /// <summary>The severities of a pattern in words.</summary>
    public static string Severities(GatheredPattern pattern) =>
        string.Join(
            ", ",
            Enumerable
                .Range(0, pattern.Bands.Count)
                .Reverse()
                .Where(band => pattern.Bands[band] > 0)
                .Select(band => $"{Format.Number(pattern.Bands[band])} {NameOf(band)}")
        );

    private static string NameOf(int band) => band == 0 ? "without a level" : Severity.Name(SeverityOf(band));

    /// <summary>The first severity of a band.</summary>
    public static int SeverityOf(int band) => band == 0 ? 0 : ((band - 1) * 4) + 1;

    /// <summary>A pattern's text with its gaps set off.</summary>
    public static IHtmlContent Text(Pattern pattern)
    {
        var html = new HtmlContentBuilder();
        var text = pattern.Text;
        var constant = new System.Text.StringBuilder();
        for (var i = 0; i < text.Length; i++)
        {
            var end = text[i] == '{' && !(i + 1 < text.Length && text[i + 1] == '{') ? text.IndexOf('}', i) : -1;
            if (end < 0)
            {
                if (text[i] is '{' or '}' && i + 1 < text.Length && text[i + 1] == text[i])
                    i++;
                constant.Append(text[i]);
                continue;
            }
            html.Append(BodyText.Visible(constant.ToString())).AppendHtml("<i class=\"gap\">");
            constant.Clear();
            html.Append(BodyText.Visible(text.AsSpan(i + 1, end - i - 1))).AppendHtml("</i>");
            i = end;
        }
        return html.Append(BodyText.Visible(constant.ToString()));
    }

    public string FragmentUrl(string handler, Pattern pattern) => Address.FragmentUrl(Run, handler, ("pattern", pattern.Name));

    /// <summary>The view with only the records of some patterns, or without them.</summary>
    public static string With(SearchAddress address, IReadOnlyList<string> patterns, bool excluded)
    {
        var literals = patterns.Select(p => Literals.For(Value.Of(p))).ToList();
        Expr only = literals is [var one]
            ? new Compare(new Field("pattern"), excluded ? CompareOp.NotEqual : CompareOp.Equal, one)
            : new InList(new Field("pattern"), new Seq<Literal>(literals.OfType<Literal>()));
        if (excluded && literals.Count > 1)
            only = new Not(only);
        return (address with { Query = QueryEdits.With(address.Query, only).Text, At = null }).Url();
    }
}

/// <summary>A pattern unfolded.</summary>
/// <param name="Elsewhere">Patterns of other services with the same text, and how many records of the answer they have.</param>
public sealed record PatternPart(
    Pattern Pattern,
    GapContents Gaps,
    string? Called,
    IReadOnlyList<(LogRecord Record, IReadOnlyList<Piece> Body)> Examples,
    IReadOnlyList<Pattern> Elsewhere,
    FieldSummary? Hosts,
    long Everywhere,
    SearchAddress Address,
    Run Run,
    bool MayKeep
)
{
    public DateTimeZone Zone => Run.Question.Zone;

    public string Only => GatherPart.With(Address with { Tab = Tab.Read }, [Pattern.Name], excluded: false);

    public string Without => GatherPart.With(Address, [Pattern.Name], excluded: true);

    /// <summary>All records of the pattern at this time, whatever the query says.</summary>
    public string All => GatherPart.With(Address with { Query = "", Tab = Tab.Read }, [Pattern.Name], excluded: false);

    /// <summary>The records of the pattern, counted over time.</summary>
    public string Drawn
    {
        get
        {
            var only = QueryEdits.With(QueryEdits.RecordsOnly(Address.Query), "pattern", Value.Of(Pattern.Name), false).Text;
            return (Address with { Query = QueryEdits.CountOverTime(only), Tab = Tab.Line, At = null }).Url();
        }
    }

    /// <summary>The records with their gaps cut out as fields; null where the text does not say where a gap ends.</summary>
    public string? CutOut
    {
        get
        {
            var template = Pattern.Text.Replace("}}", "}", StringComparison.Ordinal);
            if (Gaps.Fit == 0 || Gaps.Gaps.Count == 0 || ParseTemplate.Read(template).Error is not null)
                return null;
            var only = QueryEdits.With(QueryEdits.RecordsOnly(Address.Query), "pattern", Value.Of(Pattern.Name), false).Text;
            var parse = new Parse(new Field("body"), ParseShape.Template, template, "", Only: false);
            return (Address with { Query = $"{only}\n| {QueryPrinter.Print(parse)}", Tab = Tab.Read, At = null }).Url();
        }
    }
}
