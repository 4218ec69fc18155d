using System.Security.Cryptography;
using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Delivery;
using Kumiko.Core.Rules;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.DataProtection;

namespace Kumiko.Web.Delivery;

/// <summary>What a signed link is for.</summary>
/// <param name="Recipient">A mail address, or the name of a channel.</param>
/// <param name="Once">Tells it from every other; it acknowledges once.</param>
public sealed record SignedLink(long Alert, string Recipient, string Once);

/// <summary>Links that open the brief of one alert without signing in, for a week, and acknowledge it once.</summary>
public sealed class SignedLinks(
    IDataProtectionProvider protection,
    ServerOptions options,
    SendingStore sendings,
    AlertStore alerts,
    PeopleStore people
)
{
    private static readonly TimeSpan GoodFor = TimeSpan.FromDays(7);

    private readonly ITimeLimitedDataProtector _protector = protection
        .CreateProtector("Kumiko.Links.Brief")
        .ToTimeLimitedDataProtector();

    public string Make(long alert, string recipient) =>
        $"{options.PublicAddress}/brief/{_protector.Protect(JsonSerializer.Serialize(new SignedLink(alert, recipient, Convert.ToHexString(RandomNumberGenerator.GetBytes(12)))), GoodFor)}";

    /// <summary>Null where it was not made here, was changed, or is too old.</summary>
    public SignedLink? Read(string token)
    {
        try
        {
            return token.Length > 2_000 ? null : JsonSerializer.Deserialize<SignedLink>(_protector.Unprotect(token));
        }
        catch (Exception e) when (e is CryptographicException or JsonException or FormatException)
        {
            return null;
        }
    }

    public bool IsUsed(SignedLink link) => sendings.IsUsed(link.Once);

    /// <summary>Acknowledges; false where the link was used, the alert has ended, or somebody was before.</summary>
    public async Task<bool> Acknowledge(SignedLink link) =>
        await sendings.Use(link.Once) && await alerts.Acknowledge(link.Alert, WhoIs(link));

    /// <summary>The person with the address that the link went to, or where it went.</summary>
    public string WhoIs(SignedLink link) => people.FindByEmail(link.Recipient)?.Name ?? link.Recipient;
}
