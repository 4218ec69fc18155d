using System.Text.RegularExpressions;

namespace Kumiko.Bench;

/// <summary>Signs a client in as one of the demonstration's people.</summary>
internal static partial class SignedIn
{
    public static async Task As(HttpClient client, string name)
    {
        // As a browser with scripts, to which the rest of a page comes by itself.
        client.DefaultRequestHeaders.Add("Cookie", "width=1280");
        var page = await client.GetStringAsync("/signin");
        var form = page[..page.IndexOf("<strong>" + name, StringComparison.Ordinal)];
        var answer = await client.PostAsync(
            "/signin?handler=Offered",
            new FormUrlEncodedContent([
                KeyValuePair.Create("id", Id().Matches(form)[^1].Groups[1].Value),
                KeyValuePair.Create("__RequestVerificationToken", Token().Match(page).Groups[1].Value),
            ])
        );
        answer.EnsureSuccessStatusCode();
    }

    [GeneratedRegex("name=\"id\" value=\"(\\d+)\"")]
    private static partial Regex Id();

    [GeneratedRegex("name=\"__RequestVerificationToken\"[^>]*value=\"([^\"]+)\"")]
    private static partial Regex Token();
}
