using System.Text.Encodings.Web;
using Fluid;

namespace Kumiko.Web.Delivery.Messages;

/// <summary>Texts with fields in them, in the Liquid language. What a template may take is limited: steps, depth and length.</summary>
public static class MessageTemplate
{
    private const int MostSteps = 20_000, MostDepth = 20, LongestResult = 60_000;

    private static readonly FluidParser Parser = new();

    private static readonly TemplateOptions Options = new() { MaxSteps = MostSteps, MaxRecursion = MostDepth };

    /// <summary>A template rendered; or a sentence that says what is wrong with it.</summary>
    /// <param name="escape">How values are made safe where they stand; the template's own text stays as it is.</param>
    public static (string? Text, string? Fault) Render(string template, MessageFields fields, TextEncoder escape)
    {
        if (!Parser.TryParse(template, out var parsed, out var error)) return (null, PlainText.Line(error, 300));
        try
        {
            var context = new TemplateContext(Options);
            foreach (var (name, value) in fields.ToObjects()) context.SetValue(name, value);
            using var writer = new LimitedWriter(LongestResult);
            parsed.RenderAsync(writer, escape, context).AsTask().GetAwaiter().GetResult();
            var text = writer.ToString();
            return text.Trim().Length == 0 ? (null, "It comes to nothing.") : (text, null);
        }
        catch (Exception e) when (e is not OutOfMemoryException) { return (null, PlainText.Line(e.Message, 300)); }
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
            if (GetStringBuilder().Length > most) throw new InvalidOperationException($"It comes to more than {most:N0} characters.");
        }
    }
}
