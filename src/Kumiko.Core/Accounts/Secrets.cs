using System.Security.Cryptography;
using System.Text;

namespace Kumiko.Core.Accounts;

/// <summary>Random secrets, of which only a hash is kept.</summary>
internal static class Secrets
{
    /// <summary>32 random bytes in URL-safe Base64.</summary>
    public static string New() => System.Buffers.Text.Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(32));

    public static string Hash(string secret) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(secret)));
}
