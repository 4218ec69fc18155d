using Kumiko.Core.Accounts;
using Microsoft.AspNetCore.Identity;

namespace Kumiko.Web.Accounts;

/// <summary>More people want their password looked at than there is time for.</summary>
public sealed class PasswordsBusyException() : Exception("Many people sign in at this moment. Try again in a few seconds.");

/// <summary>
/// Hashes and verifies passwords, one at a time: each takes a processor for a good part of a second, which strangers could ask
/// for as
/// often as they like.
/// </summary>
public sealed class Passwords(IPasswordHasher<Person> hasher)
{
    public const int MostWaiting = 16;

    /// <summary>PBKDF2 with SHA-512: rounds that OWASP's cheat sheet on storing passwords asks for.</summary>
    public const int Rounds = 210_000;

    private readonly SemaphoreSlim _turn = new(1);
    private readonly Lazy<string> _decoy = new(() => hasher.HashPassword(new Person(), Guid.NewGuid().ToString()));
    private int _waiting;

    /// <exception cref="PasswordsBusyException">Too many wait.</exception>
    public Task<string> Hash(string password) => InTurn(() => hasher.HashPassword(new Person(), password));

    /// <summary>Whether a password is somebody's. Where nobody has that address, or no password, it takes as long.</summary>
    /// <exception cref="PasswordsBusyException">Too many wait.</exception>
    public async Task<PasswordVerificationResult> Verify(Person? person, string password)
    {
        var verified = await InTurn(() =>
            hasher.VerifyHashedPassword(person ?? new Person(), person?.Password ?? _decoy.Value, password)
        );
        return person?.Password is null ? PasswordVerificationResult.Failed : verified;
    }

    private async Task<T> InTurn<T>(Func<T> work)
    {
        if (Interlocked.Increment(ref _waiting) > MostWaiting + 1)
        {
            Interlocked.Decrement(ref _waiting);
            throw new PasswordsBusyException();
        }
        try
        {
            await _turn.WaitAsync();
            try
            {
                return await Task.Run(work);
            }
            finally
            {
                _turn.Release();
            }
        }
        finally
        {
            Interlocked.Decrement(ref _waiting);
        }
    }
}
