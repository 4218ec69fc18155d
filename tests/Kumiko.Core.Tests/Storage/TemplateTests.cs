using System.Text;
using CsCheck;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Tests.Storage;

public sealed class TemplateTests
{
    private readonly TemplateMiner _miner = new();

    private Template Find(string body, string service = "gate-control", long time = 1) =>
        Find(_miner, body, out _, service, time);

    private static Template Find(
        TemplateMiner miner,
        string body,
        out string rebuilt,
        string service = "gate-control",
        long time = 1
    )
    {
        var (bytes, gaps) = (Encoding.UTF8.GetBytes(body), new List<Slice>());
        var template = miner.Find(service, bytes, time, gaps);
        var parts = Encoding.UTF8.GetString(template.Key).Split('\0');
        var text = new StringBuilder(parts[0]);
        for (var i = 0; i < gaps.Count; i++)
            text.Append(Encoding.UTF8.GetString(gaps[i].Of(bytes))).Append(parts[i + 1]);
        Assert.Equal(template.Gaps, gaps.Count);
        rebuilt = text.ToString();
        return template;
    }

    private static TemplateMiner Reloaded(TemplateMiner miner)
    {
        var again = new TemplateMiner();
        again.Load(miner.Unsaved());
        return again;
    }

    [Theory]
    [InlineData(
        "ticket SK-40417-B refused: seat already claimed after 812ms",
        "ticket {} refused: seat already claimed after {}"
    )]
    [InlineData("10.20.3.4:8080 closed after 3.5s.", "{} closed after {}.")]
    [InlineData("level -5 (was -4)", "level {} ({})")]
    [InlineData("no numbers at all", "no numbers at all")]
    [InlineData("user=ines id=7f", "user={} id={}")]
    [InlineData("", "")]
    [InlineData("naïve gate 3 öffnet", "naïve gate {} öffnet")]
    [InlineData("left (by name) at 5", "left (by name) at {}")]
    [InlineData("cron 12:30:55 at fe80::1 and 0a:1b:2c:3d:4e:5f", "cron {} at {} and {}")]
    [InlineData("wrote /var/log/ledger.log, then C:\\temp\\x and https://skerry.example/a?b=c.", "wrote {}, then {} and {}.")]
    [InlineData("said \"gate open\" and 'seat taken' but don't", "said \"{}\" and '{}' but don't")]
    [InlineData(
        "{\"level\":\"info\",\"msg\":\"gate opened\",\"door\":true,\"at\":[1,2]}",
        "{\"level\":\"{}\",\"msg\":\"gate opened\",\"door\":{},\"at\":[{}]}"
    )]
    [InlineData("level=info msg=\"gate opened\" took=5ms tags=[a, b]", "level={} msg=\"gate opened\" took={} tags={}")]
    [InlineData("boarding at Tarnhead by Oluchi Brandt. Done", "boarding at {} by {}. Done")]
    [InlineData("seats 12A, 13B, 14 and Hollin, Tarnhead", "seats {} and {}")]
    [InlineData("claim failed on HS-0710\n   at Ledger.Claim()\n   at Worker.Run()", "claim failed on {}\n{}")]
    [InlineData("key SHA256:ab/c+d= for ines@skerry.example", "key {} for {}")]
    [InlineData("libfoo:amd64 from main/web in p95=3", "{} from main/web in p95={}")]
    [InlineData("refund paid (after 3 days).", "refund paid ({}).")]
    public void What_is_a_variable_by_its_spelling_is_a_gap(string body, string template) =>
        Assert.Equal(template, Find(body).ToString());

    [Fact]
    public void Every_body_can_be_rebuilt_from_its_template_and_gaps()
    {
        var words = Gen.OneOf(
            "gate",
            "opened",
            "Tarnhead",
            "x1",
            "-5",
            "412ms",
            "=",
            ":",
            "",
            "--",
            "é",
            "\u0000",
            "(7)",
            "'a",
            "\"",
            "(b",
            "c)",
            "d=[",
            "]",
            "/e",
            "http://f",
            "msg=",
            "{\"g\":",
            "Hollin",
            ",",
            "a-b",
            "-a",
            "12.",
            "…"
        );
        Gen.Select(words.Array[0, 12], Gen.OneOf(" ", "", "\n", " -"))
            .List[1, 40]
            .Sample(
                bodies =>
                {
                    var miner = new TemplateMiner();
                    foreach (var body in bodies.Select(b => string.Join(b.Item2, b.Item1)))
                    {
                        Find(miner, body, out var rebuilt);
                        Assert.Equal(body, rebuilt);
                    }
                    var again = Reloaded(miner);
                    foreach (var body in bodies.Select(b => string.Join(b.Item2, b.Item1)))
                    {
                        var (before, after) = (Find(miner, body, out _), Find(again, body, out var rebuilt));
                        // A key that is cut otherwise than its body gets another template, which is of the same pattern.
                        if (before.IsOdd)
                            Assert.Equal(before.Key, after.Key);
                        else
                            Assert.Equal(before.Id, after.Id);
                        Assert.Equal(body, rebuilt);
                    }
                },
                iter: Cases.Of(300)
            );
    }

    [Fact]
    public void Eight_that_differ_in_one_word_become_one_whose_ids_lead_to_it()
    {
        var names = new[] { "ines", "mirek", "tove", "sanna", "aldo", "petra", "juno", "kasper" };
        var before = names.SkipLast(1).Select(n => Find($"user {n} signed in")).ToList();
        Assert.Equal(7, before.Select(t => t.Id).Distinct().Count());
        var merged = Find("user kasper signed in");
        Assert.Equal("user {} signed in", merged.ToString());
        Assert.All(before, t => Assert.Same(merged, t.Final));
        Assert.Same(merged, Find("user bram signed in"));
        Assert.Same(merged, Find("user 42 signed in"));
        Assert.NotSame(merged, Find("user bram signed out"));
        Assert.Equal(merged.Id, Find(Reloaded(_miner), "user nobody signed in", out _).Id);
    }

    [Fact]
    public void Opposites_stay_apart_and_services_too()
    {
        Assert.NotEqual(Find("gate 3 opened").Id, Find("gate 3 closed").Id);
        Assert.NotEqual(Find("gate 3 opened").Id, Find("gate 3 opened", "seat-ledger").Id);
        Assert.Equal(Find("gate 3 opened").Id, Find("gate 4 opened").Id);
    }

    [Fact]
    public void Two_varying_words_are_both_found()
    {
        var names = Enumerable.Range(0, 12).Select(i => ((char)('a' + i)).ToString()).ToList();
        foreach (var name in names)
        foreach (var place in names)
            Find($"user n{name}x boarded at p{place}y".Replace('x', 'q'));
        Assert.Equal("user {} boarded at {}", Find("user nzz boarded at pzz").ToString());
        Assert.Single(_miner.All);
    }

    [Fact]
    public void The_first_sight_is_the_earliest_and_outlives_merging()
    {
        foreach (var i in Enumerable.Range(0, 8))
            Find($"user {(char)('a' + i)} left", time: 100 - i);
        Assert.Equal(93, Find("user z left", time: 500).FirstSeen);
        Find("user z left", time: 5);
        Assert.Equal(5, Find("user z left", time: 600).FirstSeen);
    }

    [Fact]
    public void Endless_words_stay_within_bounds()
    {
        var random = new Random(1);
        string Word() => new([.. Enumerable.Range(0, random.Next(3, 9)).Select(_ => (char)('a' + random.Next(26)))]);
        for (var i = 0; i < 30_000; i++)
        {
            var body = string.Join(' ', Enumerable.Range(0, random.Next(1, 30)).Select(_ => Word()));
            Find(_miner, body, out var rebuilt, "s" + random.Next(3));
            Assert.Equal(body, rebuilt);
        }
        Assert.InRange(_miner.All.Count(), 1, 3 * TemplateMiner.MostOfService);
        Assert.Equal(0, Find(string.Join(' ', Enumerable.Range(0, 9).Select(_ => Word())), "s1").Id);
        Assert.NotEqual(0, Find("gate 3 opened", "another").Id);
    }

    [Fact]
    public void Endless_services_and_long_bodies_stay_within_bounds()
    {
        for (var i = 0; i < TemplateMiner.MostServices + 3_000; i++)
            Find($"alone in service {(char)('a' + (i % 26))}{(char)('a' + (i / 26 % 26))}", $"service {i}");
        Assert.InRange(_miner.All.Count(), 1, TemplateMiner.MostOfAll);
        Assert.Equal(0, Find(new string('x', TemplateMiner.LongestBody + 1)).Id);
        Assert.Equal(0, Find("a\0b").Id);
        var many = string.Join(' ', Enumerable.Range(0, 1_000).Select(i => i));
        Assert.Equal(BodyTokens.Most + 1, Find(many).Gaps);
    }
}
