using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

public sealed class CompletionTests : StoreTest
{
    private static readonly Window Hours = new(Sample.At("2026-11-23T16:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private static Run Ask(RecordStore store, string text) =>
        new(
            new Question("test", QueryParser.Parse(text), Hours, Hours.To, DateTimeZone.Utc, Limits.Default),
            store.Current,
            new QuerySources(Sets)
        );

    private static Task<IReadOnlyList<Completion>> At(Run run, string marked) =>
        Completions.At(
            CompletionPlace.At(marked.Replace("¦", ""), marked.IndexOf('¦')),
            run,
            Sets,
            marked[..marked.IndexOf('¦')]
        );

    private sealed class Berths : RowSet
    {
        public override string Name => "berths";

        public override string Title => "look-up table";

        public override RowScan Scan(ScanRequest request) =>
            new ColumnScan(
                [new("berth", ColumnRole.Key), new("depth", ColumnRole.Value)],
                () =>
                    [
                        [Value.Of("north"), Value.Of(4)],
                        [Value.Of("south"), Value.Of(5)],
                        [Value.Of("south"), Value.Of(6)],
                    ],
                request.Cancel
            );
    }

    private static readonly RowSetBook Sets = new([new Berths()]);

    private async Task<RecordStore> Filled()
    {
        var store = Open();
        for (var batch = 0; batch < 5; batch++)
        {
            await store.Append(
                [.. Enumerable.Range(batch * 100, 100).Select(i => Sample.Random(i, Hours.From + (i * 7 * Instants.Second)))],
                "quay"
            );
            if (batch == 2)
                await store.Upkeep.SealAll();
        }
        return store;
    }

    [Fact]
    public async Task Fields_come_with_the_share_of_records_that_have_them()
    {
        using var store = await Filled();
        using var run = Ask(store, "");
        var all = All(store);
        var fields = await At(run, "¦");
        foreach (var name in new[] { "terminal", "wait", "x", "_a1" })
        {
            var found = Assert.Single(fields, f => f.Label == name);
            Assert.Equal((all.Count(r => !r.Attributes.Get(name).IsMissing), all.Count), ((int)found.Count!, (int)found.Of!));
        }
        Assert.Contains(fields, f => f is { Label: "not", Kind: CompletionKind.Keyword });
        Assert.Equal(["terminal"], (await At(run, "termin¦")).Select(f => f.Label));
    }

    [Fact]
    public async Task Values_come_with_counts_and_what_is_written_takes_just_these()
    {
        using var store = await Filled();
        using var run = Ask(store, "");
        foreach (var field in new[] { "terminal", "wait", "service", "http.status", "level" })
        {
            var values = await At(run, field + " = ¦");
            Assert.NotEmpty(values);
            foreach (var value in values.Take(12))
            {
                using var asked = Ask(store, $"{field} = {value.Insert}");
                Assert.True(asked.Question.Parsed.Ok, value.Insert);
                // A level is asked for by its band and listed by it; an equal number may be spelled in several ways.
                if (field is "terminal" or "service" or "level" && value.Label.Any(char.IsLetter))
                    Assert.Equal(value.Count, (await asked.Counts()).Records);
                else
                    Assert.True((await asked.Counts()).Records >= value.Count, $"{field} = {value.Insert}");
            }
        }
        Assert.Equal("Tarnhead", Assert.Single(await At(run, "terminal = \"Tar¦\"")).Insert);
        Assert.StartsWith("\"", Assert.Single(await At(run, "wait = naï¦")).Insert);
        Assert.Empty(await At(run, "body = ¦"));
    }

    [Fact]
    public async Task Behind_a_group_only_its_columns_are_fields_and_stages_and_tables_have_names()
    {
        using var store = await Filled();
        using var run = Ask(store, "");
        Assert.Equal(
            ["terminal", "n"],
            (await At(run, "| group count() as n by terminal | where ¦"))
                .Where(c => c.Kind == CompletionKind.Field)
                .Select(c => c.Label)
        );
        Assert.Contains("took", (await At(run, "| parse body as \"after {took:duration}\" | where ¦")).Select(c => c.Label));
        Assert.Contains("name", (await At(run, "| parse body as /(?<name>\\w+)/ | where na¦")).Select(c => c.Label));
        Assert.Equal(["group"], (await At(run, "| gro¦")).Select(c => c.Label));
        Assert.Contains("berths", (await At(run, "from ¦")).Select(c => c.Label));
        Assert.Contains(await At(run, "| group p9¦"), c => c is { Label: "p95", Insert: "p95(" });
        Assert.DoesNotContain(await At(run, "| where ¦"), c => c.Label == "p95");
    }
}
