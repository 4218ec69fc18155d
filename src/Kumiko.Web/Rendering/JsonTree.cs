using System.Text.Json;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Html;

namespace Kumiko.Web.Rendering;

/// <summary>JSON as a tree that folds; everything in it is text.</summary>
public static class JsonTree
{
    private const int MostText = 64 * 1024;
    private const int MostDepth = 32;
    private const int MostItems = 500;
    private const int OpenDepth = 2;
    private const int LongestValue = 2_000;

    private static readonly JsonDocumentOptions Options = new() { MaxDepth = MostDepth, AllowTrailingCommas = true };

    /// <summary>The tree of a body that is a JSON object or list; null where it is none, or too large to be worth it.</summary>
    public static IHtmlContent? Of(string body)
    {
        var text = body.AsSpan().Trim();
        if (text.Length is < 2 or > MostText || !(text[0] == '{' && text[^1] == '}') && !(text[0] == '[' && text[^1] == ']'))
            return null;
        try
        {
            using var document = JsonDocument.Parse(text.ToString(), Options);
            return Tree(document.RootElement);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>The tree of a nested value.</summary>
    public static IHtmlContent? Of(Value value) => value.Kind is ValueKind.Object or ValueKind.List ? Of(value.ToJson()) : null;

    private static HtmlContentBuilder Tree(JsonElement element)
    {
        var html = new HtmlContentBuilder();
        html.AppendHtml("<div class=\"tree\">");
        var left = MostItems;
        Append(html, element, 0, ref left);
        if (left <= 0)
            html.AppendHtml("<p class=\"wait\">and more</p>");
        return (HtmlContentBuilder)html.AppendHtml("</div>");
    }

    private static void Append(HtmlContentBuilder html, JsonElement element, int depth, ref int left)
    {
        if (element.ValueKind is not (JsonValueKind.Object or JsonValueKind.Array))
        {
            html.Append(Shown(element));
            return;
        }
        html.AppendHtml("<ul>");
        if (element.ValueKind == JsonValueKind.Object)
            foreach (var property in element.EnumerateObject())
                Item(html, property.Name, property.Value, depth, ref left);
        else
        {
            var place = 0;
            foreach (var item in element.EnumerateArray())
                Item(html, (place++).ToString(System.Globalization.CultureInfo.InvariantCulture), item, depth, ref left);
        }
        html.AppendHtml("</ul>");
    }

    private static void Item(HtmlContentBuilder html, string name, JsonElement value, int depth, ref int left)
    {
        if (left-- <= 0)
            return;
        html.AppendHtml("<li>");
        if (value.ValueKind is JsonValueKind.Object or JsonValueKind.Array)
        {
            html.AppendHtml(depth < OpenDepth ? "<details open><summary>" : "<details><summary>")
                .Append(BodyText.Visible(name))
                .AppendHtml("</summary>");
            Append(html, value, depth + 1, ref left);
            html.AppendHtml("</details>");
        }
        else
            html.AppendHtml("<i>")
                .Append(BodyText.Visible(name))
                .AppendHtml("</i> <span>")
                .Append(Shown(value))
                .AppendHtml("</span>");
        html.AppendHtml("</li>");
    }

    private static string Shown(JsonElement element)
    {
        var text = element.ValueKind == JsonValueKind.String ? element.GetString()! : element.GetRawText();
        return BodyText.Visible(text.Length > LongestValue ? text[..LongestValue] + "…" : text);
    }
}
