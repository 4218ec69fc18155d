using Kumiko.Charts;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>What the editor and the field for the time ask while somebody types.</summary>
public sealed partial class SearchModel
{
    /// <summary>What is wrong with a text while it is typed.</summary>
    public IActionResult OnGetCheck(string? q)
    {
        var parsed = QueryParser.Parse((q ?? "").ReplaceLineEndings("\n"), sources.Sets.Names());
        return new JsonResult(
            new
            {
                errors = parsed.Errors.Select(e => new
                {
                    from = e.Span.Start,
                    to = e.Span.End,
                    message = e.Describe(parsed.Text),
                }),
                mended = parsed.Mended,
                hints = parsed.Hints.Select(h => new
                {
                    from = h.Span.Start,
                    to = h.Span.End,
                    message = h.Message,
                }),
            }
        );
    }

    /// <summary>What could be written at a place, with counts of the focus.</summary>
    public async Task<IActionResult> OnGetCompleteAsync(string? text, int caret)
    {
        text = (text ?? "").ReplaceLineEndings("\n");
        if (text.Length > QueryParser.MaxLength)
            return new JsonResult(
                new
                {
                    from = 0,
                    to = 0,
                    options = Array.Empty<object>(),
                }
            );
        Prepare();
        var place = CompletionPlace.At(text, caret);
        var focus = runs.Shared(Run.Question with { Parsed = ParseResult.Empty });
        IReadOnlyList<Completion> found;
        try
        {
            found = await Completions.At(place, focus, sources.Sets, text[..Math.Clamp(caret, 0, text.Length)]);
        }
        catch (Core.Evaluation.QueryRefusedException)
        {
            found = [];
        }
        return new JsonResult(
            new
            {
                from = place.Span.Start,
                to = Math.Max(caret, place.Span.End),
                options = found.Select(c => new
                {
                    label = Rendering.BodyText.Visible(c.Label.Length > 80 ? c.Label[..80] + "…" : c.Label),
                    apply = c.Insert,
                    type = c.Kind.ToString().ToLowerInvariant(),
                    detail = (c.Count, c.Of) switch
                    {
                        ({ } n, { } of) => Format.Percent(of == 0 ? 0 : (double)n / of),
                        ({ } n, null) => Format.Number(n),
                        _ => c.Detail ?? "",
                    },
                    info = c.Help,
                }),
            }
        );
    }

    /// <summary>What the word under the cursor means: of the language, or a field with its values.</summary>
    public async Task<IActionResult> OnGetHelpAsync(string? word)
    {
        word = (word ?? "").Trim();
        if (word.Length is 0 or > 200)
            return new JsonResult(new { });
        if (WordHelp.For(word) is { } help)
            return new JsonResult(new { title = help.Title, text = help.Text });
        Prepare();
        var focus = runs.Shared(Run.Question with { Parsed = ParseResult.Empty });
        try
        {
            if (await focus.Field(word, null, 5) is not { } field)
                return new JsonResult(new { });
            var values =
                field.Numbers is { } numbers && field.IsScattered
                    ? $"{Format.Value(numbers.ValueOf(numbers.Min), Zone)} to {Format.Value(numbers.ValueOf(numbers.Max), Zone)}"
                    : string.Join(", ", field.Top.Select(v => Rendering.BodyText.Visible(Cut(v.Value.ToText()))));
            return new JsonResult(
                new
                {
                    title = field.Name,
                    text = $"in {Format.Percent(field.Presence)} of records, {(field.More ? "≥ " : "")}{Format.Count(field.Distinct, "value", "values")}: {values}",
                }
            );
        }
        catch (Core.Evaluation.QueryRefusedException)
        {
            return new JsonResult(new { });
        }
    }

    private static string Cut(string text) => text.Length > 40 ? text[..40] + "…" : text;

    /// <summary>What a typed time means, before anybody presses Enter.</summary>
    public IActionResult OnGetWhen(string? when)
    {
        Prepare(live: true);
        if (TimeRange.Parse(when ?? "", Run.Question.Now, Zone) is not { } range)
            return new JsonResult(
                new { understood = false, text = "Not a time yet. Try last 15m, yesterday 5:30 to 7:00, Mon 8am for 2h." }
            );
        var window = range.Resolve(Run.Question.Now);
        return new JsonResult(
            new
            {
                understood = true,
                text = $"{Format.Moment(window.From, Zone)} to {(range.IsLive ? "now" : Format.Moment(window.To, Zone))} · {Format.Duration(window.Length)} · {Zone.Id}",
            }
        );
    }
}
