using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tables;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

public sealed class HintTests : StoreTest
{
    private static readonly Window Hour = new(Sample.At("2026-11-23T17:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private async Task<IReadOnlyList<AnswerHint>> Hints(string text, Window? window = null)
    {
        using var store = Open(
            path: Path.Combine(
                Directory.CreateDirectory(Path.Combine(Folder, Guid.NewGuid().ToString("N"))).FullName,
                "records.db"
            )
        );
        await store.Append([Sample.Refusal, Sample.Random(5, Hour.From + 1)], "quay");
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok);
        using var run = new Run(
            new Core.Query.Question("test", parsed, window ?? Hour, Hour.To, DateTimeZone.Utc, Limits.Default),
            store.Current
        );
        return await run.Hints();
    }

    [Fact]
    public async Task A_word_is_a_value_of_fields_that_the_found_records_have()
    {
        using var store = Open();
        await store.Append(
            [
                Sample.Refusal,
                .. Enumerable
                    .Range(0, 20)
                    .Select(i => new LogRecord
                    {
                        Time = Hour.From + i,
                        Observed = Hour.From,
                        Body = "started",
                        Attributes = new Attributes(["process.pid"], [Value.Of(409)]),
                    }),
            ],
            "quay"
        );
        using var run = new Run(
            new Core.Query.Question(
                "test",
                QueryParser.Parse("service = gate-control and 409"),
                Hour,
                Hour.To,
                DateTimeZone.Utc,
                Limits.Default
            ),
            store.Current
        );
        Assert.Equal(["status"], (await run.Hints()).Select(h => h.Message.Split("409 is a value of ")[1].Split(':')[0]));
    }

    [Theory]
    [InlineData("| parse body as \"ticket {ticket} refused: {reason}\"", null, null)]
    [InlineData(
        "| parse body as \"ticket {ticket} refused: \"",
        "it ends before the body does. Behind “ticket SK-40417-B refused: ” follows “seat already claimed",
        "| parse body as \"ticket {ticket} refused: {}\""
    )]
    [InlineData(
        "refused | parse only body as \"ticket {ticket} refused\" | group count() by ticket",
        "it ends before the body does",
        "refused | parse only body as \"ticket {ticket} refused{}\" | group count() by ticket"
    )]
    [InlineData("| parse body as \"ticket {ticket} accepted: {reason}\"", "Behind “ticket ” it wants", null)]
    [InlineData(
        "| parse body as \"ticket {n:integer} refused: {reason}\"",
        "Behind “ticket ” it wants an integer, and there stands “SK-40417-B refused",
        null
    )]
    [InlineData("| parse body as \"ticket {} refused: {reason} twice\"", "it wants “ twice”", null)]
    public async Task A_template_that_fits_nothing_says_where_it_stops(string query, string? says, string? instead)
    {
        var hints = await Hints(query);
        if (says is null)
        {
            Assert.DoesNotContain(hints, h => h.Message.Contains("template"));
            return;
        }
        var hint = Assert.Single(hints, h => h.Message.StartsWith("The template fits no body"));
        Assert.Contains(says, hint.Message);
        Assert.Equal(instead, hint.Instead);
    }

    [Theory]
    [InlineData("a {x} b", "a 1 b", null)]
    [InlineData("a {x} b", "a 1 b c", "5 end")]
    [InlineData("a {x} b", "a 1 c", "2  b")]
    [InlineData("a {x:integer} b", "a z b", "2 integer")]
    [InlineData("a{x}", "", "0 a")]
    [InlineData("{x} = {y:integer}", "k = v", "4 integer")]
    [InlineData("{x:integer}", "12 seats", "2 end")]
    public void Where_a_text_stops_fitting_is_told(string template, string text, string? told)
    {
        var misfit = new TemplateMatcher(template).Explain(text);
        Assert.Equal(
            told,
            misfit switch
            {
                null => null,
                { Wanted: null } => $"{misfit.At} end",
                { Wanted: { IsSlot: true } slot } => $"{misfit.At} {slot.Type}",
                { Wanted: { } word } => $"{misfit.At} {word.Text}",
            }
        );
    }

    [Theory]
    [InlineData("levle = error", "Did you mean level?", "level = error")]
    [InlineData("Terminal = Tarnhead", "Did you mean terminal?", "terminal = Tarnhead")]
    [InlineData("nowhere_at_all = 1", "has a field nowhere_at_all", null)]
    [InlineData("status = 409 and status = 410", "cannot both hold", "status in (409, 410)")]
    [InlineData(
        "reason = \"a b\" and refused and reason = void | limit 3",
        "cannot both hold",
        "reason in (\"a b\", void) and refused | limit 3"
    )]
    [InlineData("status > 500 and status < 400", "cannot both hold", "status > 500")]
    [InlineData("409", "409 is a value of status", "status = 409")]
    [InlineData("wait > 400", "wait holds a duration such as 812ms", "wait > 400ms")]
    [InlineData("status > 400ms", "status holds a bare number such as 409", null)]
    [InlineData("reason = seat already", "reason = \"seat already\"", "reason = \"seat already\"")]
    [InlineData("gate-t3", "gate-t3 is a value of host", "host = gate-t3")]
    public async Task Advice_is_given_with_what_was_perhaps_meant(string text, string advice, string? instead)
    {
        var hint = Assert.Single(await Hints(text), h => h.Message.Contains(advice, StringComparison.Ordinal));
        Assert.Equal(instead, hint.Instead);
    }

    [Theory]
    [InlineData("level = error and status = 409")]
    [InlineData("wait > 400ms")]
    [InlineData("refused")]
    [InlineData("| set k = 1 | where k = 1")]
    public async Task Where_all_is_well_there_is_no_advice(string text) => Assert.Empty(await Hints(text));

    [Fact]
    public async Task Where_nothing_matches_it_says_when_it_last_did()
    {
        var later = new Window(Hour.To, Hour.To + Instants.Hour);
        Assert.Equal(
            Sample.Refusal.Time,
            Assert.Single(await Hints("refused and terminal = Tarnhead and status = 409", later), h => h.At is not null).At
        );
        Assert.DoesNotContain(await Hints("never_seen_word", later), h => h.At is not null);
    }

    [Fact]
    public async Task Tables_are_read_from_their_folder_and_a_change_counts()
    {
        var folder = Directory.CreateDirectory(Path.Combine(Folder, "tables")).FullName;
        var tables = new LookupTables(folder);
        Assert.Empty(tables.Names());
        await System.IO.File.WriteAllTextAsync(
            Path.Combine(folder, "berths.csv"),
            "terminal,berth,note\nTarnhead,4,\"deep, wide\"\nOrra,2,\n"
        );
        Assert.Equal(["berths"], tables.Names());
        Assert.Equal(4, tables.Lookup("berths", "berth")(Value.Of("Tarnhead")).AsLong);
        Assert.Equal("deep, wide", tables.Lookup("berths", "note")(Value.Of("Tarnhead")).ToText());
        Assert.True(tables.Lookup("berths", "note")(Value.Of("Orra")).IsMissing);
        Assert.True(tables.Lookup("berths", "berth")(Value.Of("Hollin")).IsMissing);
        Assert.Contains(
            "has no column depth",
            Assert.Throws<QueryRefusedException>(() => tables.Lookup("berths", "depth")).Message
        );
        Assert.Contains(
            "no look-up table boats",
            Assert.Throws<QueryRefusedException>(() => tables.Lookup("boats", "x")).Message
        );
        Assert.Null(tables.Find("../secret"));
        await System.IO.File.WriteAllTextAsync(Path.Combine(folder, "berths.csv"), "terminal,berth\nTarnhead,5\nHollin,11\n");
        Assert.Equal(5, tables.Lookup("berths", "berth")(Value.Of("Tarnhead")).AsLong);
        var parsed = QueryParser.Parse("from berths | where berth > 5 | select terminal", tables.Names());
        using var store = Open();
        using var run = new Run(
            new Core.Query.Question("test", parsed, Hour, Hour.To, DateTimeZone.Utc, Limits.Default),
            store.Current,
            new QuerySources(new RowSetBook([], tables)) { Lookup = tables.Lookup }
        );
        Assert.Equal("Hollin", Assert.Single((await run.Frame()).Rows)[0].ToText());
    }
}
