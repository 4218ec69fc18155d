using System.Net;
using Kumiko.Core.Accounts;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Accounts;

/// <summary>Guessing is slow; an owner is never locked out.</summary>
public class SignInTriesTests
{
    private readonly FakeTimeProvider _clock = new();
    private readonly SignInTries _tries;

    public SignInTriesTests() => _tries = new SignInTries(_clock);

    private static SignInTry Try(string address, string account = "ines@skerryline.example", string? known = null) =>
        new(account, IPAddress.Parse(address), known);

    private void Wrong(SignInTry of, int times)
    {
        for (var i = 0; i < times; i++)
            _tries.Count(of);
    }

    [Fact]
    public void A_few_slips_are_free_and_then_each_try_waits_twice_as_long()
    {
        var here = Try("198.51.100.7");
        Wrong(here, 4);
        Assert.Equal(TimeSpan.Zero, _tries.Wait(here));
        foreach (var seconds in new[] { 1, 2, 4, 8 })
        {
            _tries.Count(here);
            Assert.Equal(TimeSpan.FromSeconds(seconds), _tries.Wait(here));
            _clock.Advance(TimeSpan.FromSeconds(seconds));
            Assert.Equal(TimeSpan.Zero, _tries.Wait(here));
        }
        Wrong(here, 100);
        Assert.Equal(TimeSpan.FromMinutes(15), _tries.Wait(here));
        _clock.Advance(TimeSpan.FromHours(1));
        Assert.Equal(TimeSpan.Zero, _tries.Wait(here));
    }

    [Fact]
    public void However_the_address_is_typed_it_is_one_account()
    {
        for (var i = 0; i < 6; i++)
            _tries.Count(Try("198.51.100.7", i % 2 == 0 ? "Ines@Skerryline.example " : "ines@skerryline.example"));
        Assert.True(_tries.Wait(Try("198.51.100.7")) > TimeSpan.Zero);
    }

    [Fact]
    public void The_owner_gets_in_from_a_known_browser_and_from_another_address()
    {
        Wrong(Try("198.51.100.7"), 400);
        Assert.True(_tries.Wait(Try("198.51.100.7")) > TimeSpan.Zero);
        Assert.Equal(TimeSpan.Zero, _tries.Wait(Try("198.51.100.7", known: "browser 1")));
        Assert.Equal(TimeSpan.Zero, _tries.Wait(Try("203.0.113.9")));
        // From everywhere at once, a stranger's address has one try, and the known browser its few.
        for (var i = 0; i < 60; i++)
            _tries.Count(Try($"192.0.2.{i}"));
        Assert.Equal(TimeSpan.Zero, _tries.Wait(Try("203.0.113.10")));
        _tries.Count(Try("203.0.113.10"));
        Assert.True(_tries.Wait(Try("203.0.113.10")) > TimeSpan.Zero);
        Wrong(Try("198.51.100.7", known: "browser 1"), 4);
        Assert.Equal(TimeSpan.Zero, _tries.Wait(Try("198.51.100.7", known: "browser 1")));
    }

    [Fact]
    public void One_address_that_tries_many_accounts_waits_too()
    {
        for (var i = 0; i < 25; i++)
            _tries.Count(Try("198.51.100.7", $"person{i}@skerryline.example"));
        Assert.True(_tries.Wait(Try("198.51.100.7", "ines@skerryline.example")) > TimeSpan.Zero);
        Assert.Equal(TimeSpan.Zero, _tries.Wait(Try("203.0.113.9", "ines@skerryline.example")));
    }

    [Fact]
    public void All_addresses_of_a_network_of_IPv6_are_one()
    {
        for (var i = 1; i < 8; i++)
            _tries.Count(Try($"2001:db8:1:2::{i}"));
        Assert.True(_tries.Wait(Try("2001:db8:1:2:ffff::1")) > TimeSpan.Zero);
        Assert.Equal(TimeSpan.Zero, _tries.Wait(Try("2001:db8:1:3::1")));
        Assert.Equal(new SignInTry("", IPAddress.Parse("::ffff:198.51.100.7"), null).Network, Try("198.51.100.7").Network);
    }

    [Fact]
    public void A_right_password_makes_up_for_the_slips_before()
    {
        var here = Try("198.51.100.7");
        for (var day = 0; day < 30; day++)
        {
            Wrong(here, 3);
            _tries.Right(here);
        }
        // An office of one address is not shut out by its people's slips over an hour.
        _clock.Advance(TimeSpan.FromHours(1));
        Assert.Equal(TimeSpan.Zero, _tries.Wait(here));
        Assert.Equal(1, _tries.Count(here));
    }
}
