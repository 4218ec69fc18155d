using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

public enum ParseShape
{
    Template,
    Json,
    Logfmt,
    Regex,
}

/// <summary>Cuts fields out of a text.</summary>
/// <param name="Shape">What the text is like.</param>
/// <param name="Pattern">The template's or regular expression's text; empty for other shapes.</param>
/// <param name="Flags">Of the regular expression.</param>
/// <param name="Only">Whether rows that do not fit are dropped.</param>
public sealed record Parse(Expr Source, ParseShape Shape, string Pattern, string Flags, bool Only) : PipelineStage
{
    public static readonly StageKind Kind = new("parse", "parse field as \"text {name} text\"", "cuts fields out of text", Read)
    {
        Keywords = ["as", "json", "logfmt", "only"],
    };

    public TextSpan PatternSpan { get; init; }

    private static Parse? Read(QueryParser parser)
    {
        var start = parser.Position;
        var only = parser.TakeKeyword("only");
        // A field can be called only.
        if (only && parser.NextWord == "as")
        {
            parser.Position = start;
            only = false;
        }
        if (parser.Primary() is not { } source)
            return null;
        if (!parser.TakeKeyword("as"))
            return parser.Wrong<Parse>(
                "Write parse, a field, as, and then a template in quotes, json, logfmt or a regular expression."
            );
        var at = parser.Begin();
        if (parser.IsAtQuotes)
        {
            if (parser.Quoted() is not { } text)
                return null;
            if (ParseTemplate.Read(text).Error is not { } error)
                return new Parse(source, ParseShape.Template, text, "", only) { PatternSpan = parser.Since(at) };
            parser.Error(parser.Since(at), error);
            return null;
        }
        if (parser.TakeKeyword("json"))
            return new Parse(source, ParseShape.Json, "", "", only);
        if (parser.TakeKeyword("logfmt"))
            return new Parse(source, ParseShape.Logfmt, "", "", only);
        if (parser.Current != '/')
            return parser.Wrong<Parse>(
                "After as comes a template in quotes, json, logfmt or a regular expression between slashes."
            );
        if (parser.RegexText() is not { } regex)
            return null;
        if (Regexes.Of(regex.Pattern, regex.Flags).GetGroupNames().Any(n => !char.IsAsciiDigit(n[0])))
            return new Parse(source, ParseShape.Regex, regex.Pattern, regex.Flags, only) { PatternSpan = regex.Span };
        parser.Error(parser.Since(at), "Name what to cut out, such as /took (?<wait>\\d+)ms/.");
        return null;
    }

    public override string Print() => $"parse {(Only ? "only " : "")}{QueryPrinter.PrintPrimary(Source)} as {PrintedShape}";

    private string PrintedShape =>
        Shape switch
        {
            ParseShape.Json => "json",
            ParseShape.Logfmt => "logfmt",
            ParseShape.Regex => $"/{Pattern}/{Flags}",
            _ => Keywords.Quote(Pattern),
        };

    public override IEnumerable<Expr> Expressions => [Source];

    public override Stage Rewrite(Func<Expr, Expr> visit) => this with { Source = visit(Source) };

    /// <summary>Names of the fields that are cut out, as far as its text tells.</summary>
    public override IEnumerable<string> Makes =>
        Shape switch
        {
            ParseShape.Template => ParseTemplate
                .Read(Pattern)
                .Parts.Where(p => p.IsSlot && p.Text.Length > 0)
                .Select(p => p.Text),
            ParseShape.Regex => Regexes.Of(Pattern, Flags).GetGroupNames().Where(n => !char.IsAsciiDigit(n[0])),
            _ => [],
        };

    public override bool IsRowByRow => true;

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var source = builder.Compiler.Value(Source);
        if (Shape is ParseShape.Json or ParseShape.Logfmt)
            BuildObject(builder, source);
        else if (builder.Scope is RecordScope scope)
            BuildOnRecords(builder, scope, source);
        else
            BuildOnColumns(builder, (ColumnScope)builder.Scope, source);
    }

    private void BuildObject(PipelineBuilder builder, Func<Row, Value> source)
    {
        Func<string, Value> read =
            Shape == ParseShape.Json
                ? text => JsonValues.TryRead(text, out var value) && value.Kind == ValueKind.Object ? value : Value.Missing
                : text => Logfmt.Read(text) is { } pairs ? Value.Of(pairs) : Value.Missing;
        if (builder.Scope is not RecordScope records)
            throw new QueryRefusedException($"parse as json and logfmt read records. Write them before group and select.");
        var slot = builder.NewSlots(1);
        builder.Scope = records.WithObject(slot);
        Fit(builder, row =>
        {
            row.Slots[slot] = source(row) switch
            {
                { IsMissing: true } => Value.Missing,
                { Kind: ValueKind.Object } found => found,
                var text => read(text.ToText()),
            };
            return !row.Slots[slot].IsMissing;
        });
    }

    private void BuildOnRecords(PipelineBuilder builder, RecordScope scope, Func<Row, Value> source)
    {
        var (names, cut) = Cutter();
        var first = builder.NewSlots(names.Count);
        for (var i = 0; i < names.Count; i++)
            scope = scope.With(names[i], first + i);
        builder.Scope = scope;
        var length = names.Count;
        Fit(builder, row => source(row) is { IsMissing: false } text && cut(text.ToText(), row.Slots.AsSpan(first, length)));
    }

    private void BuildOnColumns(PipelineBuilder builder, ColumnScope scope, Func<Row, Value> source)
    {
        var (names, cut) = Cutter();
        var (columns, only) = (scope.Columns, Only);
        var added = names.Where(n => scope.IndexOf(n) < 0).ToList();
        var places = names.Select(n => scope.IndexOf(n) is var at and >= 0 ? at : columns.Count + added.IndexOf(n)).ToArray();
        builder.Scope = new ColumnScope([.. columns, .. added.Select(n => new Column(n, ColumnRole.Detail))]);
        builder.Step(rows =>
            rows.Select(row =>
                {
                    var slots = new Value[columns.Count + added.Count];
                    Array.Fill(slots, Value.Missing);
                    row.Slots.CopyTo(slots, 0);
                    var values = new Value[names.Count];
                    var fits = source(row) is { IsMissing: false } text && cut(text.ToText(), values);
                    for (var i = 0; i < places.Length; i++)
                        slots[places[i]] = fits ? values[i] : Value.Missing;
                    return (Keep: fits || !only, Row: row with { Slots = slots });
                })
                .Where(r => r.Keep)
                .Select(r => r.Row)
        );
    }

    /// <summary>A step that remembers in a slot whether the row fitted.</summary>
    private void Fit(PipelineBuilder builder, Func<Row, bool> fits)
    {
        var only = Only;
        var slot = builder.NewSlots(1);
        builder.Step(
            row =>
            {
                var fit = fits(row);
                row.Slots[slot] = Value.Of(fit);
                return fit || !only;
            },
            drops: only,
            slot
        );
    }

    private delegate bool Cut(string text, Span<Value> values);

    private (IReadOnlyList<string> Names, Cut Cut) Cutter()
    {
        if (Shape == ParseShape.Template)
        {
            var template = new TemplateMatcher(Pattern);
            return (template.Names, (text, values) => template.TryRead(text, values));
        }
        var regex = Regexes.Of(Pattern, Flags);
        string[] names = [.. regex.GetGroupNames().Where(n => !char.IsAsciiDigit(n[0]))];
        return (names, (text, values) =>
        {
            var match = regex.Match(text);
            for (var i = 0; match.Success && i < names.Length; i++)
                values[i] = match.Groups[names[i]] is { Success: true } group ? Value.Of(group.Value) : Value.Missing;
            return match.Success;
        });
    }
}
