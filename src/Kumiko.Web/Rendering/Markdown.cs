using Ganss.Xss;
using Markdig;
using Microsoft.AspNetCore.Html;

namespace Kumiko.Web.Rendering;

/// <summary>Text that people wrote as Markdown, without anything that could run, load or disguise.</summary>
public static class Markdown
{
    private static readonly MarkdownPipeline Pipeline = new MarkdownPipelineBuilder()
        .DisableHtml()
        .UsePipeTables()
        .UseAutoLinks()
        .UseTaskLists()
        .Build();

    private static HtmlSanitizer Sanitizer()
    {
        var sanitizer = new HtmlSanitizer();
        sanitizer.AllowedTags.Clear();
        sanitizer.AllowedTags.UnionWith([
            "p",
            "br",
            "strong",
            "em",
            "del",
            "code",
            "pre",
            "ul",
            "ol",
            "li",
            "blockquote",
            "h1",
            "h2",
            "h3",
            "h4",
            "h5",
            "h6",
            "a",
            "hr",
            "table",
            "thead",
            "tbody",
            "tr",
            "th",
            "td",
        ]);
        sanitizer.AllowedAttributes.Clear();
        sanitizer.AllowedAttributes.Add("href");
        sanitizer.AllowedSchemes.Clear();
        sanitizer.AllowedSchemes.UnionWith(["http", "https", "mailto"]);
        return sanitizer;
    }

    public static IHtmlContent Render(string text) =>
        new HtmlString(Sanitizer().Sanitize(Markdig.Markdown.ToHtml(text, Pipeline)));

    /// <summary>The first item or paragraph, as text: what to do first.</summary>
    public static string FirstStep(string text)
    {
        var document = Markdig.Markdown.Parse(text, Pipeline);
        foreach (var block in document)
        {
            if (block is Markdig.Syntax.HeadingBlock)
                continue;
            var of = block is Markdig.Syntax.ListBlock { Count: > 0 } list ? list[0] : block;
            return text.Substring(of.Span.Start, Math.Min(of.Span.Length, text.Length - of.Span.Start))
                .TrimStart('-', '*', '+', ' ', '1', '.', ')')
                .Trim();
        }
        return "";
    }
}
