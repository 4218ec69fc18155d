using Kumiko.Core.Accounts;
using Kumiko.Core.Query;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>Tokens: whose they are, what they may do, and when they were last used.</summary>
public sealed class TokensModel(TokenStore tokens, RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock)
    : StripPage(runs, strips, viewer, clock)
{
    public IReadOnlyList<Token> All { get; private set; } = [];

    /// <summary>The text of a token that was just made; shown this once.</summary>
    public string? Made { get; private set; }

    public string? Problem { get; private set; }

    public Task<IActionResult> OnGetAsync(string? when)
    {
        All = tokens.All();
        return Show("/sources/tokens", when);
    }

    public async Task<IActionResult> OnPostRevokeAsync(long id)
    {
        if (!MayRun)
            return StatusCode(403);
        return await tokens.Revoke(id) ? Redirect("/sources/tokens") : NotFound();
    }

    public async Task<IActionResult> OnPostMakeAsync(string? name)
    {
        if (!MayRun)
            return StatusCode(403);
        var wish = new TokenWish((name ?? "").Trim(), TokenPurpose.Query) { Author = Viewer.Name };
        Problem = wish.Problem();
        if (Problem is null)
            Made = await tokens.Create(wish);
        return await OnGetAsync(null);
    }

    /// <summary>What limits a token, in words.</summary>
    public static string Limits(Token token) =>
        string.Join(
            "; ",
            new[]
            {
                token.Rate is { } rate ? $"{Charts.Format.Number(rate)} records a second" : null,
                token.Sources switch
                {
                    var sources when sources.Contains("*") => "may send as any source",
                    { Count: > 0 } sources => "may also send as " + string.Join(", ", sources),
                    _ => null,
                },
                token.Format.Length > 0 ? $"lines as {token.Format}" : null,
                token.Addresses.Count > 0 ? "known at " + string.Join(", ", token.Addresses) : null,
            }.OfType<string>()
        );
}
