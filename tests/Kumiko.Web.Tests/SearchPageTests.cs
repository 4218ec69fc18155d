using System.Net;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Records;
using Kumiko.Core.Searches;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests;

/// <summary>Search as its page asks it over HTTP.</summary>
public sealed class SearchPageTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HttpClient _ines = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _ines = await _server.Person();
    }

    public ValueTask DisposeAsync()
    {
        _ines.Dispose();
        return _server.DisposeAsync();
    }

    private async Task Send(params string[] lines)
    {
        using var intake = await _server.Program(TokenPurpose.Intake);
        (
            await intake.PostAsync("/intake/records", new StringContent(string.Join('\n', lines), Encoding.UTF8))
        ).EnsureSuccessStatusCode();
        // The focus ends just before now.
        _server.Clock.Advance(TimeSpan.FromSeconds(1));
    }

    private static string Refusal(int ticket, string terminal = "Tarnhead", string reason = "seat already claimed") =>
        $"{{\"body\":\"ticket SK-{ticket} refused: {reason} after 812ms\",\"level\":\"error\",\"service\":\"gate-control\",\"host\":\"gate-t3\",\"terminal\":\"{terminal}\",\"reason\":\"{reason}\",\"ticket\":\"SK-{ticket}\"}}";

    private static string Text(string html) => WebUtility.HtmlDecode(html);

    private static string Plain(string html) => Regex.Replace(html, "<[^>]*>", "");

    private LogRecord Newest() =>
        _server
            .Get<RecordStore>()
            .Current.NewestFirst(new(0, long.MaxValue), BatchTest.All, null, CancellationToken.None)
            .First();

    private async Task<JsonElement> Json(string url) => JsonDocument.Parse(await _ines.GetStringAsync(url)).RootElement;

    [Fact]
    public async Task Old_words_in_an_address_name_those_of_today_and_one_click_writes_them()
    {
        await Send(Refusal(1));
        const string Old = "refused | group count() as n by terminal every 5m | top 2 terminal by n with rest";
        const string Today = "refused | group count() as n by terminal per 5m | highest 2 terminal by n with rest";
        var page = Text(await _ines.GetStringAsync("/search?q=" + Uri.EscapeDataString(Old)));
        Assert.Contains("“every” is written “per” now.", page);
        Assert.Contains("“top” is written “highest” now.", page);
        var link = Regex.Match(page, """<p class="mend"><a href="([^"]+)">Write it so</a>""").Groups[1].Value;
        Assert.Equal("/search?q=" + Uri.EscapeDataString(Today), link);
        Assert.DoesNotContain("is written", Text(await _ines.GetStringAsync(link)));
        // While it is typed too.
        Assert.Equal(
            Today,
            (await Json("/search?handler=Check&q=" + Uri.EscapeDataString(Old))).GetProperty("mended").GetString()
        );
    }

    [Fact]
    public async Task Completion_offers_values_with_their_counts()
    {
        await Send([.. Enumerable.Range(0, 5).Select(i => Refusal(i)), Refusal(9, "Orra", "ticket void")]);
        var found = await Json("/search?handler=Complete&text=reason%20%3D%20&caret=9");
        Assert.Equal(9, found.GetProperty("from").GetInt32());
        Assert.Equal(
            [("seat already claimed", "\"seat already claimed\"", "5"), ("ticket void", "\"ticket void\"", "1")],
            found
                .GetProperty("options")
                .EnumerateArray()
                .Select(o =>
                    (o.GetProperty("label").GetString(), o.GetProperty("apply").GetString(), o.GetProperty("detail").GetString())
                )
        );
        var fields = await Json("/search?handler=Complete&text=term&caret=4");
        Assert.Equal("100%", fields.GetProperty("options")[0].GetProperty("detail").GetString());
        Assert.Equal(
            0,
            (await Json("/search?handler=Complete&caret=7&text=" + new string('x', 20_000)))
                .GetProperty("options")
                .GetArrayLength()
        );
    }

    [Fact]
    public async Task A_word_is_explained_whether_it_is_of_the_language_or_a_field()
    {
        await Send(Refusal(1), Refusal(2, "Orra"));
        Assert.Equal(
            "group aggregates by fields per step",
            (await Json("/search?handler=Help&word=group")).GetProperty("title").GetString()
        );
        Assert.Contains(
            "2 values: Orra, Tarnhead",
            (await Json("/search?handler=Help&word=terminal")).GetProperty("text").GetString()
        );
        Assert.False((await Json("/search?handler=Help&word=nonsense")).TryGetProperty("title", out _));
    }

    [Theory]
    [InlineData("yesterday 5:30 to 7:00", true, "1 h 30 min")]
    [InlineData("last 15m", true, "to now")]
    [InlineData("soon", false, "Not a time yet")]
    public async Task A_typed_time_is_understood_before_it_is_set(string typed, bool understood, string says)
    {
        var answer = await Json("/search?handler=When&when=" + Uri.EscapeDataString(typed));
        Assert.Equal(understood, answer.GetProperty("understood").GetBoolean());
        Assert.Contains(says, answer.GetProperty("text").GetString()!.Replace('\u2009', ' '));
    }

    [Fact]
    public async Task The_menu_of_a_marked_text_writes_query_text_and_counts_by_the_field_that_holds_it()
    {
        await Send(Refusal(40417));
        var menu = Text(await _ines.GetStringAsync($"/search?handler=Menu&q=refused&text=Tarnhead&record={Newest().Id}"));
        Assert.Contains("href=\"/search?q=refused%20and%20Tarnhead\">Only this", menu);
        Assert.Contains("q=refused%20and%20not%20Tarnhead\">Without this", menu);
        Assert.Contains("target=\"_blank\"", menu);
        Assert.Contains("Count by terminal", menu);
        var stretch = Text(await _ines.GetStringAsync("/search?handler=Menu&text=" + Uri.EscapeDataString("seat already <b>")));
        Assert.Contains("q=%22seat%20already%20%3Cb%3E%22\">Only this", stretch);
        Assert.DoesNotContain("<b>", await _ines.GetStringAsync("/search?handler=Menu&text=" + Uri.EscapeDataString("seat <b>")));
        Assert.Contains("up to 500", await _ines.GetStringAsync("/search?handler=Menu&text=" + new string('x', 600)));
    }

    [Fact]
    public async Task The_menu_of_a_legend_entry_and_of_a_bar_write_query_text_and_time()
    {
        await Send(Refusal(1));
        var legend = Text(
            await _ines.GetStringAsync(
                "/search?handler=Menu&q=refused%0A%7C%20group%20count()%20by%20terminal&condition="
                    + Uri.EscapeDataString("terminal = Tarnhead")
            )
        );
        Assert.Contains("terminal%20%21%3D%20Tarnhead", legend);
        Assert.Contains("q=refused%20and%20terminal%20%3D%20Tarnhead\">Its records", legend);
        var bar = Text(
            await _ines.GetStringAsync("/search?handler=Menu&q=refused&start=1795449600000000000&end=1795453200000000000")
        );
        Assert.Contains("from=2026-11-23T16%3A00%3A00Z&to=2026-11-23T17%3A00%3A00Z\">Only this", bar);
        Assert.Contains("Compare with this", bar);
        Assert.Contains(
            "no condition",
            await _ines.GetStringAsync("/search?handler=Menu&condition=" + Uri.EscapeDataString("| limit 3"))
        );
        Assert.Contains("nothing to point at", await _ines.GetStringAsync("/search?handler=Menu"));
    }

    [Fact]
    public async Task Around_a_record_stand_its_neighbours_with_the_query_set_off_and_not_applied()
    {
        for (var i = 0; i < 6; i++)
            await Send(
                Refusal(i),
                $"{{\"body\":\"gate opened {i}\",\"host\":\"gate-t3\"}}",
                "{\"body\":\"elsewhere\",\"host\":\"kiosk-m1\"}"
            );
        var record = _server
            .Get<RecordStore>()
            .Current.OldestFirst(new(0, long.MaxValue), BatchTest.All, null, CancellationToken.None)
            .First(r => r.Body.Contains("SK-3", StringComparison.Ordinal));
        var page = Text(await _ines.GetStringAsync($"/search/around?q=refused&id={record.Id}"));
        Assert.Contains("gate opened 2", Plain(page));
        Assert.Contains("gate opened 4", Plain(page));
        Assert.DoesNotContain("elsewhere", page);
        Assert.Equal(6, Regex.Count(page, "class=\"record meets\""));
        Assert.Contains("elsewhere", await _ines.GetStringAsync($"/search/around?q=refused&id={record.Id}&of=all"));
        Assert.Contains(
            "Nothing stands before",
            Text(await _ines.GetStringAsync($"/search/around?id={record.Id}&handler=Before&edge=0.0"))
        );
        Assert.Equal(HttpStatusCode.NotFound, (await _ines.GetAsync("/search/around?id=5.5")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _ines.GetAsync("/search/around?id=nonsense")).StatusCode);
    }

    [Fact]
    public async Task A_search_is_kept_with_its_time_shared_edited_copied_deleted_and_brought_back()
    {
        await Send(Refusal(1));
        var made = await Posted(
            _ines,
            "?q=refused&cols=terminal&marks=0void&from=2026-11-22T05%3A30%3A00Z&to=2026-11-22T07%3A00%3A00Z",
            [("name", "morning refusals"), ("tags", "Gates, boarding"), ("withTime", "true"), ("shared", "true")]
        );
        Assert.Contains("kept=", made.Headers.Location!.ToString());
        Assert.Contains("Kept as “morning refusals”", Text(await _ines.GetStringAsync(made.Headers.Location)));
        await Posted(_ines, "?q=void", [("name", "mine alone")]);

        using var tomas = await _server.Person();
        var theirs = Text(await tomas.GetStringAsync("/searches"));
        Assert.Contains(
            "/search?q=refused&from=2026-11-22T05%3A30%3A00Z&to=2026-11-22T07%3A00%3A00Z&cols=terminal&marks=0void",
            theirs
        );
        Assert.Contains("#gates", theirs);
        Assert.DoesNotContain("mine alone", theirs);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await RunningServer.Post(tomas, "/searches?handler=Remove", ("id", "1"), ("kind", "kept"))).StatusCode
        );

        await RunningServer.Post(
            _ines,
            "/searches?handler=Change",
            ("id", "1"),
            ("name", "refusals at dawn"),
            ("query", "refused and terminal = Tarnhead"),
            ("tags", "gates"),
            ("shared", "true")
        );
        Assert.Contains(
            "q=refused%20and%20terminal%20%3D%20Tarnhead&from=2026-11-22T05",
            Text(await tomas.GetStringAsync("/searches"))
        );
        var wrong = await RunningServer.Post(
            _ines,
            "/searches?handler=Change",
            ("id", "1"),
            ("name", "x"),
            ("query", "level >=")
        );
        Assert.Contains("The query has an error", Text(await _ines.GetStringAsync(wrong.Headers.Location!.ToString())));
        // A sentence is one person's, and none comes from an address.
        Assert.DoesNotContain("The query has an error", Text(await tomas.GetStringAsync(wrong.Headers.Location!.ToString())));
        foreach (var page in new[] { "/searches", "/charts" })
            Assert.DoesNotContain("send your password", await tomas.GetStringAsync(page + "?problem=send%20your%20password"));
        await RunningServer.Post(tomas, "/searches?handler=Copy", ("id", "1"));
        Assert.Contains("refusals at dawn, copy", Text(await tomas.GetStringAsync("/searches")));
        Assert.DoesNotContain("copy", Text(await _ines.GetStringAsync("/searches?find=dawn")).Split("<table")[1]);

        var gone = await RunningServer.Post(_ines, "/searches?handler=Remove", ("id", "1"), ("kind", "kept"));
        Assert.Contains("Undo", await _ines.GetStringAsync(gone.Headers.Location));
        Assert.DoesNotContain("refusals at dawn<", Text(await _ines.GetStringAsync("/searches")));
        await RunningServer.Post(_ines, "/searches?handler=Remove", ("id", "1"), ("kind", "kept"), ("back", "true"));
        Assert.Contains("refusals at dawn<", Text(await _ines.GetStringAsync("/searches")));
    }

    private static async Task<HttpResponseMessage> Posted(HttpClient client, string address, (string, string)[] more)
    {
        var page = await client.GetStringAsync("/search");
        var token = Regex.Match(page, "name=\"__RequestVerificationToken\"[^>]*value=\"([^\"]+)\"").Groups[1].Value;
        return await client.PostAsync(
            "/searches?handler=Keep",
            new FormUrlEncodedContent([
                .. more.Append(("address", address))
                    .Append(("__RequestVerificationToken", token))
                    .Select(f => KeyValuePair.Create(f.Item1, f.Item2)),
            ])
        );
    }

    [Fact]
    public async Task A_viewer_keeps_nothing_and_a_search_without_a_name_is_refused_in_words()
    {
        using var viewer = await _server.Person(Role.Viewer);
        Assert.Equal(HttpStatusCode.Forbidden, (await Posted(viewer, "?q=refused", [("name", "x")])).StatusCode);
        Assert.Contains("Only analysts", await viewer.GetStringAsync("/search?q=refused"));
        Assert.Contains(
            "Give it a name",
            Text(await _ines.GetStringAsync((await Posted(_ines, "?q=refused", [("name", " ")])).Headers.Location!.ToString()))
        );
    }

    [Fact]
    public async Task A_frozen_answer_stays_as_it_was()
    {
        await Send(Refusal(1), Refusal(2, "Orra"));
        async Task<Uri> Freeze(string address)
        {
            var token = Regex
                .Match(await _ines.GetStringAsync("/search"), "name=\"__RequestVerificationToken\"[^>]*value=\"([^\"]+)\"")
                .Groups[1]
                .Value;
            return (
                await _ines.PostAsync(
                    "/searches?handler=Freeze",
                    new FormUrlEncodedContent([
                        KeyValuePair.Create("address", address),
                        KeyValuePair.Create("name", ""),
                        KeyValuePair.Create("__RequestVerificationToken", token),
                    ])
                )
            )
                .Headers
                .Location!;
        }
        var (records, groups) = (
            await Freeze("?q=refused"),
            await Freeze("?q=" + Uri.EscapeDataString("refused\n| group count() as n by terminal"))
        );
        await Send(Refusal(3));
        var page = Text(await _ines.GetStringAsync(records));
        Assert.Contains("ticket SK-2 refused", page);
        Assert.DoesNotContain("SK-3", page);
        Assert.Contains("Ask it again", page);
        Assert.Matches("(?s)terminal.*Orra.*1", Text(await _ines.GetStringAsync(groups)));
        Assert.Contains("refused", Text(await _ines.GetStringAsync("/searches?tab=frozen")));
        Assert.Equal(HttpStatusCode.NotFound, (await _ines.GetAsync("/frozen/nonsense")).StatusCode);
        Assert.Contains("/signin", (await _server.Stranger().GetAsync(records)).Headers.Location!.ToString());
    }

    [Fact]
    public async Task What_was_asked_is_remembered_for_the_person_alone()
    {
        await _ines.GetStringAsync("/search?q=refused%20and%20void");
        await _ines.GetStringAsync("/search?q=level%20%3E%3D");
        Assert.Contains("refused and void", await _ines.GetStringAsync("/searches?tab=asked"));
        Assert.DoesNotContain("level &gt;=", (await _ines.GetStringAsync("/searches?tab=asked")).Split("<table")[1]);
        using var tomas = await _server.Person();
        Assert.DoesNotContain("refused and void", await tomas.GetStringAsync("/searches?tab=asked"));
        await RunningServer.Post(_ines, "/searches?tab=asked&handler=Forget");
        Assert.DoesNotContain("refused and void", await _ines.GetStringAsync("/searches?tab=asked"));
    }

    [Fact]
    public async Task Anything_is_found_by_a_part_of_its_name()
    {
        await Send(Refusal(1));
        await Posted(_ines, "?q=refused", [("name", "gate refusals")]);
        var found = Text(await _ines.GetStringAsync("/find?what=gate"));
        foreach (var thing in new[] { "gate refusals", "gate-control", "gate-t3" })
            Assert.Contains(thing, found);
        Assert.Contains("count by it", await _ines.GetStringAsync("/find?what=termi"));
        Assert.Contains("Alerts", await _ines.GetStringAsync("/find?what="));
        Assert.DoesNotContain("<script", await _ines.GetStringAsync("/find?what=" + Uri.EscapeDataString("<script>\"' | ~")));
    }

    [Fact]
    public async Task Baselines_are_chosen_in_the_address_and_nonsense_is_told()
    {
        await Send(Refusal(1));
        Assert.Contains("vs the stretch before", await _ines.GetStringAsync("/search?base=before"));
        Assert.Contains("no baseline", await _ines.GetStringAsync("/search?base=none"));
        Assert.Contains("vs host != gate-t3", Text(await _ines.GetStringAsync("/search?base=set%3Ahost%20%21%3D%20gate-t3")));
        Assert.Contains("There is no baseline “soon”", Text(await _ines.GetStringAsync("/search?base=soon")));
        Assert.Contains(
            "base=set%3Ahost%20%21%3D%20gate-t3",
            (await _ines.GetAsync("/search?base-set=host%20%21%3D%20gate-t3")).Headers.Location!.ToString()
        );
        Assert.Contains(
            "no condition that chooses records",
            await _ines.GetStringAsync("/search?base-set=" + Uri.EscapeDataString("| limit 3"))
        );
    }

    [Fact]
    public async Task Parts_of_a_page_link_to_the_same_relative_time_and_read_the_same_stretch()
    {
        await Send(Refusal(1), Refusal(2, "Orra"));
        var page = Text(await _ines.GetStringAsync("/search?q=refused&from=-1h&to=now"));
        var part = Regex.Match(page, "data-fragment=\"([^\"]+)\"").Groups[1].Value;
        _server.Clock.Advance(TimeSpan.FromHours(2));
        await Send(Refusal(3));
        var fields = Text(await _ines.GetStringAsync(part + "&handler=Fields"));
        Assert.Contains("q=refused%20and%20terminal%20%3D%20Orra&from=-1h&to=now\"", fields);
        Assert.DoesNotContain("zone=", fields);
        Assert.Contains("2 records", Text(await _ines.GetStringAsync(part + "&handler=Counts")));
        Assert.Contains("value=\"last 1h\"", Text(await _ines.GetStringAsync(part + "&handler=Strip")));
    }

    [Fact]
    public async Task Changes_stand_on_the_strip_and_can_be_asked_for()
    {
        await Send(Refusal(1));
        await _server
            .Get<ChangeStore>()
            .Add(
                new Change(
                    "1",
                    Instants.FromDateTime(_server.Clock.GetUtcNow().AddMinutes(-5)),
                    "gate <firmware>",
                    "Tarnhead",
                    "7.2",
                    "7.3",
                    "release desk"
                )
            );
        var page = await _ines.GetStringAsync("/search");
        Assert.Contains("class=\"change\"", page);
        Assert.DoesNotContain("<firmware>", page);
        Assert.Contains("release desk", await _ines.GetStringAsync("/search?q=from%20changes"));
    }

    [Fact]
    public async Task Bodies_of_a_megabyte_and_records_of_a_thousand_fields_stay_readable()
    {
        await Send(
            $"{{\"body\":\"<img src=x> {new string('é', 500_000)} \\u202e end\"}}",
            "{\"body\":\"many\"," + string.Join(',', Enumerable.Range(0, 250).Select(i => $"\"field{i:0000}\":\"<em>{i}\"")) + "}"
        );
        var page = await _ines.GetStringAsync("/search");
        Assert.True(page.Length < 1_000_000, page.Length.ToString(System.Globalization.CultureInfo.InvariantCulture));
        Assert.DoesNotContain("<img src=x>", page);
        Assert.DoesNotContain("<em>", page);
        foreach (
            var record in _server
                .Get<RecordStore>()
                .Current.NewestFirst(new(0, long.MaxValue), BatchTest.All, null, CancellationToken.None)
                .ToList()
        )
        {
            var unfolded = await _ines.GetStringAsync($"/search?handler=Record&id={record.Id}");
            Assert.DoesNotContain("<em>", unfolded);
            Assert.DoesNotContain("\u202e", unfolded);
            Assert.True(unfolded.Length < 2_000_000);
            Assert.Equal(HttpStatusCode.OK, (await _ines.GetAsync($"/search/around?of=all&id={record.Id}")).StatusCode);
        }
        var fields = await _ines.GetStringAsync("/search?handler=Fields");
        Assert.Contains("more fields; search to see them", fields);
        Assert.Contains("data-field=\"field0249\"", fields);
    }

    [Fact]
    public async Task One_field_tells_its_numbers_and_its_rarest()
    {
        await Send([.. Enumerable.Range(1, 60).Select(i => $"{{\"body\":\"x\",\"wait\":{i * 10},\"kind\":\"k{i % 20}\"}}")]);
        var wait = Text(await _ines.GetStringAsync("/search?handler=Field&name=wait"));
        Assert.Contains("class=\"bin\"", wait);
        Assert.Contains("median 300", wait);
        Assert.Contains("data-field=\"wait\"", wait);
        Assert.Contains("Rarest", await _ines.GetStringAsync("/search?handler=Field&name=kind"));
        Assert.Contains("No record here has it", await _ines.GetStringAsync("/search?handler=Field&name=nothing"));
    }

    [Fact]
    public async Task Numbers_beside_lines_are_links_to_exactly_those_records()
    {
        await Send([
            .. Enumerable.Range(0, 4).Select(i => Refusal(i)),
            Refusal(7, "Orra", "void"),
            "{\"body\":\"seat refused\"}",
        ]);
        var counts = Text(
            await _ines.GetStringAsync(
                "/search?handler=Counts&q="
                    + Uri.EscapeDataString(
                        "refused\n| parse body as \"ticket {t} refused: {why} after {took:duration}\"\n| where terminal = Orra"
                    )
            )
        );
        foreach (
            var (href, number) in Regex
                .Matches(counts, "<a href=\"(/search[^\"]*)\" title=\"Exactly these records\">(\\d+)</a>")
                .Select(m => (m.Groups[1].Value, m.Groups[2].Value))
        )
        {
            var there = Text(await _ines.GetStringAsync(href));
            if (!href.Contains("parse", StringComparison.Ordinal) || href.Contains("where", StringComparison.Ordinal))
                Assert.Contains($"<strong id=\"total\">{number} record", there);
        }
        Assert.Contains("5 fit", Plain(counts));
        var others = Regex.Match(counts, "<a href=\"(/search[^\"]*)\"[^>]*>others</a>").Groups[1].Value;
        Assert.Contains("<strong id=\"total\">1 record<", Text(await _ines.GetStringAsync(others)));
    }
}
