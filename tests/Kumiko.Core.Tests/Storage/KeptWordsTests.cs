using System.IO.Compression;
using System.Text.Json;
using CsCheck;
using Kumiko.Core.Language;
using Kumiko.Core.Rules;
using Kumiko.Core.Searches;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Migrations.Words;
using Kumiko.Core.Tests.Language;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Tests.Storage;

/// <summary>What an earlier version kept is opened, and says the same in the words of today.</summary>
public sealed class KeptWordsTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko").FullName;

    /// <summary>The kept things of a demo of the version before words changed, with searches, charts and frozen answers of
    /// people.</summary>
    private AppDatabase Sample()
    {
        using (
            var packed = new GZipStream(
                File.OpenRead(Path.Combine(AppContext.BaseDirectory, "Storage", "Samples", "kumiko-008.db.gz")),
                CompressionMode.Decompress
            )
        )
        using (var to = File.Create(Path.Combine(_folder, "kumiko.db")))
            packed.CopyTo(to);
        return new AppDatabase(Path.Combine(_folder, "kumiko.db"));
    }

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    private static string[] Queries(string address) =>
        [
            .. address
                .TrimStart('?')
                .Split('&')
                .Select(p => p.Split('=', 2))
                .Where(p => p[0] is "q" or "c")
                .Select(p => Uri.UnescapeDataString(p[1])),
        ];

    private static void Reads(string query) =>
        Assert.Equal((query, null), (query, QueryParser.Parse(query).Errors.FirstOrDefault()?.Message));

    [Fact]
    public void All_that_was_kept_before_reads_today()
    {
        using var database = Sample();
        using var connection = database.Database.Read();
        string[] All(string sql)
        {
            using var command = connection.CreateCommand();
            command.CommandText = sql;
            using var reader = command.ExecuteReader();
            var rows = new List<string>();
            while (reader.Read())
                rows.Add(reader.GetString(0));
            return [.. rows];
        }

        Assert.Equal(
            "service = gate-control \"every 5m\" | group count() as n, per_second() as r by terminal per 5m | highest 2 terminal by n with rest",
            All("SELECT query FROM kept_search WHERE kind = 'search'").Single()
        );
        Assert.Equal(
            All("SELECT query FROM kept_search WHERE kind = 'search'"),
            Queries(All("SELECT address FROM kept_search WHERE kind = 'search'").Single())
        );
        // Two that came to be the same query are one, the later.
        Assert.Equal(
            "from metrics name = skerry.notices.arrived | group growth(value) by host per 10m | limit 1 for each host",
            All("SELECT query FROM asked_search").Single()
        );
        Assert.Equal("3", All("SELECT CAST(times AS TEXT) FROM asked_search").Single());
        foreach (
            var address in All(
                "SELECT address FROM kept_search WHERE kind = 'chart' UNION ALL SELECT address FROM frozen_result WHERE kind = 'chart'"
            )
        )
        {
            var board = JsonDocument.Parse(Queries(address).Single()).RootElement;
            Assert.Equal(
                [
                    "from metrics name = skerry.notices.arrived | group growth(value) per auto",
                    "service = gate-control | group per_second() per 5m",
                    "notices / scans",
                ],
                board.GetProperty("series").EnumerateArray().Select(s => s.GetProperty("text").GetString()!)
            );
            Assert.Equal("refused | group count() per 5m", board.GetProperty("records").GetString());
        }
        foreach (
            var query in All(
                "SELECT query FROM kept_search UNION ALL SELECT query FROM asked_search UNION ALL SELECT good FROM objective UNION ALL SELECT total FROM objective UNION ALL SELECT follow_up FROM rule"
            )
        )
            Reads(query);
        foreach (var query in All("SELECT json_extract(brief, '$.Differences.Of') FROM alert WHERE brief IS NOT NULL"))
            Reads(query);
        Assert.DoesNotContain(All("SELECT definition FROM rule UNION ALL SELECT definition FROM alert"), d =>
            d.Contains("lookBack") || d.Contains("\"interval\"")
        );
    }

    [Fact]
    public void Rules_alerts_and_frozen_answers_say_what_they_said()
    {
        using var database = Sample();
        var rules = new RuleStore(database, TimeProvider.System);
        Assert.Equal(17, rules.Rules().Count);
        foreach (var rule in rules.Rules())
            Assert.Empty(rule.Definition.Faults());
        var handshakes = rules.Rules().Single(r => r.Name.StartsWith("Handshakes"));
        Assert.Equal(
            "from metrics name = skerry.payment.handshake.failures | group growth(value) by host | highest 3 host by `growth(value)`",
            ((ValueOf)handshakes.Definition.Quantity).Query
        );
        Assert.Equal((5 * 60_000_000_000, 60_000_000_000), (handshakes.Definition.InTheLast, handshakes.Definition.CheckedEvery));
        Assert.Equal("service = payment-bridge | group per_second() by host per 1m", handshakes.FollowUp);
        var searches = new SearchStore(database, TimeProvider.System);
        var (search, rows) = searches.FindFrozen("aaaaaaaaaaaa")!.Value;
        using var lines = new StreamReader(new GZipStream(new MemoryStream(rows), CompressionMode.Decompress));
        Assert.Equal(["time", "per_second()", "growth(value)"], JsonSerializer.Deserialize<string[]>(lines.ReadLine()!)!);
        Assert.Equal(
            "from metrics name = skerry.notices.arrived | group growth(value) by host per 10m | limit 1 for each host",
            search.Title
        );
        var (_, picture) = searches.FindFrozen("bbbbbbbbbbbb")!.Value;
        using var chart = new StreamReader(new GZipStream(new MemoryStream(picture), CompressionMode.Decompress));
        Assert.Contains("group growth(value) per auto", chart.ReadToEnd());
    }

    [Theory]
    [InlineData("| group count() every 5m", "| group count() per 5m")]
    [InlineData("| group count() by every_day EVERY auto", "| group count() by every_day per auto")]
    [InlineData(
        "every 5m top 3 by n | group count() -- every 5m\n every 1h",
        "every 5m top 3 by n | group count() -- every 5m\n per 1h"
    )]
    [InlineData("\"| top 3\" | top 3 host by n", "\"| top 3\" | highest 3 host by n")]
    [InlineData("body ~ /a|top 3|rate()/ | limit 2 by host, x", "body ~ /a|top 3|rate()/ | limit 2 for each host, x")]
    [InlineData(
        "| set a = if(x / 2 > 1, rate, \"every 5m\") | group increase(a), rate( ) by x every 1m",
        "| set a = if(x / 2 > 1, rate, \"every 5m\") | group growth(a), per_second( ) by x per 1m"
    )]
    [InlineData(
        "| set rate = extract(body, /rate() every/) | select rate",
        "| set rate = extract(body, /rate() every/) | select rate"
    )]
    [InlineData(
        "with a = (refused | group rate() as r every 5m), b = 3 from a | join b on time | limit 1 by time",
        "with a = (refused | group per_second() as r per 5m), b = 3 from a | join b on time | limit 1 for each time"
    )]
    [InlineData("(top or every) | group count() by per", "(top or every) | group count() by `per`")]
    [InlineData("| order by `increase(value)` desc, `rate()`", "| order by `growth(value)` desc, `per_second()`")]
    [InlineData("| order by by_rate | set top = 1", "| order by by_rate | set top = 1")]
    [InlineData("\"not closed every 5m", "\"not closed every 5m")]
    [InlineData("", "")]
    public void The_former_grammar_is_told_in_the_words_of_today(string before, string today)
    {
        Assert.Equal(today, FormerGrammar.Today(before));
        Assert.Equal(today, FormerGrammar.Today(today));
    }

    [Fact]
    public void A_query_of_today_is_no_other_afterwards_and_no_text_is_too_odd() =>
        Gen.Select(QueryGen.Query, QueryGen.Noise)
            .Sample(
                (query, noise) =>
                {
                    var printed = QueryPrinter.Print(query);
                    Assert.Equal(printed, QueryPrinter.Print(QueryParser.Parse(FormerGrammar.Today(printed)).Query));
                    FormerGrammar.Today(noise);
                },
                iter: Cases.Of(2_000)
            );
}
