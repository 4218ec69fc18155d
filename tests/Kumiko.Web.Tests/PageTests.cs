using System.Net;
using System.Text;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests;

public sealed class PageTests : IAsyncLifetime
{
    private RunningServer _server = null!;

    public async ValueTask InitializeAsync() => _server = await RunningServer.Start();

    public ValueTask DisposeAsync() => _server.DisposeAsync();

    private async Task Send(string body)
    {
        using var intake = await _server.Program(TokenPurpose.Intake);
        await intake.PostAsync("/intake/records", new StringContent(body, Encoding.UTF8));
        // The focus ends just before now.
        _server.Clock.Advance(TimeSpan.FromSeconds(1));
    }

    [Theory]
    [InlineData("/search")]
    [InlineData("/alerts")]
    [InlineData("/rules/new")]
    [InlineData("/nowhere")]
    public async Task Strangers_are_asked_to_sign_in(string path)
    {
        var answer = await _server.Stranger().GetAsync(path);
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        Assert.StartsWith("/signin", answer.Headers.Location!.PathAndQuery);
    }

    [Fact]
    public async Task A_wrong_password_is_told_and_lets_nobody_in()
    {
        var client = _server.Stranger();
        await _server.Get<PeopleStore>().Add("Mirek Dane", "mirek@skerryline.example", Role.Administrator, null);
        foreach (var email in new[] { "mirek@skerryline.example", "nobody@skerryline.example" })
        {
            var answer = await RunningServer.Post(client, "/signin", ("email", email), ("password", ""));
            Assert.Contains("do not belong together", await answer.Content.ReadAsStringAsync());
        }
        Assert.Equal(HttpStatusCode.Redirect, (await client.GetAsync("/search")).StatusCode);
    }

    [Fact]
    public async Task Offered_accounts_exist_only_in_a_demonstration()
    {
        var mirek = await _server.Get<PeopleStore>().Add("Mirek Dane", "mirek@skerryline.example", Role.Administrator, null);
        var client = _server.Stranger();
        var answer = await RunningServer.Post(
            client,
            "/signin?handler=Offered",
            ("id", mirek!.Id.ToString(System.Globalization.CultureInfo.InvariantCulture))
        );
        Assert.Equal(HttpStatusCode.NotFound, answer.StatusCode);
    }

    [Fact]
    public async Task The_first_administrator_comes_by_a_link_that_works_once()
    {
        var key = await _server.Get<LinkStore>().First();
        var client = _server.Stranger();
        var weak = await RunningServer.Post(
            client,
            "/welcome?key=" + key,
            ("key", key),
            ("name", "Mirek Dane"),
            ("email", "mirek@skerryline.example"),
            ("password", "short"),
            ("again", "short")
        );
        Assert.Contains("12 characters", await weak.Content.ReadAsStringAsync());
        var made = await RunningServer.Post(
            client,
            "/welcome?key=" + key,
            ("key", key),
            ("name", "Mirek Dane"),
            ("email", "mirek@skerryline.example"),
            ("password", RunningServer.Password),
            ("again", RunningServer.Password)
        );
        Assert.Equal("/search", made.Headers.Location!.ToString());
        Assert.Contains("Mirek Dane", await client.GetStringAsync("/search"));
        Assert.Contains("has been used", await _server.Stranger().GetStringAsync("/welcome?key=" + key));
        Assert.Contains("has been used", await _server.Stranger().GetStringAsync("/welcome?key=nonsense"));
    }

    [Fact]
    public async Task Markup_and_control_codes_in_records_are_inert_text()
    {
        await Send(
            """{"body":"<script>alert(1)</script> \u001b[31mred \u202eevil","<b>name":"<img src=x onerror=alert(1)>","host":"<i>h"}"""
        );
        using var client = await _server.Person();
        var page = await client.GetStringAsync("/search");
        Assert.Contains("&lt;script&gt;alert(", page);
        Assert.DoesNotContain("<script>alert", page);
        Assert.DoesNotContain("<img src=x", page);
        Assert.DoesNotContain("<i>h", page);
        Assert.DoesNotContain("\u001b", page);
        Assert.DoesNotContain("\u202e", page);
        Assert.Contains("&#x241B;", page, StringComparison.OrdinalIgnoreCase);
    }

    [Fact]
    public async Task Every_page_has_a_policy_without_unsafe_inline_and_no_style_attribute()
    {
        await Send("{\"body\":\"ticket refused\",\"reason\":\"void\"}");
        using var client = await _server.Person();
        foreach (
            var path in new[]
            {
                "/search",
                "/search?q=%7C%20group%20count()%20by%20reason%20per%205m",
                "/alerts",
                "/rules/new?q=refused",
                "/nowhere",
            }
        )
        {
            var answer = await client.GetAsync(path);
            var policy = string.Join(' ', answer.Headers.GetValues("Content-Security-Policy"));
            Assert.DoesNotContain("unsafe", policy);
            Assert.Contains("'nonce-", policy);
            Assert.DoesNotContain("style=\"", await answer.Content.ReadAsStringAsync());
        }
    }

    [Theory]
    [InlineData("q=%00%ff%fe&from=soon&to=%3Cscript%3E&base=moon&span=wide&zone=Nowhere&tab=9&cols=,,%3Cb%3E&at=x.y")]
    [InlineData("from=now&to=-3h&span=0s&at=99999999999999999999.1")]
    [InlineData("from=1678-01-01T00:00:00Z&to=2261-01-01T00:00:00Z")]
    [InlineData("from=-200y&tab=read&tab=line&q=a&q=b")]
    [InlineData("q=%7C%20group%20count()%20per%201ms")]
    [InlineData("q=body%20~%20%2F(a%2B)%2B%24%2F&run=nonsense&now=-5")]
    [InlineData("handler=Rows&below=x&q=(((")]
    [InlineData("handler=Fields&run=%00")]
    [InlineData("handler=Nothing")]
    [InlineData("when=%3Cscript%3E")]
    public async Task Nonsense_in_an_address_is_told_and_never_a_crash(string query)
    {
        await Send("{\"body\":\"ticket refused\"}");
        using var client = await _server.Person();
        var answer = await client.GetAsync("/search?" + query);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.DoesNotContain("<script>", (await answer.Content.ReadAsStringAsync()).Replace("<script src", ""));
    }

    [Fact]
    public async Task A_notice_says_what_of_an_address_was_not_understood()
    {
        using var client = await _server.Person();
        var page = await client.GetStringAsync("/search?from=soon&zone=Nowhere&tab=pie&span=wide&base=moon&at=x");
        foreach (var said in new[] { "soon", "Nowhere", "pie", "wide", "moon", "no record" })
            Assert.Contains(said, page);
    }

    [Fact]
    public async Task A_query_with_an_error_shows_its_place_and_the_page_stands()
    {
        using var client = await _server.Person();
        var page = WebUtility.HtmlDecode(await client.GetStringAsync("/search?q=refused%0A%7C%20wehre%20x"));
        Assert.Contains("Line 2, column 3: There is no stage “wehre”. Did you mean where?", page);
        Assert.Contains("strip-picture", page);
    }

    [Fact]
    public async Task A_query_of_100_000_characters_is_refused_in_words()
    {
        using var client = await _server.Person();
        Assert.Equal(
            HttpStatusCode.RequestUriTooLong,
            (await client.GetAsync("/search?q=" + new string('x', 100_000))).StatusCode
        );
        Assert.Contains(
            "A query can have 16384 characters",
            WebUtility.HtmlDecode(await client.GetStringAsync("/search?q=" + new string('x', 20_000)))
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await client.GetAsync("/search?q=" + Uri.EscapeDataString(string.Join(' ', Enumerable.Repeat("é", 5_000))))
            ).StatusCode
        );
    }

    [Theory]
    [InlineData("refused", HttpStatusCode.OK, "time,level,service,host,body,attributes")]
    [InlineData("%7C%20group%20count()%20per%201ms", HttpStatusCode.BadRequest, "This was not answered")]
    public async Task An_export_is_a_file_and_what_is_refused_is_told_before_it_begins(
        string query,
        HttpStatusCode status,
        string holds
    )
    {
        await Send("{\"body\":\"ticket refused\"}");
        using var client = await _server.Person();
        var answer = await client.GetAsync("/search?handler=Export&format=csv&q=" + query);
        Assert.Equal(status, answer.StatusCode);
        Assert.Equal(
            status == HttpStatusCode.OK ? "attachment" : null,
            answer.Content.Headers.ContentDisposition?.DispositionType
        );
        Assert.Contains(holds, await answer.Content.ReadAsStringAsync());
        Assert.Equal(HttpStatusCode.BadRequest, (await client.GetAsync("/search?handler=Export&format=xml")).StatusCode);
    }

    [Fact]
    public async Task A_viewer_may_look_and_not_keep()
    {
        using var viewer = await _server.Person(Role.Viewer);
        Assert.DoesNotContain("Be told of this", await viewer.GetStringAsync("/search"));
        var refused = await viewer.GetAsync("/rules/new");
        Assert.Equal(HttpStatusCode.Forbidden, refused.StatusCode);
        Assert.Contains("You may not do this", await refused.Content.ReadAsStringAsync());
        Assert.Equal(
            HttpStatusCode.Forbidden,
            (await RunningServer.Post(viewer, "/alerts?handler=Pause", ("id", "1"), ("paused", "true"))).StatusCode
        );
    }

    [Fact]
    public async Task A_form_without_its_token_is_refused()
    {
        using var client = await _server.Person();
        Assert.Equal(HttpStatusCode.BadRequest, (await client.PostAsync("/rules/new", new FormUrlEncodedContent([]))).StatusCode);
    }

    [Fact]
    public async Task A_rule_is_made_shown_changed_and_removed()
    {
        using var client = await _server.Person();
        (string, string)[] form =
        [
            ("Name", "gate refusals"),
            ("Query", "refused"),
            ("Warning", "2"),
            ("Critical", "9"),
            ("InTheLast", "5m"),
            ("CheckedEvery", "1m"),
            ("MailTo", "ines@skerryline.example"),
            ("On", "true"),
        ];
        Assert.Equal("/alerts", (await RunningServer.Post(client, "/rules/new?q=refused", form)).Headers.Location!.ToString());
        var rule = Assert.Single(_server.Get<RuleStore>().Rules());
        Assert.Equal(
            new RuleDefinition
            {
                Quantity = new CountOf("refused"),
                Condition = new Beyond(false, 2, 9),
                InTheLast = 5 * Instants.Minute,
                CheckedEvery = Instants.Minute,
                Zone = rule.Definition.Zone,
            },
            rule.Definition
        );
        Assert.Contains("gate refusals", await client.GetStringAsync("/alerts"));
        form[0] = ("Name", "other");
        await RunningServer.Post(client, $"/rules/{rule.Id}", form);
        Assert.Equal("other", Assert.Single(_server.Get<RuleStore>().Rules()).Name);
        var removed = await RunningServer.Post(client, "/alerts?handler=Remove", ("id", $"{rule.Id}"));
        Assert.Contains("Undo", await client.GetStringAsync(removed.Headers.Location));
        Assert.Empty(_server.Get<RuleStore>().Rules());
    }

    [Theory]
    [InlineData("Warning", "many", "as a number")]
    [InlineData("InTheLast", "soon", "length of time")]
    [InlineData("CheckedEvery", "1s", "Check every 10s to 1d")]
    [InlineData("MailTo", "not an address", "is no mail address")]
    [InlineData("Query", "level >=", "A value is missing")]
    [InlineData("Query", "a | group count()", "before group")]
    [InlineData("Name", "", "Give the rule a name")]
    public async Task A_rule_that_makes_no_sense_is_not_saved(string field, string value, string says)
    {
        using var client = await _server.Person();
        var form = new Dictionary<string, string>
        {
            ["Name"] = "n",
            ["Query"] = "refused",
            ["Warning"] = "2",
            ["Critical"] = "9",
            ["InTheLast"] = "5m",
            ["CheckedEvery"] = "1m",
            ["MailTo"] = "",
        };
        form[field] = value;
        var answer = await RunningServer.Post(client, "/rules/new?q=x", [.. form.Select(f => (f.Key, f.Value))]);
        Assert.Contains(says, WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync()));
        Assert.Empty(_server.Get<RuleStore>().Rules());
    }

    [Fact]
    public async Task Assets_are_inside_and_kept_for_ever()
    {
        var answer = await _server.Stranger().GetAsync("/assets/kumiko.css?v=1");
        Assert.Contains("immutable", answer.Headers.CacheControl!.ToString());
        Assert.Contains("Atkinson", await answer.Content.ReadAsStringAsync());
        foreach (var path in new[] { "/assets/nothing.js", "/assets/%2e%2e/%2e%2e/kumiko.db", "/assets/..%2fkumiko.db" })
            Assert.False((await _server.Stranger().GetAsync(path)).IsSuccessStatusCode);
    }

    [Fact]
    public async Task An_unfolded_record_is_found_by_its_address()
    {
        await Send("{\"body\":\"ticket refused\",\"reason\":\"void\"}");
        var record = _server
            .Get<RecordStore>()
            .Current.NewestFirst(new(0, long.MaxValue), BatchTest.All, null, CancellationToken.None)
            .First();
        using var client = await _server.Person();
        var page = await client.GetStringAsync("/search?at=" + record.Id);
        Assert.Contains("Copy link", page);
        Assert.Contains("Only reason = void", page);
    }

    [Fact]
    public async Task A_damaged_segment_is_told_on_the_page_and_the_rest_is_shown()
    {
        var store = _server.Get<RecordStore>();
        await store.Append(
            [
                new()
                {
                    Time = 1,
                    Observed = 1,
                    Body = "lost",
                    Source = "quay",
                },
            ],
            "quay"
        );
        await store.Upkeep.SealAll();
        await store.Database.Writer.Write(c =>
        {
            using var damage = c.CreateCommand();
            damage.CommandText = "UPDATE segment_column SET content = zeroblob(length(content))";
            return damage.ExecuteNonQuery();
        });
        using (var snapshot = store.Current)
            Assert.Empty(snapshot.OldestFirst(new(0, 2), BatchTest.All, null, CancellationToken.None));
        Assert.True(SpinWait.SpinUntil(() => store.Notices.Count > 0, TimeSpan.FromSeconds(30)));
        using var person = await _server.Person();
        var page = await person.GetStringAsync("/search");
        Assert.Contains("are damaged and were set aside", page);
    }
}
