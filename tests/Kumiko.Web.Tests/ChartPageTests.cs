using System.Net;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Kumiko.Charts;
using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Records;
using Kumiko.Core.Workbench;

namespace Kumiko.Web.Tests;

/// <summary>Charts as their page asks them over HTTP.</summary>
public sealed class ChartPageTests : IAsyncLifetime
{
    private RunningServer _server = null!;
    private HttpClient _ines = null!;

    public async ValueTask InitializeAsync()
    {
        _server = await RunningServer.Start();
        _ines = await _server.Person();
        using var intake = await _server.Program(TokenPurpose.Intake);
        var now = _server.Clock.GetUtcNow();
        var lines = Enumerable
            .Range(0, 240)
            .Select(i =>
                JsonSerializer.Serialize(
                    new
                    {
                        time = now.AddMinutes(-i / 2.0),
                        body = $"ticket {i} refused",
                        service = "gate-control",
                        host = i % 3 == 0 ? "gate-t1" : "gate-h1",
                        level = i % 2 == 0 ? "error" : "info",
                    }
                )
            );
        (
            await intake.PostAsync("/intake/records", new StringContent(string.Join('\n', lines), Encoding.UTF8))
        ).EnsureSuccessStatusCode();
        _server.Clock.Advance(TimeSpan.FromSeconds(1));
    }

    public ValueTask DisposeAsync()
    {
        _ines.Dispose();
        return _server.DisposeAsync();
    }

    private static string At(string path, ChartBoard board, params (string Name, string Value)[] more) =>
        path
        + "?c="
        + Uri.EscapeDataString(board.ToJson())
        + string.Concat(more.Select(m => $"&{m.Name}={Uri.EscapeDataString(m.Value)}"));

    private static readonly ChartBoard Errors = new()
    {
        Title = "Errors at the gates",
        Series =
        [
            new BoardSeries("share", "bad / total") { Unit = "1" },
            new BoardSeries("bad", "level >= error | group count() by host per 5m"),
            new BoardSeries("total", "| group count() by host per 5m") { Hidden = true },
        ],
    };

    private async Task<string> Page(string url) => WebUtility.HtmlDecode(await _ines.GetStringAsync(url));

    /// <summary>The chart after a change, and what the page says was wrong.</summary>
    private async Task<(ChartBoard Board, string? Problem, string Url)> Edit(
        ChartBoard board,
        string act,
        params (string Name, string Value)[] more
    )
    {
        using var request = new HttpRequestMessage(
            HttpMethod.Get,
            At("/charts", board, [("handler", "Edit"), ("act", act), .. more])
        );
        request.Headers.Accept.ParseAdd("application/json");
        var answer = JsonDocument.Parse(await (await _ines.SendAsync(request)).Content.ReadAsStringAsync()).RootElement;
        var url = answer.GetProperty("url").GetString()!;
        var text = Microsoft.AspNetCore.WebUtilities.QueryHelpers.ParseQuery(url[url.IndexOf('?')..])["c"].ToString();
        return (ChartBoard.FromJson(text, out _)!, answer.GetProperty("problem").GetString(), url);
    }

    [Fact]
    public async Task Old_words_of_a_chart_are_written_anew_by_one_click()
    {
        var board = new ChartBoard
        {
            Series =
            [
                new BoardSeries("n", "refused | group count() every 5m"),
                new BoardSeries("m", "refused | group rate() every auto"),
            ],
        };
        var page = WebUtility.HtmlDecode(await _ines.GetStringAsync("/charts?c=" + Uri.EscapeDataString(board.ToJson())));
        Assert.Contains("“every” is written “per” now.", page);
        var link = Regex.Match(page, """<a class="mend" href="([^"]+)">Write it so</a>""").Groups[1].Value;
        var mended = ChartBoard.FromJson(
            Uri.UnescapeDataString(link[(link.IndexOf("c=", StringComparison.Ordinal) + 2)..]),
            out _
        )!;
        Assert.Equal(
            ["refused | group count() per 5m", "refused | group per_second() per auto"],
            mended.Series.Select(s => s.Text)
        );
    }

    [Fact]
    public async Task A_chart_is_drawn_with_a_legend_of_figures_and_attributes()
    {
        var page = await Page(At("/charts", Errors));
        Assert.Contains("<svg", page);
        Assert.Contains("Errors at the gates", page);
        foreach (var host in new[] { "gate-t1", "gate-h1" })
            Assert.Contains($"<td>{host}</td>", page);
        Assert.Contains("vs baseline", await Page(At("/charts", Errors, ("base", "before"), ("from", "-1h"), ("to", "now"))));
        Assert.Contains(
            "No series is shown",
            await Page(At("/charts", Errors with { Series = [Errors.Series[1] with { Hidden = true }] }))
        );
        Assert.Contains("Name a quantity", await Page("/charts"));
    }

    [Fact]
    public async Task An_empty_sheet_offers_what_was_asked_lately_and_what_is_worth_a_look()
    {
        await Page("/search?q=" + Uri.EscapeDataString("level >= error | group count() by host per 5m"));
        await Page("/search?q=" + Uri.EscapeDataString("level = error"));
        var page = await Page("/charts");
        var asked = Regex.Match(page, "(?s)Asked lately.*?</table>").Value;
        Assert.Contains("level >= error | group count() by host per 5m</a>", asked);
        Assert.DoesNotContain(">level = error</a>", asked);
        foreach (
            var (name, series, text) in new[]
            {
                ("Errors by service", "gate-control", "level >= error | group count() by service per auto"),
                ("level >= error | group count() by host per 5m", "gate-h1", "by host per 5m"),
            }
        )
        {
            var link = Regex.Match(page, $"href=\"([^\"]+)\"[^>]*>{Regex.Escape(name)}</a>").Groups[1].Value;
            var chart = await Page(link);
            Assert.DoesNotContain("Name a quantity", chart);
            Assert.Contains(text, chart);
            Assert.Contains($"<td>{series}</td>", chart);
        }
    }

    [Theory]
    [InlineData("Ranking")]
    [InlineData("HeatMap")]
    [InlineData("Single")]
    [InlineData("Scatter")]
    [InlineData("Table")]
    [InlineData("StackedColumn")]
    [InlineData("Donut")]
    [InlineData("Gauge")]
    public async Task Every_form_is_had_as_page_and_file(string form)
    {
        var board = Errors with { Form = ChartForms.Find(form)! };
        Assert.Contains("<svg", await Page(At("/charts", board)));
        Assert.StartsWith("<svg", await _ines.GetStringAsync(At("/charts", board, ("handler", "File"), ("as", "svg"))));
        Assert.Equal(
            "image/png",
            (await _ines.GetAsync(At("/charts", board, ("handler", "File"), ("as", "png"))))
                .Content
                .Headers
                .ContentType!
                .MediaType
        );
        Assert.StartsWith(
            "time,host,share,bad",
            await _ines.GetStringAsync(At("/charts", board, ("handler", "File"), ("as", "csv")))
        );
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await _ines.GetAsync(At("/charts", board, ("handler", "File"), ("as", "exe")))).StatusCode
        );
    }

    [Fact]
    public async Task Changes_of_the_chart_stand_in_its_address()
    {
        var (added, problem, url) = await Edit(Errors, "add", ("kind", "query"));
        Assert.Null(problem);
        Assert.Equal("records", added.Series[^1].Name);
        Assert.Contains("edit=records", url);
        Assert.Equal("share2", (await Edit(Errors, "add", ("kind", "formula"))).Board.Series[^1].Name);
        var (peers, _, _) = await Edit(Errors, "add", ("kind", "peers"), ("of", "bad"), ("key", "host"), ("own", "gate-t1"));
        Assert.Equal(new PeersOf("bad", "host", "gate-t1"), peers.Series[^1].Peers);
        Assert.True(peers.Series[1].Hidden);
        Assert.Equal(
            new EarlierOf("bad", "12h24m", 3),
            (await Edit(Errors, "add", ("kind", "earlier"), ("of", "bad"), ("by", "12h24m"), ("copies", "3")))
                .Board
                .Series[^1]
                .Earlier
        );
        var (saved, _, _) = await Edit(
            Errors,
            "save",
            ("name", "bad"),
            ("called", "failed"),
            ("text", "level >= warn | group count() by host per 5m"),
            ("form", "Area"),
            ("side", "Right"),
            ("slot", "4"),
            ("stroke", "Dashed"),
            ("unit", "s"),
            ("decimals", "2")
        );
        Assert.Equal(
            new BoardSeries("failed", "level >= warn | group count() by host per 5m")
            {
                Form = ChartForms.Area,
                Side = Side.Right,
                Slot = 4,
                Stroke = Stroke.Dashed,
                Unit = "s",
                Decimals = 2,
            },
            saved.Series[1]
        );
        Assert.Equal("failed / total", saved.Series[0].Text);
        Assert.Equal(["bad", "share", "total"], (await Edit(Errors, "up", ("name", "bad"))).Board.Series.Select(s => s.Name));
        Assert.Equal(2, (await Edit(Errors, "remove", ("name", "bad"))).Board.Series.Count);
        var (looked, _, _) = await Edit(
            Errors,
            "look",
            ("title", "Gates"),
            ("form", "HeatMap"),
            ("by", "host"),
            ("scales", "own"),
            ("most", "60"),
            ("choice", "HighestPeak"),
            ("reduce", "Max")
        );
        Assert.Equal(
            ("Gates", ChartForms.HeatMap, "host", true, 60, Choice.HighestPeak, Reduction.Max),
            (looked.Title, looked.Form, looked.MultiplesBy, looked.OwnScales, looked.Most, looked.Choice, looked.Reduce)
        );
        var (axes, _, _) = await Edit(
            Errors,
            "axes",
            ("leftTitle", "share"),
            ("leftScale", "Logarithmic"),
            ("leftMin", "0.1"),
            ("rightTitle", "how many"),
            ("rightZero", "no")
        );
        Assert.Equal(
            (new AxisSpec("share", ScaleKind.Logarithmic, 0.1), new AxisSpec("how many", Zero: false)),
            (axes.Left, axes.Right)
        );
        Assert.Equal(
            "level >= error",
            (await Edit(Errors, "lay", ("records", "level >= error"), ("changeText", ChartBoard.UsualChangeText))).Board.Records
        );
        var (pinned, _, _) = await Edit(Errors, "pin", ("at", "2026-11-23T17:51:00Z"), ("text", "here"));
        Assert.Equal("here", pinned.Pins.Single().Text);
        Assert.Empty((await Edit(pinned, "pin", ("at", "2026-11-23T17:51:00Z"), ("gone", "true"))).Board.Pins);
        // Without script the same leads on.
        Assert.Equal(
            HttpStatusCode.Redirect,
            (await _ines.GetAsync(At("/charts", Errors, ("handler", "Edit"), ("act", "up"), ("name", "bad")))).StatusCode
        );
    }

    [Theory]
    [InlineData("save", "name=bad&called=two words", "no name for a series")]
    [InlineData("save", "name=bad&called=total", "Two series would be called total")]
    [InlineData("save", "name=bad&called=per", "is a word of the language")]
    [InlineData("save", "name=nobody", "no such series")]
    [InlineData("add", "kind=peers&of=bad", "Say which one")]
    [InlineData("add", "kind=earlier&of=bad&by=soon", "no length of time")]
    [InlineData("add", "kind=metric&metric=nothing", "no such metric")]
    [InlineData("lay", "records=level >=", "column")]
    [InlineData("pin", "at=soon", "Pick a moment")]
    [InlineData("axes", "leftMin=x", "no number")]
    [InlineData("axes", "leftMin=3&leftMax=2", "ends above")]
    [InlineData("dance", "", "no such change")]
    public async Task What_cannot_be_is_said_and_nothing_changes(string act, string with, string reason)
    {
        var more = with.Split('&', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => (p[..p.IndexOf('=')], p[(p.IndexOf('=') + 1)..]))
            .ToArray();
        var (board, problem, url) = await Edit(Errors, act, more);
        Assert.Contains(reason, problem);
        Assert.Equal(Errors.ToJson(), board.ToJson());
        Assert.Contains(problem!, await Page(url));
    }

    [Fact]
    public async Task A_mark_leads_to_its_records_with_group_and_step_as_conditions()
    {
        var start = _server.Clock.GetUtcNow().AddMinutes(-30).ToUnixTimeMilliseconds() / 300_000 * 300_000;
        var menu = await Page(
            At(
                "/charts",
                Errors,
                ("handler", "Mark"),
                ("column", "bad"),
                ("condition", "host = gate-t1"),
                ("start", start.ToString(System.Globalization.CultureInfo.InvariantCulture)),
                ("end", (start + 300_000).ToString(System.Globalization.CultureInfo.InvariantCulture))
            )
        );
        foreach (
            var action in new[]
            {
                "Records behind this",
                "What sets it apart",
                "Be told of this…",
                "Compare with the other hosts",
                "Beside itself, earlier…",
                "Pin this moment",
                "Make this the focus",
            }
        )
            Assert.Contains(action, menu);
        var records = System.Text.RegularExpressions.Regex.Match(menu, "href=\"([^\"]+)\">Records behind").Groups[1].Value;
        var query = Microsoft.AspNetCore.WebUtilities.QueryHelpers.ParseQuery(records[records.IndexOf('?')..]);
        Assert.Equal("level >= error and host = gate-t1", query["q"].ToString());
        Assert.Equal(Instants.Format(start * 1_000_000)[..19] + "Z", query["from"].ToString());
        Assert.Matches("<strong id=\"total\">(≥ )?[12] records?", await Page(records));
        // A formula leads to each of its parts, and to what moved it.
        var formula = await Page(
            At("/charts", Errors, ("handler", "Mark"), ("column", "share"), ("start", "0"), ("end", "60000"))
        );
        Assert.Contains("Records behind bad", formula);
        Assert.Contains("Records behind total", formula);
        Assert.Contains("Which part moved", formula);
        var line = await Page(
            At(
                "/charts",
                Errors,
                ("handler", "Mark"),
                ("column", "share"),
                ("condition", "host = gate-t1"),
                ("start", "0"),
                ("end", "60000")
            )
        );
        Assert.Contains("moved=share&moved-of=host%20%3D%20gate-t1", line);
        // One beside its peers stands for itself, and what was drawn earlier was written earlier.
        var compared = Errors with
        {
            Series =
            [
                .. Errors.Series,
                new BoardSeries("peers") { Peers = new PeersOf("bad", "host", "gate-t1") },
                new BoardSeries("day") { Earlier = new EarlierOf("bad", "1d") },
            ],
        };
        var own = await Page(At("/charts", compared, ("handler", "Mark"), ("column", "peers"), ("start", "0"), ("end", "60000")));
        Assert.Contains("host%20%3D%20gate-t1", own);
        var before = await Page(
            At("/charts", compared, ("handler", "Mark"), ("column", "day"), ("start", "86400000"), ("end", "86460000"))
        );
        Assert.Contains("from=1970-01-01T00%3A00%3A00Z", before);
        Assert.DoesNotContain(
            "Be told",
            await (await _server.Person(Role.Viewer)).GetStringAsync(
                At("/charts", Errors, ("handler", "Mark"), ("column", "bad"))
            )
        );
        Assert.DoesNotContain(
            "<script>",
            await _ines.GetStringAsync(
                At("/charts", Errors, ("handler", "Mark"), ("column", "bad"), ("condition", "host = \"<script>\""))
            )
        );
    }

    [Fact]
    public async Task What_moved_a_formula_is_shared_out_among_its_parts()
    {
        var moment = Instants.Format(Instants.FromDateTime(_server.Clock.GetUtcNow().AddHours(-1)))[..17] + "00Z";
        var moved = await Page(At("/charts", Errors, ("handler", "Moved"), ("name", "share"), ("moment", moment)));
        Assert.Contains("data-part=\"bad\"", moved);
        Assert.Contains("data-part=\"total\"", moved);
        // Of one line of it alone, as its mark leads there.
        Assert.Contains(
            "gate-t1: ",
            await Page(
                At(
                    "/charts",
                    Errors,
                    ("handler", "Moved"),
                    ("name", "share"),
                    ("moment", moment),
                    ("condition", "host = gate-t1")
                )
            )
        );
        Assert.Contains(
            "condition=host%20%3D%20gate-t1",
            await Page(At("/charts", Errors, ("moment", moment), ("moved", "share"), ("moved-of", "host = gate-t1")))
        );
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await _ines.GetAsync(At("/charts", Errors, ("handler", "Moved"), ("name", "bad")))).StatusCode
        );
        Assert.Contains(
            "no baseline to compare",
            await Page(At("/charts", Errors, ("handler", "Moved"), ("name", "share"), ("base", "none")))
        );
    }

    [Fact]
    public async Task Two_series_are_correlated_and_metrics_that_are_not_there_are_said()
    {
        Assert.Contains(
            "r = ",
            await Page(At("/charts", Errors, ("handler", "Together"), ("first", "bad"), ("second", "total")))
        );
        Assert.Contains(
            "There is no series x",
            await Page(At("/charts", Errors, ("handler", "Together"), ("first", "x"), ("second", "total")))
        );
        Assert.Contains(
            "No metric has such a name",
            await Page(At("/charts", Errors, ("handler", "MovesWith"), ("name", "bad"), ("of", "nothing.*")))
        );
    }

    [Fact]
    public async Task The_builder_and_the_text_say_the_same()
    {
        var builder = await Page(
            At("/charts", Errors, ("handler", "Builder"), ("text", "level >= error | group p95(wait) by host per 5m"))
        );
        Assert.Contains("value=\"wait\"", builder);
        Assert.Contains("value=\"level >= error\"", builder);
        Assert.Contains(
            "edited as text",
            await Page(At("/charts", Errors, ("handler", "Builder"), ("text", "| group count() per 5m | limit 3")))
        );
        var built = JsonDocument
            .Parse(
                await _ines.GetStringAsync(
                    At(
                        "/charts",
                        Errors,
                        ("handler", "Built"),
                        ("b.what", "wait"),
                        ("b.where", "host = gate-t1"),
                        ("b.function", "max"),
                        ("b.by", "host, level"),
                        ("b.per", "1m")
                    )
                )
            )
            .RootElement;
        Assert.Equal("host = gate-t1 | group max(wait) by host, level per 1m", built.GetProperty("text").GetString());
        Assert.Contains("<svg", await Page(At("/charts", Errors, ("handler", "Preview"), ("what", "host"))));
        Assert.Empty(await Page(At("/charts", Errors, ("handler", "Preview"), ("what", ""))));
    }

    [Fact]
    public async Task Changes_are_told_by_a_template_and_what_is_not_there_is_said()
    {
        await _server
            .Get<ChangeStore>()
            .Add(
                new Change(
                    "x",
                    Instants.FromDateTime(_server.Clock.GetUtcNow().AddMinutes(-40)),
                    "gate firmware",
                    "Tarnhead",
                    "7.2",
                    "7.3",
                    "Oluchi Brandt"
                )
            );
        Assert.Contains("gate firmware 7.2 → 7.3, by Oluchi Brandt", await Page(At("/charts", Errors)));
        Assert.Contains("Tarnhead: gate firmware", await Page(At("/charts", Errors with { ChangeText = "{where}: {what}" })));
        var bare = await Page(At("/charts", Errors with { HidesChanges = true, ShowsLimits = true, Records = "nothing_at_all" }));
        Assert.DoesNotContain("change-line", bare);
        Assert.Contains("no rule counts these records", bare);
        Assert.Contains("none in this stretch", bare);
        Assert.Equal("config → 7", new Change("", 0, "config", "", "", "7", "").By(ChartBoard.UsualChangeText));
        Assert.Equal("restart", new Change("", 0, "restart", "", "", "", "").By(ChartBoard.UsualChangeText));
    }

    private static Core.Rules.RuleDefinition Counting(string query, double? warning, double? critical, long lookBack) =>
        new()
        {
            Quantity = new Core.Rules.CountOf(query),
            Condition = new Core.Rules.Beyond(false, warning, critical),
            InTheLast = lookBack,
        };

    [Fact]
    public async Task Limits_of_rules_on_the_same_records_are_drawn_at_the_length_of_a_step()
    {
        var rules = _server.Get<Core.Rules.RuleStore>();
        await rules.Add(
            new Core.Rules.Rule
            {
                Name = "gate errors",
                Definition = Counting("level >= error", 12, 60, 10 * Instants.Minute),
                Author = 1,
            }
        );
        await rules.Add(
            new Core.Rules.Rule
            {
                Name = "others",
                Definition = Counting("level >= warn", 1, null, Instants.Minute),
                Author = 1,
            }
        );
        var page = await Page(At("/charts", Errors with { ShowsLimits = true }));
        Assert.Contains("gate errors: warning above 12 in 10m", page);
        Assert.Contains("gate errors: critical above 60 in 10m", page);
        Assert.DoesNotContain("others:", page);
        Assert.Contains("2 drawn, brought to the length of a step", page);
    }

    [Fact]
    public async Task The_baseline_stands_behind_by_days_by_the_stretch_before_and_by_a_set()
    {
        foreach (var (baseline, said) in new[] { ("before", "the stretch before"), ("set:host = gate-t1", "host = gate-t1") })
        {
            var page = await Page(
                At(
                    "/charts",
                    Errors with
                    {
                        Series = [new BoardSeries("n", "level >= error | group count() per 5m")],
                    },
                    ("base", baseline),
                    ("from", "-1h"),
                    ("to", "now")
                )
            );
            Assert.Contains(" ghost", page);
            Assert.Contains(said, page);
            Assert.Contains("usually", page);
        }
        Assert.DoesNotContain(" ghost", await Page(At("/charts", Errors, ("base", "none"))));
        // Whoever types a condition on the strip is led to the chart with it.
        Assert.Contains(
            "base=set",
            (await _ines.GetAsync(At("/charts", Errors, ("base-set", "host = gate-t1")))).Headers.Location!.ToString()
        );
        Assert.Contains("is no condition", await Page(At("/charts", Errors, ("base-set", "| group"))));
        Assert.Equal(HttpStatusCode.Redirect, (await _ines.GetAsync(At("/charts", Errors, ("when", "last 2h")))).StatusCode);
        Assert.Contains("That is no time", await Page(At("/charts", Errors, ("when", "sometime"))));
    }

    [Fact]
    public async Task A_chart_is_kept_found_copied_frozen_and_taken_away()
    {
        var kept = await RunningServer.Post(
            _ines,
            "/charts?handler=Keep",
            ("name", "Gate errors"),
            ("note", "by host"),
            ("tags", "Gates"),
            ("shared", "true"),
            ("address", At("", Errors))
        );
        Assert.Contains("kept=1", kept.Headers.Location!.ToString());
        Assert.Contains("Kept as “Gate errors”", await Page(kept.Headers.Location.ToString()));
        Assert.Contains("Gate errors", await Page("/searches?tab=charts"));
        Assert.DoesNotContain("Gate errors", await Page("/searches"));
        var found = await Page("/find?what=gate%20err");
        Assert.Contains("kept chart", found);
        Assert.Contains("/charts?c=", found);
        Assert.Contains("Gate errors", await Page("/charts"));
        await RunningServer.Post(_ines, "/searches?handler=Copy", ("id", "1"));
        Assert.Contains("Gate errors, copy", await Page("/searches?tab=charts"));
        await RunningServer.Post(
            _ines,
            "/searches?handler=Change",
            ("id", "1"),
            ("name", "Errors of gates"),
            ("tags", ""),
            ("note", ""),
            ("query", "ignored")
        );
        Assert.Contains("Errors of gates", await Page("/searches?tab=charts"));
        // Private now: others do not see it.
        using var tomas = await _server.Person();
        Assert.DoesNotContain("Errors of gates", await tomas.GetStringAsync("/searches?tab=charts"));

        var frozen = await RunningServer.Post(
            _ines,
            "/charts?handler=Freeze",
            ("name", "As it was"),
            ("address", At("", Errors))
        );
        var page = await Page(frozen.Headers.Location!.ToString());
        Assert.Contains("<svg", page);
        Assert.Contains("<td class=\"id\">gate-t1</td>", page);
        Assert.Contains("As it was", await tomas.GetStringAsync(frozen.Headers.Location.ToString()));
        Assert.Contains(
            "There is no series to keep",
            await Page(
                (
                    await RunningServer.Post(_ines, "/charts?handler=Keep", ("name", "x"), ("address", ""))
                ).Headers.Location!.ToString()
            )
        );
        using var sunniva = await _server.Person(Role.Viewer);
        Assert.Equal(
            HttpStatusCode.Forbidden,
            (await RunningServer.Post(sunniva, "/charts?handler=Keep", ("name", "x"), ("address", At("", Errors)))).StatusCode
        );
        Assert.Equal(HttpStatusCode.Redirect, (await _server.Stranger().GetAsync("/charts")).StatusCode);
    }

    [Theory]
    [InlineData("nonsense")]
    [InlineData("{\"series\":[{\"name\":\"<script>alert(1)</script>\"}]}")]
    [InlineData("{\"series\":[{\"name\":\"a\",\"text\":\"<script>alert(1)</script>\"}],\"title\":\"<script>\"}")]
    [InlineData("{\"series\":[{\"name\":\"a\",\"peers\":{\"of\":\"a\",\"key\":\"x\",\"own\":\"y\"}}]}")]
    [InlineData("{\"series\":[{\"name\":\"a\",\"earlier\":{\"of\":\"nobody\",\"by\":\"-1d\",\"copies\":900}}]}")]
    [InlineData("{\"series\":[{\"name\":\"a\",\"earlier\":{\"of\":null,\"by\":null}}]}")]
    [InlineData("{\"series\":[{\"name\":\"a\",\"peers\":{\"of\":null,\"key\":null,\"own\":null}}]}")]
    [InlineData(
        "{\"series\":[{\"name\":\"a\",\"text\":\"| group count() per 1ms\"}],\"most\":999999,\"multiplesBy\":\"nothing\"}"
    )]
    [InlineData(
        "{\"series\":[{\"name\":\"a\",\"text\":\"| group count() by host per 5m\",\"slot\":99}],\"pins\":[{\"at\":-9223372036854775808,\"text\":\"x\"}],\"changeText\":\"{who}{who}{nobody}\"}"
    )]
    [InlineData(
        "{\"series\":[{\"name\":\"a\",\"text\":\"| group count() per 5m\"}],\"left\":{\"min\":5,\"max\":-5,\"scale\":\"logarithmic\"},\"pins\":[{\"at\":0,\"text\":null}]}"
    )]
    public async Task A_hostile_address_is_answered_with_a_page(string board)
    {
        var answer = await _ines.GetAsync("/charts?c=" + Uri.EscapeDataString(board));
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.DoesNotContain("<script>alert", await answer.Content.ReadAsStringAsync());
        foreach (
            var handler in new[]
            {
                "File&as=svg",
                "Mark&column=a",
                "Moved&name=a",
                "Together&first=a&second=a",
                "MovesWith&name=a&of=x",
                "Builder&text=a",
                "Preview&what=a",
            }
        )
            Assert.True(
                (int)(await _ines.GetAsync($"/charts?handler={handler}&c={Uri.EscapeDataString(board)}")).StatusCode < 500,
                handler
            );
    }

    [Fact]
    public async Task A_join_shows_each_part_what_found_no_partner_and_what_is_usual()
    {
        const string Query =
            "with bad = (level >= error | group count() as n by host per 5m), least = 0\n| group count() as total by host per 5m | join bad on host, time | where bad.n > least | set part = bad.n / total | group avg(part) as part by host";
        var page = await Page("/charts/join?base=before&usual=1&from=-1h&to=now&q=" + Uri.EscapeDataString(Query));
        Assert.Contains("data-join-part=\"bad\"", page);
        Assert.Contains("a constant", page);
        Assert.Matches("join bad on host, time</code> .*(partner)", page);
        Assert.Contains("times usual", page);
        Assert.Contains("vs the stretch before", page);
        Assert.Contains("Open on Search", page);
        Assert.Contains("another part", await Page("/charts/join"));
        // A form sends its parts one by one; what is wrong is said beside them.
        var sent = await _ines.GetAsync(
            "/charts/join?name=bad&kind=query&text="
                + Uri.EscapeDataString("level >= error | group count() by host per 5m")
                + "&name=&kind=query&text=&question="
                + Uri.EscapeDataString("from bad")
        );
        Assert.Equal(HttpStatusCode.Redirect, sent.StatusCode);
        Assert.Contains("Draw it", await Page(sent.Headers.Location!.ToString()));
        Assert.Contains("is no name for a part", await Page("/charts/join?name=two%20words&kind=query&text=x&question=from%20x"));
        Assert.Contains("Write the question", await Page("/charts/join?name=a&kind=constant&text=5&question="));
    }

    [Fact]
    public async Task Search_draws_its_answer_in_every_form_split_and_in_parts()
    {
        var page = await Page("/search?q=" + Uri.EscapeDataString("| group count() as n by host per 5m") + "&each=host");
        Assert.Contains("small multiples by host", page);
        Assert.Contains("Compare on Charts", page);
        Assert.Contains("multiple-name", page);
        var ranking = await Page("/search?q=" + Uri.EscapeDataString("| group count() as n by host") + "&tab=line&form=ranking");
        Assert.Contains("class=\"bar-name\"", ranking);
        var split = await _ines.GetAsync(
            "/search?handler=Split&by=host&top=1&q=" + Uri.EscapeDataString("level >= error | group count() as n per 5m")
        );
        Assert.Equal(
            "level >= error | group count() as n by host per 5m\n| highest 1 host by n with rest",
            Microsoft
                .AspNetCore.WebUtilities.QueryHelpers.ParseQuery(split.Headers.Location!.ToString().Split('?')[1])["q"]
                .ToString()
        );
        // Links of before there were more forms.
        Assert.Contains(
            "stacked columns ",
            await Page("/search?tab=column&q=" + Uri.EscapeDataString("| group count() by host per 5m"))
        );
    }
}
