using System.Security.Cryptography;
using Kumiko.Web.Delivery.Channels;
using Microsoft.AspNetCore.DataProtection;

namespace Kumiko.Web.Delivery;

/// <summary>Passwords and keys of channels, encrypted where they lie. Nobody is shown them again.</summary>
public sealed class SecretKeeper(IDataProtectionProvider protection)
{
    public const string Unreadable = "The channel's secret cannot be read any more. Give it again on the page of the channel.";

    private readonly IDataProtector _protector = protection.CreateProtector("Kumiko.Channels.Secrets");

    public string Lock(string secret) => secret.Length == 0 ? "" : _protector.Protect(secret);

    /// <exception cref="SendFailedException">It was locked with a key that is not there.</exception>
    public string Open(string locked)
    {
        try
        {
            return locked.Length == 0 ? "" : _protector.Unprotect(locked);
        }
        catch (Exception e) when (e is CryptographicException or FormatException)
        {
            throw new SendFailedException(Unreadable, cause: e);
        }
    }

    /// <summary>Whether it can be read: keys may be lost with a folder that was copied in part.</summary>
    public bool CanOpen(string locked)
    {
        try
        {
            Open(locked);
            return true;
        }
        catch (SendFailedException)
        {
            return false;
        }
    }

    /// <summary>The same for who goes on without it; empty where it cannot be read.</summary>
    public string OpenOrNothing(string locked)
    {
        try
        {
            return Open(locked);
        }
        catch (SendFailedException)
        {
            return "";
        }
    }
}
