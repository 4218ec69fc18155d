using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Accounts;

/// <summary>What tokens may do, and what becomes of them.</summary>
public sealed class TokenLimitTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private readonly AppDatabase _database;
    private readonly TokenStore _tokens;

    public TokenLimitTests()
    {
        _database = new AppDatabase(Path.Combine(_folder, "kumiko.db"));
        _tokens = new TokenStore(_database, _clock);
    }

    public void Dispose()
    {
        _database.Dispose();
        Directory.Delete(_folder, true);
    }

    [Fact]
    public async Task All_that_a_token_is_comes_back_but_not_its_text()
    {
        var text = await _tokens.Create(
            new TokenWish("quay", TokenPurpose.Intake)
            {
                Protocol = "syslog",
                Rate = 500,
                Sources = ["radio", "mast"],
                Addresses = [IPNetwork.Parse("10.20.0.0/16")],
                Author = "Ines Halloran",
            }
        );
        var token = Assert.Single(new TokenStore(_database, _clock).All());
        Assert.Equal(
            ("quay", "syslog", 500L, "radio mast", "10.20.0.0/16", "Ines Halloran", null, null),
            (
                token.Name,
                token.Protocol,
                token.Rate,
                string.Join(' ', token.Sources),
                token.Addresses[0].ToString(),
                token.Author,
                token.Used,
                token.Revoked
            )
        );
        await _database.Database.Checkpoint();
        Assert.DoesNotContain(text, File.ReadAllText(Path.Combine(_folder, "kumiko.db"), System.Text.Encoding.Latin1));
        Assert.True(token.MayName("quay") && token.MayName("mast") && !token.MayName("gate"));
        Assert.True((token with { Sources = ["*"] }).MayName("gate"));
    }

    [Fact]
    public async Task A_revoked_token_opens_nothing_and_its_last_use_stays_known()
    {
        var text = await _tokens.Create("quay", TokenPurpose.Intake);
        var token = _tokens.Find(text, TokenPurpose.Intake)!;
        Assert.True(_tokens.IsGood(token.Id));
        await _tokens.Save();
        Assert.True(await _tokens.Revoke(token.Id));
        Assert.False(await _tokens.Revoke(token.Id));
        Assert.Null(_tokens.Find(text, TokenPurpose.Intake));
        Assert.False(_tokens.IsGood(token.Id));
        var kept = new TokenStore(_database, _clock).All().Single();
        Assert.True(kept.Used is not null && kept.Revoked is not null);
    }

    [Fact]
    public async Task A_sender_is_known_by_the_narrowest_range_that_holds_its_address()
    {
        foreach (
            var (name, range) in new[]
            {
                ("all", "10.0.0.0/8"),
                ("quay", "10.20.0.0/16"),
                ("mast", "10.20.0.7/32"),
                ("other", "fd00::/8"),
            }
        )
            await _tokens.Create(new TokenWish(name, TokenPurpose.Intake) { Addresses = [IPNetwork.Parse(range)] });
        string? Of(string address) => _tokens.FindSender(IPAddress.Parse(address))?.Name;
        Assert.Equal(
            ("mast", "quay", "all", "other", null, "mast"),
            (Of("10.20.0.7"), Of("10.20.0.8"), Of("10.1.1.1"), Of("fd00::5"), Of("192.0.2.1"), Of("::ffff:10.20.0.7"))
        );
    }

    [Theory]
    [InlineData("10.20.0.7, 10.21.0.0/16\nfd00::1", "10.20.0.7/32 10.21.0.0/16 fd00::1/128", null)]
    [InlineData("", "", null)]
    [InlineData("10.20.0.7/16", "10.20.0.0/16", null)]
    [InlineData("10.20.0.7/40", null, "10.20.0.7/40")]
    [InlineData("quay", null, "quay")]
    public void Addresses_are_read_as_people_type_them(string text, string? ranges, string? wrong)
    {
        var read = TokenWish.ReadAddresses(text, out var problem);
        Assert.Equal(ranges, read is null ? null : string.Join(' ', read));
        if (wrong is null)
            Assert.Null(problem);
        else
            Assert.Contains($"“{wrong}” is no address", problem);
    }

    [Theory]
    [InlineData(" ", null, "Give the sender a name")]
    [InlineData("a\nb", null, "control characters")]
    [InlineData("quay", 0L, "1 or more")]
    [InlineData("quay", 5L, null)]
    public void A_wish_that_makes_no_sense_is_told(string name, long? rate, string? problem)
    {
        var told = new TokenWish(name, TokenPurpose.Intake) { Rate = rate }.Problem();
        if (problem is null)
            Assert.Null(told);
        else
            Assert.Contains(problem, told);
    }

    [Fact]
    public async Task A_rate_lets_a_burst_in_whole_and_then_waits_off_the_debt()
    {
        var gates = new RateGates(_clock);
        await _tokens.Create(new TokenWish("quay", TokenPurpose.Intake) { Rate = 100 });
        var token = _tokens.All().Single();
        Assert.Equal(TimeSpan.Zero, gates.Wait(token));
        gates.Count(token, 600);
        Assert.InRange(gates.Wait(token).TotalSeconds, 5, 5.02);
        _clock.Advance(TimeSpan.FromSeconds(5.02));
        Assert.Equal(TimeSpan.Zero, gates.Wait(token));
        _clock.Advance(TimeSpan.FromHours(1));
        gates.Count(token, 100);
        Assert.InRange(gates.Wait(token).TotalSeconds, 0.001, 0.02);
        Assert.Equal(TimeSpan.Zero, gates.Wait(null));
    }

    private async Task<Token> Limited(long rate)
    {
        await _tokens.Create(new TokenWish("quay", TokenPurpose.Intake) { Rate = rate });
        return _tokens.All().Single();
    }

    [Fact]
    public async Task What_comes_at_once_is_set_aside_before_it_is_read()
    {
        var gates = new RateGates(_clock);
        var token = await Limited(5);
        var taken = Enumerable
            .Range(0, 20)
            .Select(_ => gates.Reserve(token, 30, false, out var _))
            .OfType<RateReservation>()
            .ToList();
        Assert.Equal(5, taken.Count);
        foreach (var one in taken)
            one.Settle(1, 30);
        Assert.InRange(gates.Wait(token).TotalSeconds, 0.1, 0.21);
        // A body that does not say how long it is counts as a whole second until it is read.
        _clock.Advance(TimeSpan.FromSeconds(2));
        var open = gates.Reserve(token, null, false, out _)!;
        Assert.Null(gates.Reserve(token, null, false, out var wait));
        Assert.InRange(wait.TotalSeconds, 0.1, 0.21);
        open.Settle(1, 30);
        Assert.NotNull(gates.Reserve(token, 30, false, out _));
        Assert.NotNull(gates.Reserve(null, null, false, out _));
    }

    [Fact]
    public async Task Bytes_count_for_a_rate_as_records_do()
    {
        var gates = new RateGates(_clock);
        var token = await Limited(100);
        gates.Reserve(token, 1_000, true, out _)!.Settle(0, 250_000_000);
        Assert.InRange(gates.Wait(token).TotalSeconds, 600, 620);
    }

    [Fact]
    public async Task What_is_set_aside_and_never_settled_stays_taken()
    {
        var gates = new RateGates(_clock);
        var token = await Limited(5);
        for (var i = 0; i < 5; i++)
            Assert.NotNull(gates.Reserve(token, 10, false, out _));
        Assert.Null(gates.Reserve(token, 10, false, out _));
    }
}
