using System.Text.Encodings.Web;
using Fluid;
using Fluid.Ast;
using Fluid.Values;
using Kumiko.Core.Delivery;

namespace Kumiko.Web.Delivery.Messages;

/// <summary>Texts with fields in them, in the Liquid language. What a template may take is limited: steps, depth and
/// length.</summary>
public static class MessageTemplate
{
    private const int MostSteps = 5_000;
    private const int MostDepth = 20;
    private const int LongestResult = 60_000;
    private const int LongestRange = 1_000;

    /// <summary>What texts and lists can be put through. Those that multiply a text by another are left out: a chain of them has
    /// no end.</summary>
    private static readonly string[] Allowed =
    [
        "append",
        "prepend",
        "capitalize",
        "downcase",
        "upcase",
        "strip",
        "lstrip",
        "rstrip",
        "truncate",
        "truncatewords",
        "slice",
        "size",
        "default",
        "escape",
        "url_encode",
        "date",
        "first",
        "last",
        "join",
        "map",
        "where",
        "sort",
        "reverse",
        "uniq",
        "abs",
        "ceil",
        "floor",
        "round",
        "plus",
        "minus",
        "times",
        "divided_by",
        "modulo",
    ];

    private static readonly FluidParser Parser = MakeParser();

    private static readonly TemplateOptions Options = MakeOptions();

    private static FluidParser MakeParser()
    {
        var parser = new FluidParser();
        // A capture writes where nobody counts, and there are no files to take in.
        foreach (var tag in new[] { "capture", "include", "render" })
            parser.RegisteredTags.Remove(tag);
        return parser;
    }

    private static TemplateOptions MakeOptions()
    {
        var (all, options) = (new TemplateOptions(), new TemplateOptions { MaxSteps = MostSteps, MaxRecursion = MostDepth });
        options.Filters.Clear();
        foreach (var name in Allowed)
        {
            if (!all.Filters.TryGetValue(name, out var filter))
                throw new InvalidOperationException($"There is no filter {name}.");
            options.Filters.AddFilter(name, async (input, arguments, context) =>
            {
                var result = await filter(input, arguments, context);
                if (result.Type == FluidValues.String && result.ToStringValue().Length > LongestResult)
                    throw new InvalidOperationException($"A text in it comes to more than {LongestResult:N0} characters.");
                return result;
            });
        }
        return options;
    }

    /// <summary>A template rendered; or a sentence that says what is wrong with it.</summary>
    /// <param name="escape">How values are made safe where they stand; the template's own text stays as it is.</param>
    public static (string? Text, string? Fault) Render(string template, MessageFields fields, TextEncoder escape)
    {
        if (template.Length > Channel.LongestTemplate)
            return (null, $"It has more than {Channel.LongestTemplate:N0} characters.");
        if (!Parser.TryParse(template, out var parsed, out var error))
            return (null, PlainText.Line(error, 300));
        var ranges = new RangeLook();
        ranges.VisitTemplate(parsed);
        if (ranges.IsTooLong)
            return (null, $"A range must be written in figures and have {LongestRange:N0} steps at most.");
        try
        {
            var context = new TemplateContext(Options);
            foreach (var (name, value) in fields.ToObjects())
                context.SetValue(name, value);
            using var writer = new LimitedWriter(LongestResult);
            parsed.RenderAsync(writer, escape, context).AsTask().GetAwaiter().GetResult();
            var text = writer.ToString();
            return text.Trim().Length == 0 ? (null, "It comes to nothing.") : (text, null);
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            return (null, PlainText.Line(e.Message, 300));
        }
    }

    /// <summary>Looks for ranges that are made before the first of their steps is counted.</summary>
    private sealed class RangeLook : AstVisitor
    {
        public bool IsTooLong { get; private set; }

        protected override Expression VisitRangeExpression(RangeExpression range)
        {
            IsTooLong |= !(Literal(range.From) is { } from && Literal(range.To) is { } to && to - from < LongestRange);
            return base.VisitRangeExpression(range);
        }

        private static decimal? Literal(Expression bound) =>
            bound is LiteralExpression { Value: NumberValue number } ? number.ToNumberValue() : null;
    }

    private sealed class LimitedWriter(int most) : StringWriter
    {
        public override void Write(char value)
        {
            base.Write(value);
            Check();
        }

        public override void Write(string? value)
        {
            base.Write(value);
            Check();
        }

        public override void Write(char[] buffer, int index, int count)
        {
            base.Write(buffer, index, count);
            Check();
        }

        public override void Write(ReadOnlySpan<char> buffer)
        {
            base.Write(buffer);
            Check();
        }

        private void Check()
        {
            if (GetStringBuilder().Length > most)
                throw new InvalidOperationException($"It comes to more than {most:N0} characters.");
        }
    }
}
