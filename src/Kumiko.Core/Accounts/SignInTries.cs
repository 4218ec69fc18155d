using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace Kumiko.Core.Accounts;

/// <summary>Where a try to sign in comes from.</summary>
/// <param name="Email">As it was typed.</param>
/// <param name="Known">What a browser holds that signed in to this account before; null where it holds nothing.</param>
public sealed record SignInTry(string Email, IPAddress Address, string? Known)
{
    internal string Account { get; } = Email.Trim().ToUpperInvariant();

    /// <summary>An address of IPv6 by its network: one customer has all of it.</summary>
    internal string Network { get; } =
        Address switch
        {
            { IsIPv4MappedToIPv6: true } => Address.MapToIPv4().ToString(),
            { AddressFamily: AddressFamily.InterNetworkV6 } => new IPNetwork(
                new IPAddress([.. Address.GetAddressBytes()[..8], 0, 0, 0, 0, 0, 0, 0, 0]),
                64
            ).ToString(),
            _ => Address.ToString(),
        };
}

/// <summary>
/// Makes guessing slow and never locks an owner out. Wrong tries count for an account at one address, and for an address;
/// beyond a few each makes the next wait twice as long. An account that is tried from everywhere gives each address one try
/// before it waits. A browser that signed in before is counted by itself, so it gets in whatever strangers do; so does the first
/// right try from another address.
/// </summary>
public sealed class SignInTries(TimeProvider clock)
{
    private const int FreeOfAccount = 5;
    private const int FreeOfAddress = 20;
    private const int ManyForAccount = 50;
    private const int MostKept = 50_000;
    private static readonly TimeSpan LongestWait = TimeSpan.FromMinutes(15);
    private static readonly TimeSpan Forgotten = TimeSpan.FromHours(1);

    private readonly ConcurrentDictionary<string, Tries> _tries = new();

    private sealed record Tries(int Count, long Last);

    /// <summary>How long this one has to wait; zero where it may try now.</summary>
    public TimeSpan Wait(SignInTry of) => Keys(of).Select(k => WaitOf(k.Key, k.Free)).Max();

    /// <summary>Counts a try as a wrong one, before its password is looked at: of many at once, each counts.</summary>
    /// <returns>How many there were in a row, at this place and for this account.</returns>
    public int Count(SignInTry of)
    {
        if (_tries.Count > MostKept)
            Forget();
        var keys = Keys(of);
        var inARow = Add(keys[0].Key);
        foreach (var (key, _) in keys[1..])
            Add(key);
        Add(AccountKey(of));
        return inARow;
    }

    /// <summary>Takes a try back that was right, and forgets what was wrong at this place.</summary>
    public void Right(SignInTry of)
    {
        var keys = Keys(of);
        _tries.TryRemove(keys[0].Key, out _);
        foreach (var key in keys[1..].Select(k => k.Key).Append(AccountKey(of)))
            if (_tries.TryGetValue(key, out var tries))
                _tries.TryUpdate(key, tries with { Count = tries.Count - 1 }, tries);
    }

    private List<(string Key, int Free)> Keys(SignInTry of)
    {
        if (of.Known is { } known)
            return [($"known {of.Account} {known}", FreeOfAccount)];
        var isTriedFromEverywhere = Current(AccountKey(of)) is { Count: >= ManyForAccount };
        return
        [
            ($"at {of.Account} {of.Network}", isTriedFromEverywhere ? 1 : FreeOfAccount),
            ($"from {of.Network}", FreeOfAddress),
        ];
    }

    private static string AccountKey(SignInTry of) => "of " + of.Account;

    private TimeSpan WaitOf(string key, int free)
    {
        if (Current(key) is not { } tries || tries.Count < free)
            return TimeSpan.Zero;
        var wait = TimeSpan.FromSeconds(Math.Min(LongestWait.TotalSeconds, Math.Pow(2, tries.Count - free)));
        var left = wait - clock.GetElapsedTime(tries.Last);
        return left > TimeSpan.Zero ? left : TimeSpan.Zero;
    }

    private Tries? Current(string key) =>
        _tries.TryGetValue(key, out var tries) && clock.GetElapsedTime(tries.Last) < Forgotten ? tries : null;

    private int Add(string key)
    {
        var now = clock.GetTimestamp();
        return _tries
            .AddOrUpdate(
                key,
                _ => new Tries(1, now),
                (_, t) => new Tries(clock.GetElapsedTime(t.Last, now) < Forgotten ? t.Count + 1 : 1, now)
            )
            .Count;
    }

    private void Forget()
    {
        foreach (var (key, _) in _tries.OrderBy(t => t.Value.Last).Take(_tries.Count / 2))
            _tries.TryRemove(key, out _);
    }
}
