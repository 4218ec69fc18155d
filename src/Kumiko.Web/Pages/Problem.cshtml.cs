using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Kumiko.Web.Pages;

/// <summary>What went wrong with a request, in words.</summary>
[Microsoft.AspNetCore.Authorization.AllowAnonymous]
[IgnoreAntiforgeryToken]
[ResponseCache(NoStore = true)]
public sealed class ProblemModel(Viewer viewer) : PageModel
{
    public string Headline { get; private set; } = "";
    public string Advice { get; private set; } = "";

    public void OnGet(int? code) =>
        (Headline, Advice) = code switch
        {
            400 or 429 or 503 or 504 when RefusedAnswers.ReasonOf(HttpContext) is { } reason => ("This was not answered", reason),
            404 => ("There is no such page", "The address may be mistyped, or what it showed was removed."),
            400 => (
                "This request was not understood",
                "The form may have been open for too long. Go back, load the page again and repeat it."
            ),
            403 => (
                "You may not do this",
                viewer.MayKeep
                    ? $"It needs an administrator. Ask {viewer.Administrators}."
                    : $"It needs an analyst or an administrator. Ask {viewer.Administrators}."
            ),
            429 or 503 => ("Too much is asked for at this moment", "Try again in a few seconds."),
            414 or 431 => ("This address is too long", "A query can have 16 384 characters. Shorten it."),
            _ => (
                "Something went wrong here",
                "It was written to the server's log. Try again; if it stays, tell whoever runs Kumiko."
            ),
        };

    public void OnPost(int? code) => OnGet(code);
}
